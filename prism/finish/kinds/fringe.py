"""Fringe: red and blue spread a little differently from green, as a simple lens does it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only
from prism.fields import PIXELS, Shown
from prism.finish.base import WORKS_ON, Domain, FinishStep, Number
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
    works_on: Annotated[Domain, WORKS_ON] = "light"
    red: Annotated[Push, Shown(title="red", **PIXELS)] = 1.0
    blue: Annotated[Push, Shown(title="blue", **PIXELS)] = -1.0

    @property
    def is_neutral(self) -> bool:
        """Without a push."""
        return self.red == self.blue == 0

    def reach(self, picture: Picture) -> float:
        """The reach of the larger push and the filter."""
        return max(abs(self.red), abs(self.blue)) * 2 + 3 * picture.step

    def in_words(self) -> Iterable[str]:
        """How far the channels are pushed."""
        return (f"red {self.red:+g} px, blue {self.blue:+g} px",)

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): green and alpha stay as they are."""
        display, step = picture.display_window, picture.step
        corner = math.hypot(display.width, display.height) / 2
        middle_x = (display.width / 2 + display.x0 - picture.window.x0) / step
        middle_y = (display.height / 2 + display.y0 - picture.window.y0) / step
        out, clean = picture.rgba.copy(), finite(picture.rgba)[:3]
        for channel, push in ((0, self.red), (2, self.blue)):
            if push:
                scale = 1 / (1 + push / corner)
                _push(out[channel], read_only(clean[channel]), middle_x, middle_y, scale)
        return out


def _push(out: NDArray[np.float32], plane: NDArray[np.float32], x: float, y: float, scale: float) -> None:
    """A plane scaled about a place: along rows, then down the columns."""
    half = np.empty_like(plane)
    run_bands(lambda a, b: _across(half, plane, np.float32(x), np.float32(scale), a, b), len(out), BAND_ROWS)
    run_bands(lambda a, b: _down(out, half, np.float32(y), np.float32(scale), a, b), len(out), BAND_ROWS)


@compiled
def _cubic(a, b, c, d, t):
    """Catmull and Rom's cubic between b and c, kept between them."""
    half = np.float32(0.5)
    value = b + half * t * (c - a + t * (np.float32(2) * a - np.float32(5) * b + np.float32(4) * c - d
                                          + t * (np.float32(3) * (b - c) + d - a)))  # fmt: skip
    return min(max(value, min(b, c)), max(b, c))


@compiled
def _place(at, middle, scale):
    """Where a pixel is read, along one side: the pixel before, and how far after its middle."""
    half = np.float32(0.5)
    v = (np.float32(at) + half - middle) * scale + middle - half
    first = int(np.floor(v))
    return first, v - np.float32(first)


@compiled
def _across(out, plane, middle, scale, begin, end):
    """Rows begin..end read between their pixels; the border goes on outside."""
    last = plane.shape[1] - 1
    for column in range(plane.shape[1]):
        first, t = _place(column, middle, scale)
        a, b = min(max(first - 1, 0), last), min(max(first, 0), last)
        c, d = min(max(first + 1, 0), last), min(max(first + 2, 0), last)
        for row in range(begin, end):
            out[row, column] = _cubic(plane[row, a], plane[row, b], plane[row, c], plane[row, d], t)


@compiled
def _down(out, plane, middle, scale, begin, end):
    """The same down the columns."""
    last = plane.shape[0] - 1
    for row in range(begin, end):
        first, t = _place(row, middle, scale)
        a, b = plane[min(max(first - 1, 0), last)], plane[min(max(first, 0), last)]
        c, d = plane[min(max(first + 1, 0), last)], plane[min(max(first + 2, 0), last)]
        for column in range(plane.shape[1]):
            out[row, column] = _cubic(a[column], b[column], c[column], d[column], t)
