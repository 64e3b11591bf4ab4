"""What lies in a folder: image sequences and single pictures, told apart by their names; no file is opened.

Names are cut by fileseq. On top of it stand three rules of the trade (common practice, no source): a number after a `v`
is a version and no frame, a hyphen is a minus only behind a dot or underscore, and a number in other padding is another
file.
"""

from __future__ import annotations

import os
import re
from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import fileseq

from prism.errors import TooLarge, UnreadableFile
from prism.pixels.file_formats import is_picture

MOST_FOLDERS = 5_000
MOST_FILES = 500_000
_VERSION_AT_END = re.compile(r"(^|[^A-Za-z])[vV]\d+$")
_COUNTED = re.compile("[0-9]")
# Ends of lines, digits of other scripts, and what fileseq takes for folders: such a name is cut at no number.
_ODD = re.compile(r"[\x00-\x1f\x7f\\]|(?![0-9])\d")
_MINUS = re.compile(r"[._]$")


@dataclass(frozen=True, slots=True)
class FileFacts:
    """What the folder says, without opening it. modified: nanoseconds since 1970."""

    size: int
    modified: int


@dataclass(frozen=True)
class Sequence:
    """Files `head` FRAME `suffix` of one folder. A picture without a frame number is a still: its one frame is None."""

    folder: Path
    head: str
    padding: int  # digits of the shortest numbers, the minus sign included; 0 for a still
    suffix: str  # with all that follows the frame number
    files: Mapping[int | None, FileFacts]

    @cached_property
    def frames(self) -> tuple[int, ...]:
        """Frame numbers, ascending; empty for a still."""
        return tuple(sorted(frame for frame in self.files if frame is not None))

    @property
    def is_still(self) -> bool:
        """Whether it has no frame numbers, so that it is shown on every frame."""
        return None in self.files

    @property
    def pattern(self) -> str:
        """Its name with # for every digit of the padding."""
        return f"{self.head}{'#' * self.padding}{self.suffix}"

    @property
    def byte_count(self) -> int:
        """The bytes of all its files."""
        return sum(facts.size for facts in self.files.values())

    def path(self, frame: int | None) -> Path:
        """The file of a frame, whether it is there or not."""
        return self.folder / file_name(self.head, self.padding, self.suffix, None if self.is_still else frame)

    @property
    def first_path(self) -> Path:
        """The path of the first frame, or the still."""
        return self.path(self.frames[0] if self.frames else None)


@dataclass(frozen=True)
class Scan:
    """The contents of a folder and those below it. others: files that are no pictures. closed: folders that may not
    be listed."""

    sequences: tuple[Sequence, ...]
    others: int = 0
    closed: tuple[Path, ...] = ()
    hidden: int = field(default=0)  # pictures whose name begins with a dot: being written, or set aside


def file_name(head: str, padding: int, suffix: str, frame: int | None) -> str:
    """The name of one file of a sequence. Padding counts the minus sign, as Python has it."""
    return f"{head}{suffix}" if frame is None else f"{head}{frame:0{padding}d}{suffix}"


def scan(folder: Path, *, below: bool = True) -> Scan:
    """The sequences in a folder and, if asked, in those below it, by folder and name. Links to folders are not
    followed.

    Raises UnreadableFile if the folder is not there or may not be read, TooLarge beyond MOST_FOLDERS or MOST_FILES.
    """
    found: list[Sequence] = []
    closed: list[Path] = []
    others = hidden = files = 0
    waiting = [Path(folder)]
    seen = 0
    while waiting:
        place = waiting.pop()
        seen += 1
        try:
            entries = _entries(place)
        except OSError as error:
            if place == Path(folder):
                raise UnreadableFile(f"Cannot be listed: {error.strerror}.", where=str(folder)) from error
            closed.append(place)
            continue
        pictures = {name: facts for name, facts in entries.pictures.items() if not name.startswith(".")}
        hidden += len(entries.pictures) - len(pictures)
        others += entries.others
        files += len(pictures)
        found += sequences_of(place, pictures)
        waiting += entries.folders if below else ()
        if seen + len(waiting) > MOST_FOLDERS or files > MOST_FILES:
            raise TooLarge(
                f"More than {MOST_FOLDERS:,} folders or {MOST_FILES:,} pictures are below it.",
                where=str(folder),
                advice="Choose a folder with the passes of one shot.",
            )
    found.sort(key=lambda sequence: (str(sequence.folder), sequence.head, sequence.suffix, sequence.padding))
    return Scan(tuple(found), others, tuple(closed), hidden)


def around(path: Path) -> Scan:
    """The sequence that one file belongs to, alone. Raises UnreadableFile if it is not there or no picture."""
    path = Path(path)
    if not path.is_file():
        raise UnreadableFile("There is no such file.", where=str(path))
    beside = scan(path.parent, below=False)
    own = [sequence for sequence in beside.sequences if path in map(sequence.path, sequence.files)]
    if not own:
        raise UnreadableFile("This is not a picture.", where=str(path), advice="Name an EXR file or another picture.")
    return Scan(tuple(own))


def single(path: Path) -> Sequence:
    """One file taken by itself, whatever lies beside it. Raises UnreadableFile."""
    path = Path(path)
    try:
        status = path.stat()
    except OSError as error:
        raise UnreadableFile(f"Cannot be read: {error.strerror}.", where=str(path)) from error
    return next(sequences_of(path.parent, {path.name: FileFacts(status.st_size, status.st_mtime_ns)}))


@dataclass(frozen=True, slots=True)
class _Entries:
    pictures: Mapping[str, FileFacts]
    folders: list[Path]
    others: int


def _entries(folder: Path) -> _Entries:
    pictures: dict[str, FileFacts] = {}
    folders: list[Path] = []
    others = 0
    with os.scandir(folder) as listed:
        for entry in listed:
            if entry.is_dir(follow_symlinks=False):
                if not entry.name.startswith("."):
                    folders.append(Path(entry.path))
            elif is_picture(entry.name):
                try:
                    status = entry.stat()
                except OSError:  # went away, or a link to nowhere
                    continue
                pictures[entry.name] = FileFacts(status.st_size, status.st_mtime_ns)
            else:
                others += not entry.name.startswith(".")
    return _Entries(pictures, folders, others)


def sequences_of(folder: Path, pictures: Mapping[str, FileFacts]) -> Iterator[Sequence]:
    """The names of one folder sorted into sequences and stills."""
    groups: dict[tuple[str, int, str], dict[int | None, FileFacts]] = defaultdict(dict)
    numbered: dict[str, FileFacts] = {}
    for name, facts in pictures.items():
        stem, _, _ = name.rpartition(".")
        if _VERSION_AT_END.search(stem) or not _COUNTED.search(stem) or _ODD.search(name):
            groups[stem, 0, name[len(stem) :]][None] = facts
        else:
            numbered[name] = facts
    for cut in fileseq.FileSequence.yield_sequences_in_list(list(numbered), pad_style=fileseq.PAD_STYLE_HASH1):
        _add(groups, cut, numbered)
    for name, facts in numbered.items():  # those that do not come back from their cut, such as `a-0.exr`
        stem = name.rpartition(".")[0]
        groups[stem, 0, name[len(stem) :]][None] = facts
    for (head, padding, suffix), files in groups.items():
        yield Sequence(Path(folder), head, padding, suffix, dict(sorted(files.items(), key=lambda item: item[0] or 0)))


def _add(groups, cut: fileseq.FileSequence, pictures: dict[str, FileFacts]) -> None:
    """Move the files of one cut from the pictures into the groups, by the rules above."""
    head, suffix, padding = cut.basename(), cut.extension(), cut.zfill()
    numbers = cut.frameSet()
    frames = [None] if numbers is None else [int(frame) for frame in numbers]
    for frame in frames:
        if frame is None:
            if facts := pictures.pop(head + suffix, None):
                groups[head, 0, suffix][None] = facts
            continue
        number = f"{frame:0{padding}d}"
        facts = pictures.pop(head + number + suffix, None)
        if facts is None:
            continue
        if frame < 0 and not _MINUS.search(head):
            groups[f"{head}-", padding - 1, suffix][-frame] = facts
        elif _VERSION_AT_END.search(head + number):
            groups[head + number, 0, suffix][None] = facts
        else:
            groups[head, padding, suffix][frame] = facts
