"""A picture fitted into another at any size and place: filtered along each side, so that nothing shimmers or aliases.

Every pixel takes a triangle filter as wide as the larger of the two pixels; beyond the picture's border its outermost
pixels count on. How much of a pixel lies on the picture is its coverage.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only

BAND_ROWS = 32


@dataclass(frozen=True, slots=True, eq=False)
class Side:
    """How each of n new pixels is made along one side. firsts: (n,) old pixel of the first weight, which may lie
    outside. weights: (n, taps), each row sums to 1. cover: (n,) share of the new pixel that lies on the old picture,
    0..1."""

    firsts: NDArray[np.int64]
    weights: NDArray[np.float32]
    cover: NDArray[np.float32]


def side(count: int, old: int, first: float, size: float) -> Side:
    """count: how many new pixels; old: how many there were. first: where the left edge of the first new pixel lies, and
    size: how wide it is, both in old pixels from their left edge; size is above 0."""
    middles = first + size * (np.arange(count) + 0.5)
    radius = max(1.0, size)
    firsts = np.ceil(middles - radius - 0.5).astype(np.int64)
    taps = math.ceil(2 * radius) + 1
    away = np.abs(firsts[:, np.newaxis] + np.arange(taps) + 0.5 - middles[:, np.newaxis])
    weights = np.maximum(0, 1 - away / radius)
    weights /= weights.sum(axis=1, keepdims=True)
    on_it = np.minimum(middles + size / 2, old) - np.maximum(middles - size / 2, 0)
    return Side(firsts, weights.astype(np.float32), (on_it / size).clip(0, 1).astype(np.float32))


def fitted(plane: NDArray, across: Side, down: Side) -> NDArray[np.float32]:
    """A plane (H, W) at (len(down), len(across)), float32, as if it went on beyond its border; coverage is not
    applied."""
    source = np.ascontiguousarray(plane, np.float32)
    if len(down.firsts) < len(source):  # fewer rows first: along them costs more
        return _fitted_along(_fitted_down(source, down), across)
    return _fitted_down(_fitted_along(source, across), down)


def _fitted_along(plane: NDArray[np.float32], across: Side) -> NDArray[np.float32]:
    """(H, len(across))."""
    source, out = read_only(plane), np.empty((len(plane), len(across.firsts)), np.float32)
    run_bands(lambda a, b: _along(out, source, a, b, across.firsts, across.weights), len(out), BAND_ROWS)
    return out


def _fitted_down(plane: NDArray[np.float32], down: Side) -> NDArray[np.float32]:
    """(len(down), W)."""
    source, out = read_only(plane), np.empty((len(down.firsts), plane.shape[1]), np.float32)
    run_bands(lambda a, b: _downwards(out, source, a, b, down.firsts, down.weights), len(out), BAND_ROWS)
    return out


def picked(plane: NDArray, across: Side, down: Side) -> NDArray:
    """The same of data, which no filter may blend: each new pixel takes the old one that it lies on most; the first of
    two."""
    rows, columns = (
        np.clip(one.firsts + one.weights.argmax(axis=1), 0, side - 1)
        for one, side in zip((down, across), plane.shape, strict=True)
    )
    return plane[np.ix_(rows, columns)]


@compiled
def _along(out, plane, begin, end, firsts, weights):
    last = plane.shape[1] - 1
    for row in range(begin, end):
        for column in range(out.shape[1]):
            total = np.float32(0)
            for tap in range(weights.shape[1]):
                weight = weights[column, tap]
                if weight != 0:
                    total += weight * plane[row, min(max(firsts[column] + tap, 0), last)]
            out[row, column] = total


@compiled
def _downwards(out, plane, begin, end, firsts, weights):
    last = plane.shape[0] - 1
    for row in range(begin, end):
        for column in range(out.shape[1]):
            out[row, column] = 0
        for tap in range(weights.shape[1]):
            weight = weights[row, tap]
            if weight != 0:
                above = min(max(firsts[row] + tap, 0), last)
                for column in range(out.shape[1]):
                    out[row, column] += weight * plane[above, column]
