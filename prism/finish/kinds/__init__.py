"""The kinds of finishing steps: a module each."""
