"""Keeps the logs of a house short: `python -m launcher.logs FOLDER`, a process that the launcher starts."""

from __future__ import annotations

import os
import shutil
import sys
import time
from pathlib import Path

LONGEST = 10 << 20  # bytes of one log
KEPT = 3  # older ones
LOOK_EVERY = 60  # seconds


def rotate(folder: Path, longest: int = LONGEST) -> None:
    """Put away what has grown too long. The log itself is copied and emptied, since others have it open and append to
    it."""
    for log in sorted(folder.glob("*.log")):
        if log.stat().st_size <= longest:
            continue
        for number in range(KEPT, 1, -1):
            before = log.with_name(f"{log.name}.{number - 1}")
            if before.exists():
                os.replace(before, log.with_name(f"{log.name}.{number}"))
        shutil.copyfile(log, log.with_name(f"{log.name}.1"))
        os.truncate(log, 0)


if __name__ == "__main__":
    while True:
        rotate(Path(sys.argv[1]))
        time.sleep(LOOK_EVERY)
