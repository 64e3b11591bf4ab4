"""What becomes of a subject: one module for each encoding, listed in `table`."""
