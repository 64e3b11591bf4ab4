"""Telling a file from a later one of the same name, without reading it."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from prism.documents import fingerprint
from prism.errors import UnreadableFile

Stamp = tuple[str, int, int]  # path, time of the last change in nanoseconds, bytes


def stamp_of(path: Path) -> Stamp:
    """Raises UnreadableFile if there is no such file, or it may not be seen."""
    try:
        status = path.stat()
    except OSError as error:
        raise UnreadableFile(f"Cannot be read: {error.strerror}.", where=str(path)) from error
    except ValueError as error:  # a zero, in a name that a header tells
        raise UnreadableFile("Cannot be read: no file has such a name.", where=str(path)) from error
    return str(path), status.st_mtime_ns, status.st_size


def stamp_if_there(path: Path) -> Stamp | None:
    """None for a file that cannot be read."""
    try:
        return stamp_of(path)
    except UnreadableFile:
        return None


def fingerprint_of_files(paths: Iterable[Path]) -> str:
    """Sixteen hex digits that change whenever one of the files is written, taken away or comes to be."""
    stamps = ((path, stamp_if_there(path)) for path in paths)
    return fingerprint([[os.fsencode(path).hex(), stamp and stamp[1:]] for path, stamp in stamps])
