"""Frame ranges and image sequences on disk."""
