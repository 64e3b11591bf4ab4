"""Campaigns of faults at full size, with counts; the tests carry a seeded tenth of each. All that is no answer must be 0.

`python -m bench faults` runs them all; `python -m bench.faults NAME` one of them. Clients want a house that runs with its
demo: `./eager start`.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections import Counter
from pathlib import Path

from bench import clients, servers
from prism.tests.damaged import damaged_files, odd_files
from prism.tests.readers import READERS, outcome

FILES = 4_500
ROOT = Path(__file__).resolve().parent.parent


def run() -> None:
    for campaign in CAMPAIGNS.values():
        campaign()


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


def requests() -> None:
    """Mutated requests, on a database of the tests."""
    _tests("desk.tests.test_requests")


def kills() -> None:
    """Workers, decoders, the queue's and the database's connections, on a database of the tests."""
    _tests("desk.tests.test_kills")


CAMPAIGNS = {"files": files, "requests": requests, "kills": kills, "servers": servers.run, "clients": clients.run}


def _tests(name: str) -> None:
    subprocess.run([ROOT / "eager", "test", name], env=os.environ | {"EAGER_FAULTS": "full"}, check=False)


if __name__ == "__main__":
    for name in sys.argv[1:] or CAMPAIGNS:
        CAMPAIGNS[name]()
