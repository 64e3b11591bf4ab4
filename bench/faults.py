"""Campaigns of faults at full size, with counts; the tests carry a seeded tenth of each. All but read and refused must be 0."""

from __future__ import annotations

import tempfile
from collections import Counter
from pathlib import Path

from prism.tests.damaged import damaged_files, odd_files
from prism.tests.readers import READERS, outcome

FILES = 4_500


def run() -> None:
    files()


def files() -> None:
    """Damaged files, and the worst ever met, by every reader."""
    counts: Counter[tuple[str, str]] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        for path in damaged_files(Path(folder), FILES, seed=1):
            counts.update((name, outcome(read, path)) for name, read in READERS.items())
    with tempfile.TemporaryDirectory() as folder:
        for path in odd_files(Path(folder)).values():
            counts.update((name, outcome(read, path)) for name, read in READERS.items())
    print(f"{FILES} damaged files and the worst ever met")
    for (name, ended), count in sorted(counts.items()):
        print(f"  {name:<14}{ended:<12}{count:>6}")
