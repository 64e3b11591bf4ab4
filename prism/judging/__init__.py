"""What is found wrong, in one form, and the one judgement of values."""
