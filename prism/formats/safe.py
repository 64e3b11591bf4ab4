"""Writing so that a name only ever stands for a whole file."""

from __future__ import annotations

import errno
import fcntl
import os
import secrets
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from glob import escape
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


_roots: ContextVar[tuple[Path, ...]] = ContextVar("roots", default=())


@contextmanager
def writing_below(*roots: Path) -> Iterator[None]:
    """Whatever is written meanwhile lies below one of these folders, links resolved."""
    token = _roots.set(tuple(Path(root).resolve() for root in roots))
    try:
        yield
    finally:
        _roots.reset(token)


def below(root: Path, relative: str) -> Path:
    """The file of that name below a folder. Raises UnwritableFile if an absolute name, `..` or a link leads out of
    it."""
    path = Path(root) / relative
    _require_below(path, (Path(root).resolve(),))
    return path


def _require_below(path: Path, roots: Sequence[Path]) -> None:
    try:
        real = path.resolve()
    except (OSError, RuntimeError, ValueError) as error:
        raise UnwritableFile("This path cannot be followed.", where=path.name) from error
    if not any(real.is_relative_to(root) for root in roots):
        raise UnwritableFile(
            "This file would lie outside of its folder.", where=path.name,
            advice="Use names without / and .., and folders that are no links elsewhere.",
        )  # fmt: skip


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """Yield a temporary path beside `path`; on success it becomes `path`, on any failure it vanishes.

    The temporary keeps the suffix, since image libraries choose the format by it. It is locked while its writer lives,
    so that what a killed one left is known, and goes when the same file is written again. Raises UnwritableFile, also
    for a file outside of the folders that `writing_below` allows.
    """
    path = Path(path)
    roots = _roots.get()
    if roots:
        _require_below(path, roots)
    if printable(path) != str(path):
        raise UnwritableFile("This path is not plain text.", where=str(path), advice="Choose another folder or name.")
    temporary = path.with_name(f".{path.stem}.{secrets.token_hex(4)}{path.suffix}")
    lock = -1
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.is_dir():
            raise UnwritableFile("A folder has this name.", where=str(path), advice="Choose another file name.")
        _clear(path)
        lock = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o666)
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield temporary
        with open(temporary, "rb") as written:
            os.fsync(written.fileno())
        os.replace(temporary, path)
    except OSError as error:
        advice = _ADVICE.get(error.errno or 0, "")
        raise UnwritableFile(
            f"Cannot be written: {error.strerror or error}.", where=str(path), advice=advice
        ) from error
    finally:
        with suppress(OSError):
            temporary.unlink(missing_ok=True)
        if lock >= 0:
            os.close(lock)


def _clear(path: Path) -> None:
    """Delete temporaries of this file whose writers are gone."""
    ours = f".{escape(path.stem)}.{'[0-9a-f]' * 8}{escape(path.suffix)}"
    for left in path.parent.glob(ours):
        with suppress(OSError), open(left, "rb") as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            left.unlink(missing_ok=True)
