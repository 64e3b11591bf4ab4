"""Finishing: steps on a rebuilt picture."""
