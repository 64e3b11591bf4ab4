"""Planes under the disc of a lens: round, or with as many sides as it has blades."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.pixels.blur import gaussian
from prism.pixels.fitting import fitted, side
from prism.pixels.resize import averaged

SMALLEST = 2.5  # pixels of the radius below which the disc is a Gaussian of the same second moment
FINEST = 5.0  # pixels of the radius that a disc is drawn at; larger ones are made of blocks
BAND_ROWS = 32


def opened(
    planes: NDArray[np.float32], radius: float, blades: int, turn: float, origin: tuple[int, int]
) -> NDArray[np.float32]:
    """Planes (N, H, W) under an even disc of that radius in pixels; nothing lies beyond the border. blades: 0 for a
    round one, else the corners of a polygon of the same area, turned by `turn` degrees. origin: as of
    `prism.pixels.blur.gaussian`.

    Discs above FINEST are drawn on means of blocks and brought back by triangles, so their edge is as soft as a block.
    """
    if radius < SMALLEST:
        return np.stack([gaussian(plane, radius / 2, edge="constant", origin=origin) for plane in planes])
    step = min(math.ceil(radius / FINEST), max(1, min(planes.shape[1:]) // 2))
    lefts, rights = chords(radius / step, blades, turn)
    if step == 1:
        return np.stack([_drawn(plane, lefts, rights) for plane in planes])
    beyond = (len(lefts) // 2 + 2) * step
    more = [
        (beyond + begin % step, beyond + -(count + begin) % step)
        for count, begin in zip(planes.shape[1:], origin, strict=True)
    ]
    out = np.empty_like(planes)
    for source, target in zip(planes, out, strict=True):
        soft = _drawn(averaged(np.pad(source, more), step), lefts, rights)
        down, across = (
            side(count, old, before / step, 1 / step)
            for count, old, (before, _) in zip(source.shape, soft.shape, more, strict=True)
        )
        target[:] = fitted(soft, across, down)
    return out


def chords(radius: float, blades: int, turn: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(2 n + 1,) each: where the disc begins and ends in every row, from its middle, in pixels."""
    if blades < 3:
        reach = math.floor(radius)
        rows = np.arange(-reach, reach + 1)
        half = np.sqrt(np.maximum(radius**2 - rows**2, 0.25)).astype(np.float32)
        return -half, half
    corner = radius * math.sqrt(2 * math.pi / (blades * math.sin(2 * math.pi / blades)))  # of the same area
    turns = np.radians(turn) + np.arange(blades) * (2 * np.pi / blades)
    x, y = corner * np.cos(turns), corner * np.sin(turns)
    reach = math.floor(np.abs(y).max())
    lefts, rights = [], []
    for row in range(-reach, reach + 1):
        crossings = [
            x[a] + (row - y[a]) / (y[b] - y[a]) * (x[b] - x[a])
            for a, b in ((k, (k + 1) % blades) for k in range(blades))
            if min(y[a], y[b]) <= row <= max(y[a], y[b]) and y[a] != y[b]
        ]
        middle = (min(crossings) + max(crossings)) / 2
        half = max((max(crossings) - min(crossings)) / 2, 0.5)
        lefts.append(middle - half)
        rights.append(middle + half)
    return np.float32(lefts), np.float32(rights)


def _drawn(plane: NDArray[np.float32], lefts: NDArray[np.float32], rights: NDArray[np.float32]) -> NDArray[np.float32]:
    height, width = plane.shape
    sums = np.zeros((height, width + 1), np.float64)
    np.cumsum(plane, axis=1, dtype=np.float64, out=sums[:, 1:])
    out = np.empty((height, width), np.float32)
    run_bands(lambda begin, end: _rows(out, sums, lefts, rights, begin, end), height, BAND_ROWS)
    return out


@compiled
def _rows(out, sums, lefts, rights, begin, end):
    """Rows begin..end: the sum over each chord from running sums, read between pixels."""
    height, width = out.shape
    reach = lefts.size // 2
    area = 0.0
    for k in range(lefts.size):
        area += rights[k] - lefts[k]
    for row in range(begin, end):
        for column in range(width):
            out[row, column] = 0
        for k in range(lefts.size):
            other = row + k - reach
            if other < 0 or other >= height:
                continue
            left, right = lefts[k] + 0.5, rights[k] + 0.5  # of the edges of pixels, of which the first is 0
            a, b = int(np.floor(left)), int(np.floor(right))
            s, t = left - a, right - b
            for column in range(width):
                i, j = min(max(column + a, 0), width), min(max(column + b, 0), width)
                i1, j1 = min(max(column + a + 1, 0), width), min(max(column + b + 1, 0), width)
                upper = sums[other, j] + t * (sums[other, j1] - sums[other, j])
                lower = sums[other, i] + s * (sums[other, i1] - sums[other, i])
                out[row, column] += np.float32((upper - lower) / area)
