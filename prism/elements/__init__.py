"""What lies on disk, told apart: sequences, the passes in them, and the pixels of any frame."""
