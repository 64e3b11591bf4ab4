"""Fringe: red and blue spread a little differently from green, as a simple lens does it."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.fields import PIXELS, Shown
from prism.finish.base import Domain, FinishStep, Number
from prism.finish.context import Context
from prism.finish.planes import finite
from prism.keyed import Within
from prism.pixels.picture import Picture

BAND_ROWS = 32
Push = Annotated[Number, Within(-200, 200)]


class FringeStep(FinishStep):
    """red, blue: pixels at the corners by which those channels are pushed outwards, less towards the middle in
    proportion. They are read between pixels by cubics (Catmull & Rom) that stay within the four nearest values."""

    title: ClassVar[str] = "fringe"
    meaning: ClassVar[str] = "red and blue edges towards the corners"
    domains: ClassVar[tuple[Domain, ...]] = ("light", "display")

    kind: Literal["fringe"] = "fringe"
    works_on: Annotated[Domain, Shown(title="works on")] = "light"
    red: Annotated[Push, Shown(title="red", **PIXELS)] = 1.0
    blue: Annotated[Push, Shown(title="blue", **PIXELS)] = -1.0

    @property
    def is_neutral(self) -> bool:
        """Without a push."""
        return self.red == self.blue == 0

    def reach(self, picture: Picture) -> float:
        """Of the larger push and the filter."""
        return max(abs(self.red), abs(self.blue)) * 2 + 3 * picture.step

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): green and alpha stay as they are."""
        display, step = picture.display_window, picture.step
        corner = math.hypot(display.width, display.height) / 2
        middle_x = (display.width / 2 + display.x0 - picture.window.x0) / step
        middle_y = (display.height / 2 + display.y0 - picture.window.y0) / step
        out, clean = picture.rgba.copy(), finite(picture.rgba[:3])
        for channel, push in ((0, self.red), (2, self.blue)):
            if push:
                scale = 1 / (1 + push / corner)
                _push(out[channel], np.ascontiguousarray(clean[channel]), middle_x, middle_y, scale)
        return out


def _push(out: NDArray[np.float32], plane: NDArray[np.float32], x: float, y: float, scale: float) -> None:
    how = np.float32(x), np.float32(y), np.float32(scale)
    run_bands(lambda begin, end: _scaled(out, plane, *how, begin, end), len(out), BAND_ROWS)


@compiled
def _cubic(a, b, c, d, t):
    """Catmull and Rom's cubic between b and c, kept between them."""
    half = np.float32(0.5)
    value = b + half * t * (c - a + t * (np.float32(2) * a - np.float32(5) * b + np.float32(4) * c - d
                                          + t * (np.float32(3) * (b - c) + d - a)))  # fmt: skip
    return min(max(value, min(b, c)), max(b, c))


@compiled
def _scaled(out, plane, x, y, scale, begin, end):
    """Rows begin..end of a plane scaled about a place x, y; the border goes on outside."""
    height, width = plane.shape
    half = np.float32(0.5)
    for row in range(begin, end):
        v = (np.float32(row) + half - y) * scale + y - half
        top = int(np.floor(v))
        t = v - np.float32(top)
        r0, r1 = min(max(top - 1, 0), height - 1), min(max(top, 0), height - 1)
        r2, r3 = min(max(top + 1, 0), height - 1), min(max(top + 2, 0), height - 1)
        for column in range(width):
            u = (np.float32(column) + half - x) * scale + x - half
            left = int(np.floor(u))
            s = u - np.float32(left)
            c0, c1 = min(max(left - 1, 0), width - 1), min(max(left, 0), width - 1)
            c2, c3 = min(max(left + 1, 0), width - 1), min(max(left + 2, 0), width - 1)
            out[row, column] = _cubic(
                _cubic(plane[r0, c0], plane[r0, c1], plane[r0, c2], plane[r0, c3], s),
                _cubic(plane[r1, c0], plane[r1, c1], plane[r1, c2], plane[r1, c3], s),
                _cubic(plane[r2, c0], plane[r2, c1], plane[r2, c2], plane[r2, c3], s),
                _cubic(plane[r3, c0], plane[r3, c1], plane[r3, c2], plane[r3, c3], s),
                t,
            )
