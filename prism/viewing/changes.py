"""What a step of a finish changes of the picture as it is shown: how much, and where."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.pixels.window import Window

_LUMA = (0.2126, 0.7152, 0.0722)  # Rec. ITU-R BT.709
# From no change to the largest one: black, a dark ember, orange, white.
_STOPS = (0.0, 0.35, 0.75, 1.0)
_TONES = ((0, 96, 255, 255), (0, 36, 154, 255), (0, 12, 60, 255))  # red, green, blue


@dataclass(frozen=True, slots=True)
class Change:
    """Between two pictures of display bytes.

    share: of the pixels, 0 to 1, that differ by a code of 8 bits at least. mean: of the luma (BT.709) over all pixels,
    in codes; brighter is positive. largest: in the channel that changes most, in codes with its sign, at the pixel
    x, y of the frame.
    """

    share: float
    mean: float
    largest: int
    x: int
    y: int

    def in_words(self) -> str:
        """The numbers in a line, in codes of 255; that nothing changes, if so."""
        if self.largest == 0:
            return "changes nothing in this frame"
        share = "under 1 %" if self.share < 0.01 else f"{self.share * 100:.0f} %"
        mean = round(self.mean, 1) + 0.0  # never -0.0
        return f"{share} · mean {mean:+.1f} · most {self.largest:+d} at {self.x}, {self.y}"


def change_between(before: NDArray[np.uint8], after: NDArray[np.uint8], window: Window, *, step: int) -> Change:
    """What differs between two pictures (h, w, 3) of every `step`-th pixel of a window."""
    moved = after.astype(np.int16) - before
    most = _most(moved)
    row, column = np.unravel_index(most.argmax(), most.shape)
    there = moved[row, column]
    return Change(
        share=float((most > 0).mean()),
        mean=sum(weight * float(moved[..., place].mean()) for place, weight in enumerate(_LUMA)),
        largest=int(there[np.abs(there).argmax()]),
        x=min(window.x0 + int(column) * step, window.x1 - 1),
        y=min(window.y0 + int(row) * step, window.y1 - 1),
    )


def where_it_changes(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The change of every pixel as display bytes (h, w, 3): black where there is none, white where it is largest; by
    its root, so that small ones are seen beside large ones."""
    most = _most(after.astype(np.int16) - before)
    part = np.sqrt(most / max(int(most.max()), 1))
    return np.stack([np.interp(part, _STOPS, tones) for tones in _TONES], axis=-1).round().astype(np.uint8)


def _most(moved: NDArray[np.int16]) -> NDArray[np.int16]:
    """(h, w): the largest of three channels. Two planes at a time: along an axis of three it takes far longer."""
    red, green, blue = np.moveaxis(np.abs(moved), -1, 0)
    return np.maximum(np.maximum(red, green), blue)
