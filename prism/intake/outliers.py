"""Fireflies: single pixels of rendered light that outshine everything around them, as too few samples leave them.

Common practice, no source: a path that is unlikely and bright lands in one pixel of one frame. A small lamp is bright
at the same place in the frames beside, and so is a glint that moves slowly.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from prism.compiled import compiled

TIMES = 10.0  # brighter than the brightest of the eight neighbours
AGAINST_MEAN = 4.0  # times the mean of the picture, below which a bright pixel in the dark disturbs nobody
MOST = 500  # that are listed; there are no more than this in what can be repaired by hand


def outliers_of(colour: Sequence[NDArray]) -> tuple[tuple[int, int], ...]:
    """Column and row of each, row by row, at most MOST. colour: planes (H, W) of any float type, scene-linear."""
    brightest = np.zeros(colour[0].shape, np.float32)
    for plane in colour:
        np.maximum(brightest, np.nan_to_num(plane, nan=0, posinf=0, neginf=0), out=brightest)
    if min(brightest.shape) < 3:
        return ()
    least = np.float32(max(AGAINST_MEAN * float(brightest.mean(dtype=np.float64)), 1e-6))
    found = np.zeros((MOST, 2), np.int64)
    count = _outliers(brightest, np.float32(TIMES), least, found)
    return tuple((int(x), int(y)) for x, y in found[:count])


@compiled
def _outliers(plane, times, least, found):
    """How many there are, up to as many as `found` has room for."""
    height, width = plane.shape
    count = 0
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            value = plane[y, x]
            if value < least:
                continue
            around = np.float32(0)
            for down in range(-1, 2):
                for across in range(-1, 2):
                    if down or across:
                        around = max(around, plane[y + down, x + across])
            if value > times * around:
                if count == found.shape[0]:
                    return count
                found[count, 0], found[count, 1] = x, y
                count += 1
    return count
