"""Files sent by a browser in pieces: taken up where they broke off, looked at before they are used, never in place of
another.

A file is known by the digest of its contents, which the page works out before it sends anything: so no other of the
same name goes on where one broke off, and what has arrived is compared with what was meant.
"""

from __future__ import annotations

import fcntl
import hashlib
import os
import re
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from desk.shots.models import Shot
from desk.shots.storage import free_bytes, kept_inside, shot_folder
from prism.errors import BadArgument, PrismError, TooLarge, UnreadableFile, UnwritableFile
from prism.formats.reading import read_header
from prism.pixels.file_formats import is_picture
from prism.text import printable

FOLDER = "uploads"  # below the shot's own
MOST_PIECE = 3 << 20  # bytes in one request
MOST_FILE = 16 << 30
MOST_FILES = 20_000
SPARE = 1 << 30  # bytes of the disk that uploads leave free
FORGOTTEN = 7 * 24 * 3600  # seconds after which what broke off is no longer waited for
_COMING = ".coming."  # begins the name of what is not whole yet
_DIGEST = re.compile("[0-9a-f]{64}")


@dataclass(frozen=True, slots=True)
class Coming:
    """One file: what it is called, how many bytes it will have, and the SHA-256 of them as hex digits."""

    name: str
    size: int
    digest: str


def begin(shot: Shot, folder: str, files: Sequence[Coming]) -> dict[str, Any]:
    """Where each file is to go on: bytes that are there already. Raises BadArgument or TooLarge, with nothing
    changed."""
    if not files or len(files) > MOST_FILES:
        raise BadArgument(f"Send from 1 to {MOST_FILES:,} files at once.", where="upload")
    place = _folder(shot, folder)
    _forget_old(place)
    listed = [_begun(place, file) for file in files]
    _require_room(sum(file.size - entry["at"] for file, entry in zip(files, listed, strict=True)))
    place.mkdir(parents=True, exist_ok=True)
    return {"folder": str(place), "files": listed}


def take(shot: Shot, folder: str, file: Coming, at: int, piece: bytes) -> dict[str, Any]:
    """Put one piece behind those that are there. Once whole, the file is compared with its digest, looked at, and gets
    its name.

    Answers where to go on, which may be elsewhere than asked: another page may be sending the same. Raises BadArgument,
    TooLarge, UnwritableFile, or UnreadableFile for what turns out to be no picture or not what was sent; that is not
    kept.
    """
    place = _folder(shot, folder)
    begun = _begun(place, file)
    if begun["done"]:
        return begun
    if len(piece) > MOST_PIECE or at < 0 or at + len(piece) > file.size:
        raise BadArgument(
            "This piece is no part of the file.", where=file.name, advice="Send it again from its beginning."
        )
    _require_room(len(piece))
    part, target = _part(place, file), place / file.name
    try:
        with _held(part) as descriptor:
            if target.exists():  # another page was faster
                part.unlink(missing_ok=True)
                return _begun(place, file)
            now = _append(descriptor, at, piece)
            if now == file.size:
                _finish(part, target, file.digest)
    except OSError as error:
        raise UnwritableFile(
            f"It cannot be kept: {error.strerror}.", where=file.name, advice="Is the disk full?"
        ) from error
    return {"name": file.name, "at": now, "done": now == file.size}


@contextmanager
def _held(part: Path) -> Iterator[int]:
    """What has come of a file, open and for one at a time."""
    descriptor = os.open(part, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o644)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX)
        yield descriptor
    finally:
        os.close(descriptor)


def _append(descriptor: int, at: int, piece: bytes) -> int:
    """The length afterwards; unchanged if it does not end where the piece begins."""
    now = os.fstat(descriptor).st_size
    if now != at:
        return now
    os.lseek(descriptor, at, os.SEEK_SET)
    written = 0
    while written < len(piece):
        written += os.write(descriptor, piece[written:])
    return at + written


def _finish(part: Path, target: Path, digest: str) -> None:
    """Look at what came, and give it its name if nothing has it."""
    try:
        if _digest_of(part) != digest:
            raise UnreadableFile("What arrived is not what was sent.")
        read_header(part)
        os.link(part, target)  # fails, rather than replaces, if the name was taken since
    except PrismError as error:
        raise UnreadableFile(error.what, where=target.name, advice="It was not kept. Send it again.") from error
    except FileExistsError:
        raise _taken(target.name) from None
    finally:
        part.unlink(missing_ok=True)


def _begun(place: Path, file: Coming) -> dict[str, Any]:
    _require_name(file.name)
    if not is_picture(file.name):
        raise BadArgument(f"{printable(file.name)} is no picture.", where="upload", advice="Leave it out.")
    if not 0 < file.size <= MOST_FILE:
        raise TooLarge(f"It has {file.size:,} bytes; {MOST_FILE:,} are the most.", where=printable(file.name))
    if not _DIGEST.fullmatch(file.digest):
        raise BadArgument("Say the SHA-256 of the file as 64 hex digits.", where="upload")
    target = place / file.name
    if target.exists():  # under its name it stays
        if target.stat().st_size != file.size or _digest_of(target) != file.digest:
            raise _taken(file.name)
        return {"name": file.name, "at": file.size, "done": True}
    part = _part(place, file)
    try:
        there = part.stat().st_size
    except FileNotFoundError:  # not begun, or just now taken to its name by another page
        there = 0
    return {"name": file.name, "at": min(there, file.size), "done": False}


def _part(place: Path, file: Coming) -> Path:
    return place / f"{_COMING}{file.digest}{Path(file.name).suffix}"  # which says how it is to be looked at


def _digest_of(path: Path) -> str:
    with path.open("rb") as source:
        return hashlib.file_digest(source, "sha256").hexdigest()


def _require_room(wanted: int) -> None:
    free = free_bytes()
    if free is not None and wanted + SPARE > free:
        raise TooLarge(
            f"The disk has {free / 1e9:.1f} GB left, and {wanted / 1e9:.1f} GB would come.", advice="Make room first."
        )


def _forget_old(place: Path) -> None:
    """What broke off long ago takes room, and nobody goes on with it."""
    for part in place.glob(f"{_COMING}*"):
        with suppress(OSError):
            if time.time() - part.stat().st_mtime > FORGOTTEN:
                part.unlink()


def _taken(name: str) -> BadArgument:
    return BadArgument(
        f"A file called {printable(name)} with other contents is there.", where="upload",
        advice="Nothing is replaced: send it into a folder of another name.",
    )  # fmt: skip


def _folder(shot: Shot, name: str) -> Path:
    _require_name(name)
    return kept_inside(shot_folder(shot) / FOLDER / name, shot.production)


def _require_name(name: str) -> None:
    fits = name and "/" not in name and not name.startswith((".", "-")) and printable(name) == name
    if not fits or len(name.encode()) > 200:
        raise BadArgument(f"“{printable(name)[:60]}” cannot be a name here.", where="upload", advice="Rename it first.")
