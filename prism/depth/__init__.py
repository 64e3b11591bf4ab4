"""Mist and fog."""
