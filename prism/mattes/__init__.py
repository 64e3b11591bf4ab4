"""Mattes: Cryptomatte and flat identity colours."""
