"""Checksums of files, and lists of them that `sha256sum -c` reads and that tell when they were cut or changed."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path, PurePosixPath

from prism.errors import UnreadableFile

_PIECE = 1 << 20  # bytes read at once
_END = "# end of the list: {count} files, {digest}"  # of the lines above; sha256sum passes over it


def sha256_of(path: Path) -> str:
    """Hex digits of a file's SHA-256 (FIPS 180-4)."""
    digest = hashlib.sha256()
    with open(path, "rb") as file:
        while piece := file.read(_PIECE):
            digest.update(piece)
    return digest.hexdigest()


def list_of(folder: Path, names: Iterable[str]) -> str:
    """The text of a list: a line for each file below a folder, and at the end how many they are and their own
    checksum."""
    lines = [f"{sha256_of(folder / name)}  {name}\n" for name in sorted(names)]
    return "".join(lines) + _last(lines) + "\n"


def _last(lines: list[str]) -> str:
    return _END.format(count=len(lines), digest=hashlib.sha256("".join(lines).encode()).hexdigest())


def read_list(path: Path) -> dict[str, str]:
    """Checksums by name. Raises UnreadableFile if the list is not there, was cut or changed, or names what lies outside
    of its folder."""
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise UnreadableFile(
            "The list of checksums cannot be read.", where=path.name, advice="Is this the folder of a parcel?"
        ) from error
    *lines, last = text.split("\n")[:-1] or [""]
    lines = [f"{line}\n" for line in lines]
    if not lines or last != _last(lines) or not text.endswith("\n"):
        raise UnreadableFile(
            "The list of checksums is not as it was written: it states its own length and checksum.", where=path.name,
            advice="Take the parcel from where it came once more.",
        )  # fmt: skip
    return dict(_entry(number, line.rstrip("\n"), path) for number, line in enumerate(lines, start=1))


def _entry(number: int, line: str, path: Path) -> tuple[str, str]:
    digest, gap, name = line[:64], line[64:66], line[66:]
    parts = PurePosixPath(name).parts
    outside = not parts or name.startswith("/") or ".." in parts
    if gap != "  " or outside or not set(digest) <= set("0123456789abcdef"):
        raise UnreadableFile(f"Line {number} of the list of checksums is damaged.", where=path.name)
    return name, digest
