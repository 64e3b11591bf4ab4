"""Where pictures lie: ways across the picture for gradients and wipes, and overlays pushed, scaled and cropped."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.elements.pixels import Frame

BAND_ROWS = 64
Way = tuple[float, float, float, float]


def way_across(frame: Frame, step: int, angle: float) -> Way:
    """(n0, n1, n2, 0): of a pixel x, y of the frame's planes, n0 x + n1 y + n2 goes from 0 to 1 across the picture along an angle.

    angle: degrees, 0 from left to right, 90 from top to bottom. The way begins and ends at the corners furthest apart.
    """
    display = frame.display_window
    right, down = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    length = abs(right) * display.width + abs(down) * display.height
    # Middle of a pixel of the planes, from the middle of the picture, in full pixels.
    x0, y0 = _from_middle(frame, step)
    return right * step / length, down * step / length, (right * x0 + down * y0) / length + 0.5, 0.0


def way_outwards(frame: Frame, step: int) -> Way:
    """(n0, n1, n2, n3): the length of (n0 x + n2, n1 y + n3) is 0 in the middle of the picture and 1 in its corners."""
    display = frame.display_window
    x0, y0 = _from_middle(frame, step)
    half = math.sqrt(2) / 2
    across, down = half * display.width, half * display.height
    return step / across, step / down, x0 / across, y0 / down


def _from_middle(frame: Frame, step: int) -> tuple[float, float]:
    window, display = frame.window, frame.display_window
    return (
        window.x0 - display.x0 + step / 2 - display.width / 2,
        window.y0 - display.y0 + step / 2 - display.height / 2,
    )


def placed(plane: NDArray, frame: Frame, step: int, *, x: float, y: float, scale: float, crop: tuple) -> NDArray:
    """A plane (H, W) pushed and scaled about the middle of the picture, float32: bilinear, 0 outside and where it is cropped.

    x, y: full pixels. crop: shares cut off at the left, top, right and bottom of the picture, before it is pushed. A push by whole
    pixels alone keeps every bit.
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
    """Rows first..end of a plane. middle: the point that scaling leaves where it is, counted in pixels from the first one's middle."""
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
