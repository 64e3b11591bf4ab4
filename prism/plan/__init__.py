"""The plan: what is rendered into which files, what is wrong with it, what it takes."""
