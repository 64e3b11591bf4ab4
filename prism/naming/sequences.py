"""Image sequences on disk: files whose names differ only in the last number before the suffix."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from prism.errors import UnreadableFile

# A hyphen is a minus only after a dot or underscore: a.-3.exr is frame -3, a-0003.exr is frame 3.
_NUMBERED = re.compile(r"(?P<head>.*?)(?P<frame>(?<=[._])-\d+|\d+)(?P<suffix>\.[A-Za-z0-9]+)")


@dataclass(frozen=True, slots=True)
class Sequence:
    """Files `head` FRAME `suffix` of one folder. A single file without a number is a sequence without frames."""

    head: str
    suffix: str
    files: tuple[tuple[int, Path], ...]  # by frame

    @property
    def frames(self) -> list[int]:
        """Frame numbers, ascending."""
        return [frame for frame, _ in self.files]


DEPTH = 3  # folders below one another that may hold the passes of one image
MOST_FOLDERS = 500


def sequences_below(folder: Path) -> list[Sequence]:
    """The sequences in a folder or, if it has none of its own, in those below it: a folder for each pass.

    Raises UnreadableFile if the folder is not there, may not be read, or has very many others below it.
    """
    level = [Path(folder)]
    for _ in range(DEPTH):
        found = [sequence for place in level for sequence in find_sequences(place)]
        if found:
            return found
        level = [below for place in level for below in sorted(place.iterdir()) if _is_open_folder(below)]
        if len(level) > MOST_FOLDERS:
            raise UnreadableFile(
                f"More than {MOST_FOLDERS} folders lie below.",
                where=str(folder),
                advice="Choose one that holds passes.",
            )
    return []


def _is_open_folder(path: Path) -> bool:
    return path.is_dir() and not path.name.startswith(".") and not path.is_symlink()


def find_sequences(folder: Path, suffixes: frozenset[str] = frozenset({".exr"})) -> list[Sequence]:
    """The sequences in one folder, sorted by name; hidden files (those being written) are left out.

    Raises UnreadableFile if the folder is not there or may not be read.
    """
    try:
        names = sorted(path.name for path in Path(folder).iterdir() if path.is_file())
    except OSError as error:
        raise UnreadableFile(f"Cannot be listed: {error.strerror}.", where=str(folder)) from error
    found: dict[tuple[str, str], dict[int, Path]] = {}
    for name in names:
        match = _NUMBERED.fullmatch(name)
        if name.startswith(".") or match is None or match["suffix"].lower() not in suffixes:
            continue
        found.setdefault((match["head"], match["suffix"]), {})[int(match["frame"])] = Path(folder) / name
    return [Sequence(head, suffix, tuple(sorted(files.items()))) for (head, suffix), files in sorted(found.items())]
