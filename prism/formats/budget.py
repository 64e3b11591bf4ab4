"""Memory that all decoders of a user take together: each takes a share before it begins, and waits while there is none.

A share is a run of bytes of one file, locked. The system lets go of it when whoever holds it ends, however that ends.
"""

from __future__ import annotations

import fcntl
import os
import struct
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import gettempdir

from prism.limits import current

UNIT = 256 << 20  # bytes of memory that one locked byte stands for
LEAST = 6 << 30  # so that the largest file that is read at all can be
LOOK_EVERY = 0.05  # seconds
_F_OFD_SETLK = (
    37  # Linux: a lock of the open file, so that threads keep each other out too; this Python has no name for it
)


def total() -> int:
    """Bytes: half of the machine's memory."""
    return max(LEAST, os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2)


@contextmanager
def share(memory: int) -> Iterator[None]:
    """Room for so many bytes while inside. Raises TooCostly or Superseded once the limit is over."""
    units = total() // UNIT
    wanted = min(-(-memory // UNIT), units)
    path = Path(gettempdir()) / f"eager-prism-memory-{os.getuid()}.lock"
    place = os.open(path, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
    try:
        # From the bottom, so that many small shares leave the top free for a large one.
        while not any(_locked(place, begin, wanted) for begin in range(units - wanted + 1)):
            current().require()
            time.sleep(LOOK_EVERY)
        yield
    finally:
        os.close(place)


def _locked(place: int, begin: int, length: int) -> bool:
    wanted = struct.pack("hhqqi", fcntl.F_WRLCK, os.SEEK_SET, begin, length, 0)
    try:
        fcntl.fcntl(place, _F_OFD_SETLK, wanted)
    except OSError:
        return False
    return True
