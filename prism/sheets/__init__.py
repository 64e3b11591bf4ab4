"""Many pictures on one sheet."""
