"""The disc of a lens: round, or with as many sides as it has blades."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled

CORNERS = 1.56  # how far out the corner of a triangle is, by the radius of the disc of its area
BAND_ROWS = 32


@dataclass(frozen=True, slots=True)
class Aperture:
    """radius: in pixels, of the disc of its area. blades: 0 for a round one, else how many sides it has, turned by
    `turn` degrees."""

    radius: float
    blades: int = 0
    turn: float = 0.0

    @property
    def reach(self) -> int:
        """How many pixels out it goes."""
        return math.ceil(self.radius * (CORNERS if self.blades >= 3 else 1)) + 1

    def in_blocks(self, step: int) -> Aperture:
        """The same on blocks of so many pixels."""
        return Aperture(self.radius / step, self.blades, self.turn)

    def opened(self, planes: NDArray[np.float32]) -> NDArray[np.float32]:
        """Planes (N, H, W) under the even disc; nothing lies beyond the border."""
        count, height, width = planes.shape
        lefts, rights = chords(self)
        sums = np.zeros((count, height, width + 1), np.float64)
        np.cumsum(planes, axis=2, dtype=np.float64, out=sums[:, :, 1:])
        out = np.empty((count, height, width), np.float32)
        run_bands(lambda begin, end: _rows(out, sums, lefts, rights, begin, end), count * height, BAND_ROWS, alone=4)
        return out


def chords(aperture: Aperture) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(n,) each, for an odd number of rows: where the disc begins and ends in every row, from its middle, in pixels."""
    radius, blades = aperture.radius, aperture.blades
    if blades < 3:
        reach = math.floor(radius)
        rows = np.arange(-reach, reach + 1)
        half = np.sqrt(np.maximum(radius**2 - rows**2, 0.25)).astype(np.float32)
        return -half, half
    corner = radius * math.sqrt(2 * math.pi / (blades * math.sin(2 * math.pi / blades)))  # of the same area
    turns = np.radians(aperture.turn) + np.arange(blades) * (2 * np.pi / blades)
    x, y = corner * np.cos(turns), corner * np.sin(turns)
    reach = math.floor(np.abs(y).max())
    found = [_crossed(x, y, row) for row in range(-reach, reach + 1)]
    return np.array([left for left, _ in found], np.float32), np.array([right for _, right in found], np.float32)


def _crossed(x: NDArray[np.float64], y: NDArray[np.float64], row: int) -> tuple[float, float]:
    """Where a row enters and leaves a polygon; a pixel at its middle if it only touches, or misses it."""
    nexts = np.roll(np.arange(len(x)), -1)
    crossings = [
        x[a] + (row - y[a]) / (y[b] - y[a]) * (x[b] - x[a])
        for a, b in enumerate(nexts)
        if y[a] != y[b] and min(y[a], y[b]) <= row <= max(y[a], y[b])
    ]
    low, high = (min(crossings), max(crossings)) if crossings else (0.0, 0.0)
    half = max((high - low) / 2, 0.5)
    return (low + high) / 2 - half, (low + high) / 2 + half


@compiled
def _rows(out, sums, lefts, rights, begin, end):
    """Rows begin..end of all planes, counted on: the sum over each chord from running sums, read between pixels."""
    height, width = out.shape[1:]
    reach = lefts.size // 2
    area = 0.0
    for k in range(lefts.size):
        area += rights[k] - lefts[k]
    for number in range(begin, end):
        plane, row = number // height, number % height
        for column in range(width):
            out[plane, row, column] = 0
        for k in range(lefts.size):
            other = row + k - reach
            if other < 0 or other >= height:
                continue
            left, right = lefts[k] + 0.5, rights[k] + 0.5  # of the edges of pixels, of which the first is 0
            a, b = int(np.floor(left)), int(np.floor(right))
            s, t = left - a, right - b
            line, target = sums[plane, other], out[plane, row]
            first, last = min(max(-a, 0), width), max(min(width - b - 1, width), 0)
            if first < last:  # between the borders: without a test, so that several columns are added at once
                near, near_1 = line[first + a :], line[first + a + 1 :]
                far, far_1 = line[first + b :], line[first + b + 1 :]
                for at in range(last - first):
                    upper = far[at] + t * (far_1[at] - far[at])
                    lower = near[at] + s * (near_1[at] - near[at])
                    target[first + at] += np.float32((upper - lower) / area)
            else:
                first = last = 0
            for column in range(first):
                target[column] += _chord(line, column, a, b, s, t) / area
            for column in range(last, width):
                target[column] += _chord(line, column, a, b, s, t) / area


@compiled
def _chord(line, column, a, b, s, t):
    """The sum over a chord that may reach beyond the border."""
    end = line.size - 1
    i, j = min(max(column + a, 0), end), min(max(column + b, 0), end)
    i1, j1 = min(max(column + a + 1, 0), end), min(max(column + b + 1, 0), end)
    return np.float32(line[j] + t * (line[j1] - line[j]) - line[i] - s * (line[i1] - line[i]))
