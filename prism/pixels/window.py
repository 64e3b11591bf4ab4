"""Pixel windows: inclusive boxes, as OpenEXR counts them. (0, 0) is top left and y grows downwards."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.errors import SizeMismatch

PIXEL_LIMIT = 1 << 27  # of a data or display window: 134 million, a panorama of 16,384 x 8,192


@dataclass(frozen=True, slots=True)
class Window:
    """An inclusive box of pixels; a window of one pixel has x0 == x1 and y0 == y1."""

    x0: int
    y0: int
    x1: int
    y1: int

    def __post_init__(self) -> None:
        if self.x1 < self.x0 or self.y1 < self.y0:
            raise SizeMismatch(f"A window from {self.x0},{self.y0} to {self.x1},{self.y1} has no pixels.")

    @classmethod
    def of_size(cls, width: int, height: int) -> Window:
        """The window with its upper left pixel at 0, 0."""
        return cls(0, 0, width - 1, height - 1)

    @property
    def width(self) -> int:
        """In pixels; both ends count."""
        return self.x1 - self.x0 + 1

    @property
    def height(self) -> int:
        """In pixels; both ends count."""
        return self.y1 - self.y0 + 1

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns, as an array of this window has them."""
        return self.height, self.width

    def union(self, other: Window) -> Window:
        """The smallest window that holds both."""
        return Window(min(self.x0, other.x0), min(self.y0, other.y0), max(self.x1, other.x1), max(self.y1, other.y1))

    def intersection(self, other: Window) -> Window | None:
        """What lies in both; None if nothing does."""
        x0, y0 = max(self.x0, other.x0), max(self.y0, other.y0)
        x1, y1 = min(self.x1, other.x1), min(self.y1, other.y1)
        return Window(x0, y0, x1, y1) if x0 <= x1 and y0 <= y1 else None

    def moved(self, across: int, down: int) -> Window:
        """The same window elsewhere."""
        return Window(self.x0 + across, self.y0 + down, self.x1 + across, self.y1 + down)

    def slices_in(self, outer: Window) -> tuple[slice, slice]:
        """Where this window's rows and columns lie in an array of `outer`, which must hold it."""
        top, left = self.y0 - outer.y0, self.x0 - outer.x0
        return slice(top, top + self.height), slice(left, left + self.width)

    def as_box(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Its corners (x, y) as OpenEXR's own binding takes them."""
        return np.array([self.x0, self.y0], np.int32), np.array([self.x1, self.y1], np.int32)

    def __str__(self) -> str:
        return f"{self.width} x {self.height} at {self.x0},{self.y0}"
