"""Tests of the core, checked against published values, other libraries and laws that must hold for any input."""
