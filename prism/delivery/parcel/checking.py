"""Whether a parcel is as it was made, without the records of the application: by the checksums in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from prism.errors import UnreadableFile
from prism.formats.digests import sha256_of

CHECKSUMS = "checksums.sha256"
RECORDS = ("record/", "record.json")  # of the delivery that made it, where it lies in the parcel's own folder


@dataclass(frozen=True, slots=True)
class Fault:
    """file: its name in the parcel. what: changed, missing, or cannot be read."""

    file: str
    what: str


@dataclass(frozen=True, slots=True)
class Checked:
    """count: of the files that were read. extra: those that are in the folder and not in the parcel."""

    count: int
    faults: tuple[Fault, ...]
    extra: tuple[str, ...]

    @property
    def whole(self) -> bool:
        """Whether every file is as it was."""
        return not self.faults


def check_parcel(folder: Path) -> Checked:
    """Read every file of a parcel. Raises UnreadableFile if its list of checksums is not there or is damaged."""
    sums = dict(_listed(folder / CHECKSUMS))
    faults = tuple(fault for name, digest in sums.items() if (fault := _fault(folder, name, digest)) is not None)
    there = {path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()}
    extra = sorted(name for name in there - sums.keys() - {CHECKSUMS} if not name.startswith(RECORDS))
    return Checked(len(sums), faults, tuple(extra))


def _listed(path: Path) -> Iterator[tuple[str, str]]:
    """Name and digest, as sha256sum writes them."""
    try:
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise UnreadableFile(
            "The list of checksums cannot be read.", where=str(path), advice="Is this the folder of a parcel?"
        ) from error
    for number, line in enumerate(lines, start=1):
        digest, gap, name = line[:64], line[64:66], line[66:]
        parts = PurePosixPath(name).parts
        outside = not parts or name.startswith("/") or ".." in parts
        if gap != "  " or outside or not set(digest) <= set("0123456789abcdef"):
            raise UnreadableFile(f"Line {number} of the list of checksums is damaged.", where=str(path))
        yield name, digest
    if not lines:
        raise UnreadableFile("The list of checksums is empty.", where=str(path))


def _fault(folder: Path, name: str, digest: str) -> Fault | None:
    path = folder / name
    if not path.is_file():
        return Fault(name, "missing")
    try:
        return None if sha256_of(path) == digest else Fault(name, "changed")
    except OSError as error:
        return Fault(name, f"cannot be read: {error.strerror}")
