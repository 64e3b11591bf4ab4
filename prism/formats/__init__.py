"""Reading and writing image files."""
