"""Campaigns of faults, with counts, within ten minutes on two cores; the tests carry a smaller part of each.

`python -m bench faults` runs them all; `python -m bench.faults NAME` one of them; `--nightly` before a name at full
size. Clients want a house that runs with its demo: `./eager start`.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterable
from itertools import chain
from pathlib import Path

from bench import boards, clients, sending, servers
from prism.tests.damaged import damaged_files, odd_files
from prism.tests.readers import READERS, outcome

FILES, ALL_FILES = 1_350, 4_500
BOARDS = 40
SENT = 10  # files
KILLS, ALL_KILLS = 2, 20  # of each process
ROOT = Path(__file__).resolve().parent.parent


def run(names: Iterable[str] = (), *, nightly: bool = False) -> None:
    """One line for each count of each campaign; those that must be 0 say so."""
    for name in names or CAMPAIGNS:
        begun = time.monotonic()
        counts = CAMPAIGNS[name](nightly)
        print(f"{name}, {time.monotonic() - begun:.0f} s")
        for what, count in counts.items():
            print(f"  {what:<50}{count:>10}")


def files(nightly: bool) -> dict[str, object]:
    """Damaged files, and the worst ever met, by every reader."""
    counts: Counter[str] = Counter()
    bad, tried = 0, 0
    with tempfile.TemporaryDirectory() as folder:
        # Each is there only until the next is made.
        hurt = damaged_files(Path(folder), ALL_FILES if nightly else FILES, seed=1)
        for path in chain(hurt, odd_files(Path(folder)).values()):
            tried += 1
            for name, read in READERS.items():
                said = outcome(read, path)
                counts[f"{name}: {said}"] += 1
                bad += said not in ("read", "refused")
    return {
        "damaged files, and the worst ever met": tried,
        **dict(sorted(counts.items())),
        "neither read nor refused in words, must be 0": bad,
    }


def requests(nightly: bool) -> dict[str, object]:
    """Mutated requests, on a database of the tests."""
    return _tests("desk.tests.test_requests", nightly)


def writes(nightly: bool) -> dict[str, object]:
    """Changes of the same records in the same moment, on a database of the tests."""
    return _tests("desk.tests.test_at_once", nightly)


def kills(nightly: bool) -> dict[str, object]:
    """Workers, decoders, the queue's and the database's connections, on a database of the tests."""
    return _tests("desk.tests.test_kills", nightly)


def house(nightly: bool) -> dict[str, object]:
    """Every process of a house killed while it renders and hands off."""
    return servers.run(ALL_KILLS if nightly else KILLS)


def many(nightly: bool) -> dict[str, object]:
    """Artists and an attacker at once, on the running demo."""
    return clients.run(clients.SECONDS * (5 if nightly else 1))


def paths(nightly: bool) -> dict[str, object]:
    """Ways out of a folder, by every writer and every value of a name."""
    return _tests("prism.tests.test_writing", nightly)


def sheets(nightly: bool) -> dict[str, object]:
    """Boards that cost as much as they may."""
    return boards.run(BOARDS * (10 if nightly else 1))


def sent(nightly: bool) -> dict[str, object]:
    """Files and notes while web processes are killed, on the running demo."""
    return sending.run(SENT * (10 if nightly else 1))


def backups(nightly: bool) -> dict[str, object]:
    """Crafted ones, on a database of the tests."""
    return _tests("desk.tests.test_house.Backup", nightly)


def texts(nightly: bool) -> dict[str, object]:
    """Scripts in every text that a page shows, in a browser."""
    return _tests("desk.tests.test_browser.Hostile", nightly)


CAMPAIGNS = {
    "files": files, "requests": requests, "writes": writes, "kills": kills, "servers": house, "clients": many,
    "paths": paths, "boards": sheets, "sending": sent, "backups": backups, "texts": texts,
}  # fmt: skip


def _tests(name: str, nightly: bool) -> dict[str, object]:
    environment = os.environ | ({"EAGER_FAULTS": "full"} if nightly else {})
    done = subprocess.run([ROOT / "eager", "test", name], env=environment, capture_output=True, text=True)
    said = done.stdout + done.stderr
    ran = re.search(r"Ran (\d+) tests?", said)
    bad = re.findall(r"(?:failures|errors)=(\d+)", said)
    return {"tests": int(ran[1]) if ran else 0, "failed, must be 0": sum(map(int, bad)) if ran else "it did not run"}


if __name__ == "__main__":
    asked = sys.argv[1:]
    run([name for name in asked if name != "--nightly"], nightly="--nightly" in asked)
