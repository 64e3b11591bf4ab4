"""Writing so that a name only ever stands for a whole file."""

from __future__ import annotations

import errno
import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from prism.errors import UnwritableFile
from prism.text import printable

_ADVICE = {
    errno.ENOSPC: "The disk is full: free some space and write again.",
    errno.EDQUOT: "The disk quota is used up: free some space and write again.",
    errno.EACCES: "Allow writing there, or choose another folder.",
    errno.EROFS: "The disk is read-only: choose another folder.",
    errno.ENOTDIR: "A part of the path is a file, not a folder.",
}


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """Yield a temporary path beside `path`; on success it becomes `path`, on any failure it vanishes.

    The temporary keeps the suffix, since image libraries choose the format by it. Raises UnwritableFile.
    """
    path = Path(path)
    if printable(path) != str(path):
        raise UnwritableFile("This path is not plain text.", where=str(path), advice="Choose another folder or name.")
    temporary = path.with_name(f".{path.stem}.{secrets.token_hex(4)}{path.suffix}")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.is_dir():
            raise UnwritableFile("A folder has this name.", where=str(path), advice="Choose another file name.")
        yield temporary
        with open(temporary, "rb") as written:
            os.fsync(written.fileno())
        os.replace(temporary, path)
    except OSError as error:
        advice = _ADVICE.get(error.errno, "")
        raise UnwritableFile(
            f"Cannot be written: {error.strerror or error}.", where=str(path), advice=advice
        ) from error
    finally:
        with suppress(OSError):
            temporary.unlink(missing_ok=True)
