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
