"""Where pictures lie: ways across the picture for gradients and wipes, and overlays pushed, scaled and cropped."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.sources.pixels import Frame

BAND_ROWS = 64


def across(frame: Frame, step: int, angle: float) -> NDArray[np.float32]:
    """(H, W): how far each pixel lies across the picture along an angle, 0 to 1 between the corners furthest apart.

    angle: degrees, 0 from left to right, 90 from top to bottom.
    """
    display = frame.display_window
    right, down = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    length = abs(right) * display.width + abs(down) * display.height
    x, y = _middles(frame, step)
    return (right / length * x + (down / length * y + 0.5)).astype(np.float32)


def outwards(frame: Frame, step: int) -> NDArray[np.float32]:
    """(H, W): 0 in the middle of the picture, 1 in its corners."""
    display = frame.display_window
    x, y = _middles(frame, step)
    return (np.hypot(x / display.width, y / display.height) * math.sqrt(2)).astype(np.float32)


def ramp(way: NDArray[np.float32], begin: float, end: float) -> NDArray[np.float32]:
    """(H, W): from 0 at `begin` to 1 at `end` of a way; where they are the same it leaps."""
    if begin == end:
        return (way >= np.float32(begin)).astype(np.float32)
    return ((way - np.float32(begin)) / np.float32(end - begin)).clip(0, 1)


def _middles(frame: Frame, step: int) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    """x (1, W) and y (H, 1) of the middles of pixels, in full pixels from the middle of the picture."""
    x0, y0 = _from_middle(frame, step)
    height, width = frame.shape(step)
    return x0 + step * np.arange(width)[np.newaxis], y0 + step * np.arange(height)[:, np.newaxis]


def _from_middle(frame: Frame, step: int) -> tuple[float, float]:
    """The place of the first pixel."""
    window, display = frame.window, frame.display_window
    return (
        window.x0 - display.x0 + step / 2 - display.width / 2,
        window.y0 - display.y0 + step / 2 - display.height / 2,
    )


def placed(plane: NDArray, frame: Frame, step: int, *, x: float, y: float, scale: float, crop: tuple) -> NDArray:
    """A plane (H, W) pushed and scaled about the middle of the picture, float32: bilinear, 0 outside and where it is
    cropped.

    x, y: full pixels. crop: shares cut off at the left, top, right and bottom of the picture, before it is pushed. A
    push by whole pixels alone keeps every bit.
    """
    x0, y0 = _from_middle(frame, step)
    middle = -x0 / step, -y0 / step
    display, window = frame.display_window, frame.window
    left, top = (display.x0 - window.x0) / step, (display.y0 - window.y0) / step
    wide, high = display.width / step, display.height / step
    box = np.array(
        [left + crop[0] * wide, top + crop[1] * high, left + (1 - crop[2]) * wide, top + (1 - crop[3]) * high],
        np.float64,
    )
    out = np.empty(plane.shape, np.float32)
    source = plane.astype(np.float32, copy=False)
    whole = crop == (0, 0, 0, 0)

    def work(first: int, end: int) -> None:
        sample(out, source, first, end, middle[0], middle[1], x / step, y / step, scale, box, whole)

    run_bands(work, plane.shape[0], BAND_ROWS)
    return out


@compiled
def sample(out, source, first, end, middle_x, middle_y, x, y, scale, box, whole):
    """Rows first..end of a plane. middle: the point that scaling leaves where it is, counted in pixels from the first
    one's middle."""
    height, width = source.shape
    for row in range(first, end):
        down = (row - middle_y - y) / scale + middle_y
        r = np.floor(down)
        v = np.float32(down - r)
        for column in range(width):
            across = (column - middle_x - x) / scale + middle_x
            c = np.floor(across)
            u = np.float32(across - c)
            inside = whole or (box[0] <= across + 0.5 <= box[2] and box[1] <= down + 0.5 <= box[3])
            total = np.float32(0)
            if inside:
                for dy in range(2):
                    for dx in range(2):
                        at_row, at_column = int(r) + dy, int(c) + dx
                        weight = (v if dy else np.float32(1) - v) * (u if dx else np.float32(1) - u)
                        if weight != 0 and 0 <= at_row < height and 0 <= at_column < width:
                            total += weight * source[at_row, at_column]
            out[row, column] = total
