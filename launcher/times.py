"""How long the parts of a start took, told at its end."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager

LEAST = 0.5  # seconds that are worth a word


class Times:
    """Seconds by part, in the order they came."""

    def __init__(self) -> None:
        self._begun = time.monotonic()
        self._taken: dict[str, float] = {}

    @contextmanager
    def of(self, part: str) -> Iterator[None]:
        """Counts what happens inside for that part."""
        begun = time.monotonic()
        try:
            yield
        finally:
            self._taken[part] = self._taken.get(part, 0.0) + time.monotonic() - begun

    @property
    def seconds(self) -> float:
        """Since the beginning."""
        return time.monotonic() - self._begun

    def in_words(self) -> str:
        """The parts that took long, the longest first; empty if none did."""
        longest = sorted(self._taken.items(), key=lambda taken: -taken[1])
        return ", ".join(f"{part} {seconds:.0f} s" for part, seconds in longest if seconds >= LEAST)
