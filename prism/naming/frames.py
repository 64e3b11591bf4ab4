"""Frame lists as people write them: `1001`, `1-50`, `0-100x25`, `5,8,12-20`. Ends are inclusive; 0-100 is 101 frames."""

from __future__ import annotations

import re
from collections.abc import Iterable

from prism.errors import BadArgument

FRAME_LIMIT = 1_000_000
_ITEM = re.compile(r"(-?\d+)(?:-(-?\d+)(?:x(\d+))?)?")


def parse_frames(text: str) -> list[int]:
    """The frames a list names, in its order, each once. Raises BadArgument pointing at the bad piece."""
    frames: dict[int, None] = {}
    for piece in text.split(","):
        match = _ITEM.fullmatch(piece.strip())
        if match is None:
            raise BadArgument(
                f"“{piece.strip()}” is not a frame or range.",
                where="frames",
                advice="Write 1001, 1-50, 0-100x25 or a list.",
            )
        first, last, step = int(match[1]), int(match[2] or match[1]), int(match[3] or 1)
        if step == 0:
            raise BadArgument(f"“{piece.strip()}” has a step of 0.", where="frames", advice="Use a step of 1 or more.")
        if abs(last - first) // step >= FRAME_LIMIT:
            raise BadArgument(f"“{piece.strip()}” names more than {FRAME_LIMIT} frames.", where="frames")
        direction = 1 if last >= first else -1
        frames.update(dict.fromkeys(range(first, last + direction, step * direction)))
    return list(frames)


def format_frames(frames: Iterable[int]) -> str:
    """The shortest list of runs for a set of frames, ascending: [1001, 1002, 1003, 1010] is `1001-1003,1010`."""
    runs: list[list[int]] = []
    for frame in sorted(set(frames)):
        if runs and frame == runs[-1][1] + 1:
            runs[-1][1] = frame
        else:
            runs.append([frame, frame])
    return ",".join(str(first) if first == last else f"{first}-{last}" for first, last in runs)
