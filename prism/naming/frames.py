"""Frame lists as people write them: `1001`, `1-50`, `0-100x25`, `5,8,12-20`. Both ends are included: 0-100 is 101
frames."""

from __future__ import annotations

import re
from collections.abc import Iterable

from prism.errors import BadArgument

FRAME_LIMIT = 100_000  # of one list; counted before anything is expanded
TEXT_LIMIT = 10_000  # characters of a list
_ITEM = re.compile(r"(-?\d{1,9})(?:-(-?\d{1,9})(?:x(\d{1,9}))?)?")


def parse_frames(text: str, *, most: int | None = FRAME_LIMIT) -> list[int]:
    """The frames a list names, in its order, each once. most: None for lists that we wrote ourselves. Raises
    BadArgument pointing at the bad piece."""
    if most is not None and len(text) > TEXT_LIMIT:
        raise BadArgument(f"The list is {len(text)} characters long.", where="frames", advice="Write it with ranges.")
    ranges = [_range(piece.strip()) for piece in text.split(",")]
    count = sum(map(len, ranges))
    if most is not None and count > most:
        raise BadArgument(
            f"The list names {count} frames; {most} is the most.", where="frames", advice="Name fewer of them."
        )
    return list(dict.fromkeys(frame for frames in ranges for frame in frames))


def _range(piece: str) -> range:
    match = _ITEM.fullmatch(piece)
    if match is None:
        raise BadArgument(
            f"“{piece[:40]}” is not a frame or range.", where="frames", advice="Write 1001, 1-50, 0-100x25 or a list."
        )
    first, last, step = int(match[1]), int(match[2] or match[1]), int(match[3] or 1)
    if step == 0:
        raise BadArgument(f"“{piece}” has a step of 0.", where="frames", advice="Use a step of 1 or more.")
    direction = 1 if last >= first else -1
    return range(first, last + direction, step * direction)


def format_frames(frames: Iterable[int]) -> str:
    """The shortest list of runs for a set of frames, ascending: [1001, 1002, 1003, 1010] is `1001-1003,1010`."""
    runs: list[list[int]] = []
    for frame in sorted(set(frames)):
        if runs and frame == runs[-1][1] + 1:
            runs[-1][1] = frame
        else:
            runs.append([frame, frame])
    return ",".join(str(first) if first == last else f"{first}-{last}" for first, last in runs)
