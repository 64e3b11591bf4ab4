"""Smear: what moves while the shutter is open."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only
from prism.documents import SourceName
from prism.fields import Shown
from prism.finish.base import WHOLE, FinishStep, Number
from prism.finish.context import Context
from prism.finish.planes import finite
from prism.keyed import Within
from prism.pixels.picture import Picture

MOST_TAPS = 129
LONGEST = 256.0  # pixels of the picture that a way is cut off at
BAND_ROWS = 16


class SmearStep(FinishStep):
    """Every pixel is the mean of the picture along its own motion (x right, y down, in pixels of the full picture from
    one frame to the next), over the share of a frame that the shutter is open, half before and half after. Read between
    pixels, about one tap for each pixel of the way."""

    title: ClassVar[str] = "smear"
    meaning: ClassVar[str] = "motion while the shutter is open, by a motion pass"
    source_fields: ClassVar[tuple[str, ...]] = ("motion",)

    kind: Literal["smear"] = "smear"
    motion: Annotated[SourceName, Shown(title="motion", lists="motions")]
    shutter: Annotated[Number, Within(0, 4), Shown(title="shutter", unit="frames")] = 0.5

    @property
    def is_neutral(self) -> bool:
        """With a shutter that never opens."""
        return self.shutter == 0

    def reach(self, picture: Picture) -> float:
        """The whole way that anything moves."""
        return WHOLE

    def cost(self, step: int) -> float:
        """The cost of ways as long as they can be."""
        return 8 * MOST_TAPS

    def in_words(self) -> Iterable[str]:
        """How long the shutter is open."""
        return (f"shutter {self.shutter:g}",)

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): alpha is smeared as well."""
        moved = context.pixels(self.motion, picture)[:2] * np.float32(self.shutter / picture.step)
        moved = np.nan_to_num(moved, nan=0.0, posinf=0.0, neginf=0.0)
        clean = read_only(np.ascontiguousarray(finite(picture.rgba)))
        out = np.empty_like(clean)
        run_bands(lambda begin, end: _smeared(out, clean, moved, begin, end), out.shape[1], BAND_ROWS)
        return out


@compiled
def _smeared(out, rgba, moved, begin, end):
    height, width = rgba.shape[1:]
    for row in range(begin, end):
        for column in range(width):
            across, down = moved[0, row, column], moved[1, row, column]
            long = np.sqrt(across * across + down * down)
            if long < np.float32(0.01):
                for channel in range(4):
                    out[channel, row, column] = rgba[channel, row, column]
                continue
            if long > LONGEST:
                across, down, long = across * (LONGEST / long), down * (LONGEST / long), np.float32(LONGEST)
            taps = min(MOST_TAPS, int(long) + 2)
            for channel in range(4):
                out[channel, row, column] = 0
            for tap in range(taps):
                share = (np.float32(tap) + np.float32(0.5)) / np.float32(taps) - np.float32(0.5)
                u = min(max(np.float32(column) + across * share, np.float32(0)), np.float32(width - 1))
                v = min(max(np.float32(row) + down * share, np.float32(0)), np.float32(height - 1))
                left, top = int(u), int(v)
                right, below = min(left + 1, width - 1), min(top + 1, height - 1)
                s, t = u - np.float32(left), v - np.float32(top)
                for channel in range(4):
                    upper = rgba[channel, top, left] * (1 - s) + rgba[channel, top, right] * s
                    lower = rgba[channel, below, left] * (1 - s) + rgba[channel, below, right] * s
                    out[channel, row, column] += upper * (1 - t) + lower * t
            for channel in range(4):
                out[channel, row, column] /= np.float32(taps)
