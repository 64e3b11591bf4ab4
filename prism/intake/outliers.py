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
    """Column and row of each, row by row, at most MOST. colour: planes (H, W) of any float type, scene-linear, of which
    the brightest counts; nothing is copied of float32."""
    planes = [np.ascontiguousarray(plane, np.float32) for plane in colour[:3]]
    if min(planes[0].shape) < 3:
        return ()
    red, green, blue = (planes * 3)[:3]
    total = np.zeros(1)
    _total(red, green, blue, total)
    least = np.float32(max(AGAINST_MEAN * float(total[0]) / red.size, 1e-6))
    found = np.zeros((MOST, 2), np.int64)
    count = _outliers(red, green, blue, np.float32(TIMES), least, found)
    return tuple((int(x), int(y)) for x, y in found[:count])


@compiled
def _light(red, green, blue, y, x):
    """The brightest channel of a pixel; 0 where any is no number."""
    value = max(red[y, x], max(green[y, x], blue[y, x]))
    return value if np.isfinite(red[y, x] + green[y, x] + blue[y, x]) else np.float32(0)


@compiled
def _total(red, green, blue, total):
    """The light of all pixels together, into `total`, (1,)."""
    for y in range(red.shape[0]):
        for x in range(red.shape[1]):
            total[0] += max(_light(red, green, blue, y, x), np.float32(0))


@compiled
def _outliers(red, green, blue, times, least, found):
    """How many there are, up to as many as `found` has room for."""
    height, width = red.shape
    count = 0
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            value = _light(red, green, blue, y, x)
            if value < least:
                continue
            around = np.float32(0)
            for down in range(-1, 2):
                for across in range(-1, 2):
                    if down or across:
                        around = max(around, _light(red, green, blue, y + down, x + across))
            if value > times * around:
                if count == found.shape[0]:
                    return count
                found[count, 0], found[count, 1] = x, y
                count += 1
    return count
