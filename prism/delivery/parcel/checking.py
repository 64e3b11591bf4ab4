"""Whether a parcel is as it was made, without the records of the application: by the checksums in it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from prism.errors import UnwritableFile
from prism.formats.digests import read_list, sha256_of
from prism.formats.safe import below
from prism.judging.finding import ERROR, Finding

CHECKSUMS = "checksums.sha256"
OF_RECORDS = "record.sha256"  # of the records of the delivery that made it, which are written after the parcel
RECORDS = ("record/", "record.json", OF_RECORDS)  # where it lies in the parcel's own folder


@dataclass(frozen=True, slots=True)
class Checked:
    """count: of the files that were read. extra: those that are in the folder and not in the parcel."""

    count: int
    faults: tuple[Finding, ...]
    extra: tuple[str, ...]

    @property
    def whole(self) -> bool:
        """Whether every file is as it was."""
        return not self.faults


def check_parcel(folder: Path, *, with_records: bool = True) -> Checked:
    """Read every file of a parcel, and the records of its delivery if they lie in it and are written already. Raises
    UnreadableFile if a list of checksums is not there or is damaged."""
    sums = read_list(folder / CHECKSUMS)
    there = {path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()}
    if not with_records:
        there = {name for name in there if not name.startswith(RECORDS)}
    elif any(name.startswith(RECORDS) for name in there):
        sums |= read_list(folder / OF_RECORDS)
    faults = tuple(fault for name, digest in sums.items() if (fault := _fault(folder, name, digest)) is not None)
    extra = sorted(there - sums.keys() - {CHECKSUMS, OF_RECORDS})
    return Checked(len(sums), faults, tuple(extra))


def _fault(folder: Path, name: str, digest: str) -> Finding | None:
    path = folder / name
    try:
        below(folder, name)
    except UnwritableFile:
        return Finding("path", ERROR, "leads out of the parcel", where=name)
    if not path.is_file():
        return Finding("missing", ERROR, "missing", where=name)
    try:
        return None if sha256_of(path) == digest else Finding("changed", ERROR, "changed", where=name)
    except OSError as error:
        return Finding("unreadable", ERROR, f"cannot be read: {error.strerror}", where=name)
