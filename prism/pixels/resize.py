"""Planes brought to another size."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow


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
