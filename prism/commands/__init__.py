"""What the verbs of the command line do. Each answers twice: data for programs, text for people."""

from typing import Any

Answer = tuple[Any, str]


class Unable(Exception):
    """Nothing could be looked at. Built from the PrismError that says why; exit code 2."""


class Refused(Exception):
    """The work was done and its answer is no. Built from an Answer, printed like any other, with exit code 1."""
