"""Mattes grown, shrunk and blurred: cost grows with the radius, never with its square."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.pixels.fitting import Side, fitted

BAND_ROWS = 32
REACH = 4.0  # standard deviations that a blur reaches


def blurred(plane: NDArray[np.float32], deviation: float) -> NDArray[np.float32]:
    """A Gaussian of that standard deviation in pixels, cut off at REACH of it, first along rows and then along columns. The border
    goes on outside."""
    if deviation <= 0:
        return plane
    height, width = plane.shape
    return fitted(plane, _bell(width, deviation), _bell(height, deviation))


def _bell(count: int, deviation: float) -> Side:
    reach = int(REACH * deviation + 0.5)
    weights = np.exp(-0.5 * (np.arange(-reach, reach + 1) / deviation) ** 2)
    weights = (weights / weights.sum()).astype(np.float32)
    return Side(np.arange(count) - reach, np.broadcast_to(weights, (count, len(weights))), np.ones(count, np.float32))


def grown(plane: NDArray[np.float32], radius: float) -> NDArray[np.float32]:
    """Every level of a matte spread by a disc of that radius in pixels; shrunk by it if below 0. So soft edges stay as soft as they
    were. Between whole radii it goes from one to the next in proportion. The border goes on outside."""
    if radius < 0:
        return 1 - grown(1 - plane, -radius)
    low = math.floor(radius)
    part = np.float32(radius - low)
    inner = _spread(plane, low)
    return inner if part == 0 else inner + part * (_spread(plane, low + 1) - inner)


def _spread(plane: NDArray[np.float32], radius: int) -> NDArray[np.float32]:
    """The largest value within a disc: of each chord by a running maximum, then of the chords."""
    if radius == 0:
        return plane
    rows = np.arange(radius + 1)
    chords = np.floor(np.sqrt(radius**2 - rows**2)).astype(np.int64)  # half of each
    out = np.full_like(plane, -np.inf)
    runs, ahead, back = np.empty_like(plane), np.empty_like(plane), np.empty_like(plane)
    for half in np.unique(chords):
        offsets = np.flatnonzero(chords == half)

        def along(first: int, end: int, half: int = int(half)) -> None:
            _running_most(runs, plane, ahead, back, first, end, half)

        def join(first: int, end: int, offsets: NDArray = offsets) -> None:
            _most_of(out, runs, first, end, offsets)

        run_bands(along, len(plane), BAND_ROWS)
        run_bands(join, len(plane), BAND_ROWS)
    return out


@compiled
def _running_most(out, plane, ahead, back, begin, end, half):
    """The largest of 2 half + 1 neighbours along rows begin..end: van Herk (1992), three comparisons a pixel at any width."""
    width = plane.shape[1]
    size = 2 * half + 1
    for row in range(begin, end):
        for column in range(width):
            value = plane[row, column]
            ahead[row, column] = value if column % size == 0 else max(ahead[row, column - 1], value)
        for column in range(width - 1, -1, -1):
            value = plane[row, column]
            last = column == width - 1 or (column + 1) % size == 0
            back[row, column] = value if last else max(back[row, column + 1], value)
        for column in range(width):
            low, high = max(column - half, 0), min(column + half, width - 1)
            if low // size < high // size:
                out[row, column] = max(back[row, low], ahead[row, high])
            else:  # a whole block, or one that the border cuts off
                out[row, column] = ahead[row, high] if low % size == 0 else back[row, low]


@compiled
def _most_of(out, runs, begin, end, offsets):
    """The largest of the rows that lie so far above and below."""
    height, width = runs.shape
    for row in range(begin, end):
        for at in range(offsets.size):
            for sign in (-1, 1):
                other = row + sign * offsets[at]
                if 0 <= other < height:
                    for column in range(width):
                        out[row, column] = max(out[row, column], runs[other, column])
