"""Planes brought to another size."""

from __future__ import annotations

import functools

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow

from prism.pixels.window import Window


def resized(plane: NDArray, shape: tuple[int, int], *, pick: bool) -> NDArray:
    """A plane (H, W) at `shape`: colour through a triangle filter as wide as the larger pixel, pixel centres at one
    half; data picked from the nearest pixel in its own type, never mixed."""
    if plane.shape == shape:
        return plane
    if pick:
        rows, columns = ((np.arange(new) + 0.5) * old / new for new, old in zip(shape, plane.shape, strict=True))
        return np.ascontiguousarray(plane[rows.astype(int)[:, None], columns.astype(int)])
    picture = Pillow.fromarray(np.ascontiguousarray(plane, np.float32))
    return np.asarray(picture.resize(shape[::-1], Pillow.Resampling.BILINEAR))


def scaled(plane: NDArray, shape: tuple[int, int], *, pick: bool) -> NDArray:
    """A plane (H, W) at `shape` for what goes out: through Lanczos of three lobes, as sharp as the size allows, by
    Pillow; data picked as in `resized`. Colour must be premultiplied."""
    if pick or plane.shape == shape:
        return resized(plane, shape, pick=pick)
    picture = Pillow.fromarray(np.ascontiguousarray(plane, np.float32))
    return np.array(picture.resize(shape[::-1], Pillow.Resampling.LANCZOS))


def scaled_window(window: Window, scale: float) -> Window:
    """A display window with both sides times `scale`, rounded, at least a pixel each. Its corner is 0, 0 then."""
    if scale == 1:
        return window
    return Window.of_size(*(max(1, round(side * scale)) for side in (window.width, window.height)))


def averaged(plane: NDArray, step: int) -> NDArray[np.float32]:
    """Means of the blocks of a plane (H, W); those at the right and below may be narrower."""
    if step == 1:
        return plane.astype(np.float32, copy=False)
    if not (plane.shape[0] % step or plane.shape[1] % step):
        rows = functools.reduce(np.add, (plane[row::step].astype(np.float32, copy=False) for row in range(step)))
        total = functools.reduce(np.add, (rows[:, column::step] for column in range(step)))
        return np.ascontiguousarray(total * np.float32(1 / step**2))
    for axis, side in enumerate(plane.shape):
        begins = np.arange(0, side, step)
        sizes = np.diff([*begins, side]).astype(np.float32)
        sums = np.add.reduceat(plane, begins, axis=axis, dtype=np.float32)
        plane = sums / (sizes[:, np.newaxis] if axis == 0 else sizes)
    return plane
