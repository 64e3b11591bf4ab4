"""Pictures as backgrounds: which of their frames shows when, and how it is fitted into the picture."""

from __future__ import annotations

from bisect import bisect_right

import numpy as np
from numpy.typing import NDArray

from prism.errors import UnknownSource
from prism.ledger.steps import Behind
from prism.pixels.fitting import Side, fitted, picked, side
from prism.sources.pixels import Frame, Pixels


def number_at(numbers: tuple[int, ...], wanted: int, beyond: str) -> int | None:
    """The frame of a sequence that shows where `wanted` is asked for; None where nothing does.

    numbers: of its frames, rising. In a gap the one before stays. beyond: `hold` keeps the first and the last, `loop`
    begins again after the last, `nothing` shows nothing.
    """
    first, last = numbers[0], numbers[-1]
    if beyond == "loop":
        wanted = first + (wanted - first) % (last - first + 1)
    elif beyond == "nothing" and not first <= wanted <= last:
        return None
    return numbers[max(0, bisect_right(numbers, wanted) - 1)]


def frame_behind(behind: Behind, frame: Frame) -> Frame | None:
    """The frame of a background's picture that shows at a frame; None where nothing does. Raises UnknownSource,
    UnreadableFile."""
    clip = frame.clip(behind.source)
    if clip is None:
        raise UnknownSource(f"There is no source {behind.source}.", advice="Choose another picture for the background.")
    if not clip.numbers:
        return clip.at(frame.number)
    number = number_at(clip.numbers, frame.number - behind.delay, behind.beyond)
    return None if number is None else clip.at(number)


def laid_behind(behind: Behind, frame: Frame, size: int) -> Pixels | None:
    """A background's picture over the window of a whole frame, every side divided by `size`, its coverage as alpha;
    None where nothing shows."""
    picture = frame_behind(behind, frame)
    return None if picture is None else fitted_in(behind, picture, frame, size)


def picked_in(behind: Behind, picture: Frame, frame: Frame) -> NDArray[np.float32]:
    """The first channel of a pass that measures, (H, W), brought to the same place in full size, unfiltered."""
    wide, high = _scales(behind, picture, frame)
    down, across = _sides(behind, picture, frame, 1, 1, (high, wide))
    return picked(picture.pixels(behind.source).planes[0].astype(np.float32), across, down)


def fitted_in(behind: Behind, picture: Frame, frame: Frame, size: int) -> Pixels:
    """The frame of a background's picture that shows, as `laid_behind` has it."""
    wide, high = _scales(behind, picture, frame)
    own = 1 if size == 1 else max(1, int(size / max(wide, high)))  # a preview reads no more than it shows
    pixels = picture.pixels(behind.source, step=own)
    down, across = _sides(behind, picture, frame, size, own, (high, wide))
    cover = down.cover[:, np.newaxis] * across.cover
    done: dict[int, NDArray[np.float32]] = {}

    def lay(plane: NDArray) -> NDArray[np.float32]:
        if id(plane) not in done:
            done[id(plane)] = fitted(plane, across, down) * cover
        return done[id(plane)]

    alpha = pixels.alpha if behind.uses_alpha else None
    return Pixels(tuple(map(lay, pixels.planes)), cover if alpha is None else lay(alpha))


def _scales(behind: Behind, picture: Frame, frame: Frame) -> tuple[float, float]:
    """How many pixels of the frame one of the picture's is wide and high."""
    ours, theirs = frame.display_window, picture.display_window
    squeeze = picture.pixel_aspect / frame.pixel_aspect
    across, down = ours.width / (theirs.width * squeeze), ours.height / theirs.height
    high = {"fill": max(across, down), "inside": min(across, down), "as-is": 1.0}.get(behind.fit)
    both = (across * squeeze, down) if high is None else (high * squeeze, high)
    return both[0] * behind.scale, both[1] * behind.scale


def _sides(
    behind: Behind, picture: Frame, frame: Frame, size: int, own: int, scales: tuple[float, float]
) -> tuple[Side, Side]:
    """Down and across."""
    ours, theirs = _edges(frame), _edges(picture)
    counts = zip(frame.shape(size), picture.shape(own), strict=True)
    pushes = (behind.y, behind.x)
    down, across = (
        side(count, stored, ((edge - push) / scale - other) / own, size / scale / own)
        for (count, stored), scale, push, edge, other in zip(counts, scales, pushes, ours, theirs, strict=True)
    )
    return down, across


def _edges(frame: Frame) -> tuple[float, float]:
    """The upper and the left edge of what is held, from the middle of the picture."""
    window, display = frame.window, frame.display_window
    return window.y0 - display.y0 - display.height / 2, window.x0 - display.x0 - display.width / 2
