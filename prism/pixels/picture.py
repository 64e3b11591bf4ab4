"""The picture value: what a ledger is evaluated to, and what viewing, balance, finishing and delivery take."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from prism.errors import BadArgument
from prism.pixels.window import Window


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Picture:
    """rgba: float32 (4, H, W), premultiplied and scene-linear in `space`, over the data window with every side divided
    by `step` and rounded up; nothing is clamped. window, display_window: in full pixels. pixel_aspect: width of a pixel
    by its height."""

    rgba: NDArray[np.float32]
    window: Window
    display_window: Window
    step: int = 1
    pixel_aspect: float = 1.0
    space: str = "lin_rec709"

    def __post_init__(self) -> None:
        if getattr(self.rgba, "dtype", None) != np.float32 or self.rgba.ndim != 3 or len(self.rgba) != 4:
            given = f"{getattr(self.rgba, 'dtype', type(self.rgba).__name__)} {getattr(self.rgba, 'shape', '')}".strip()
            advice = "Give R, G, B and A as numpy.float32, premultiplied and scene-linear."
            raise BadArgument(f"A picture is float32 (4, H, W), not {given}.", where="rgba", advice=advice)

    def with_rgba(self, rgba: NDArray[np.float32]) -> Picture:
        """The same place with other values, float32 (4, H, W)."""
        return replace(self, rgba=rgba)

    @property
    def on_display(self) -> NDArray[np.float32]:
        """float32 (4, h, w): the part in the display window; 0 outside the data window."""
        return on_display(self.rgba, self.window, self.display_window, self.step)

    @property
    def mean(self) -> float:
        """The mean of all values of R, G and B."""
        return float(self.rgba[:3].mean(dtype=np.float64))


def on_display(planes: NDArray, window: Window, display: Window, step: int = 1) -> NDArray:
    """The part of (C, H, W) planes of a window that lies in a display window; 0 outside of them."""
    if window == display:
        return planes
    both = window.union(display)
    sides = zip(window.slices_in(both), display.slices_in(both), planes.shape[1:], strict=True)
    (rows, from_rows, height), (columns, from_columns, width) = (_overlap(*side, step) for side in sides)
    shown = np.zeros((len(planes), height, width), planes.dtype)
    shown[:, rows, columns] = planes[:, from_rows, from_columns]
    return shown


def _overlap(stored: slice, wanted: slice, count: int, step: int) -> tuple[slice, slice, int]:
    """Along one side: where what is stored falls in what is wanted, which part of it does, and how long the wanted is.

    stored, wanted: in pixels from a common origin. count: of small pixels stored. step: pixels for one of them.
    """
    begin, end = stored.start // step, stored.start // step + count
    first, length = wanted.start // step, -(-(wanted.stop - wanted.start) // step)
    low = min(max(begin, first), first + length)
    high = max(low, min(end, first + length))
    return slice(low - first, high - first), slice(low - begin, high - begin), length
