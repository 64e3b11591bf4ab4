"""Bringing files in, and distrusting them."""
