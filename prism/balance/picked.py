"""Frames made of another frame: a handful of its pixels, or one of its sources changed. For trying what would explain a
residue."""

from __future__ import annotations

from collections.abc import Callable, Hashable

import numpy as np
from numpy.typing import NDArray

from prism.pixels.window import Window
from prism.sources.pixels import Frame, FramePart, Pixels

Change = Callable[[Pixels], Pixels]


class Picked(FramePart):
    """Some pixels of a frame in one row. places: (N,) numbers of pixels, row by row."""

    def __init__(self, frame: Frame, places: NDArray[np.int64]) -> None:
        super().__init__(frame, Window(0, 0, max(0, len(places) - 1), 0))
        self._places = places
        self._changed: dict[str, Change] = {}
        self._picks: dict[str, Pixels] = {}

    def with_change(self, key: str, change: Change) -> Picked:
        """The same pixels, one source changed."""
        other = Picked(self.whole, self._places)
        other._changed = {**self._changed, key: change}
        other._picks = self._picks
        return other

    def with_shift(self, key: str, x: int, y: int) -> tuple[Picked, NDArray[np.bool_]]:
        """The same pixels, one source taken from so many pixels further right and down; and which of them, (1, N), have
        such a pixel."""
        height, width = self.whole.shape()
        rows, columns = np.divmod(self._places, width)
        rows, columns = rows + y, columns + x
        inside = (rows >= 0) & (rows < height) & (columns >= 0) & (columns < width)
        places = np.clip(rows, 0, height - 1) * width + np.clip(columns, 0, width - 1)
        return self.with_change(key, lambda _: self._pick(key, places)), inside[np.newaxis]

    def with_nudge(self, key: str, factor: np.float32) -> Picked:
        """The same pixels, the colour of one source multiplied before it is changed: to see what becomes of
        rounding."""

        def nudged(pixels: Pixels) -> Pixels:
            planes = tuple(plane.astype(np.float32) * factor for plane in pixels.planes)
            moved = Pixels(planes, pixels.alpha)
            return self._changed[key](moved) if key in self._changed else moved

        return self.with_change(key, nudged)

    def with_mirror(self, key: str, *, across: bool, down: bool) -> Picked:
        """The same pixels, one source mirrored in the picture."""
        height, width = self.whole.shape()
        rows, columns = np.divmod(self._places, width)
        places = (height - 1 - rows if down else rows) * width + (width - 1 - columns if across else columns)
        return self.with_change(key, lambda _: self._pick(key, places))

    def of(self, frame: Frame) -> Picked:
        """The same places of another frame."""
        return Picked(frame, self._places)

    def _pick(self, key: str, places: NDArray[np.int64]) -> Pixels:
        pixels = self.whole.pixels(key)
        planes = tuple(plane.reshape(-1)[places][np.newaxis] for plane in pixels.planes)
        return Pixels(planes, None if pixels.alpha is None else pixels.alpha.reshape(-1)[places][np.newaxis])

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """The pixels that were picked, whatever the step."""
        if key not in self._picks:
            self._picks[key] = self._pick(key, self._places)
        picked = self._picks[key]
        return self._changed[key](picked) if key in self._changed else picked

    def cut(self, plane: NDArray) -> NDArray:
        """The pixels (1, N) of a plane (H, W) of the whole."""
        return plane.reshape(-1)[self._places][np.newaxis]

    def shape(self, step: int = 1) -> tuple[int, int]:
        """One row."""
        return 1, len(self._places)

    def at(self, number: int) -> Picked:
        """The same places of another frame, nothing changed."""
        return self.of(self.whole.at(number))

    def identity(self) -> Hashable:
        """The identity of the whole frame and the pixels; never the same twice if a source is changed."""
        return self.whole.identity(), self._places.tobytes(), id(self) if self._changed else None


def mapped(change: Callable[[NDArray[np.float32]], NDArray[np.float32]]) -> Change:
    """A change of colour, (3, H, W) to (3, H, W); alpha stays."""

    def apply(pixels: Pixels) -> Pixels:
        with np.errstate(all="ignore"):
            colour = change(np.stack(pixels.planes).astype(np.float32)).astype(np.float32)
        return Pixels(tuple(colour), None if pixels.alpha is None else pixels.alpha.astype(np.float32))

    return apply
