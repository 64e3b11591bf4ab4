"""What the verbs of the command line do. Each answers twice: data for programs, text for people."""

from typing import Any

Answer = tuple[Any, str]


class Refused(Exception):
    """The work was done and its answer is no. Built from an Answer, printed like any other, with exit code 1."""
