"""The disc of a lens: round, or with as many sides as it has blades."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled

TAPS = 4  # places of a running sum that are added at once
FINE = 12  # chords at most of one row of pixels
CUTS = 16  # heights at which the ends of a chord are taken
STEEP = 0.7  # pixels by which the outline may run along a row that is one chord
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
        rows, columns, weights = self.taps()
        beyond = self.reach + 2
        sums = np.zeros((count, height, width + 2 * beyond + 1), np.float64)
        _running_sums(sums, planes, beyond)
        out = np.empty((count, height, width), np.float32)
        run_bands(
            lambda begin, end: _rows(out, sums, rows, columns + beyond, weights, begin, end),
            count * height,
            BAND_ROWS,
            alone=4,
        )
        return out

    def taps(self) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
        """(n, 2), (n, TAPS) and (n, TAPS): how to sum the disc from running sums of rows. Each entry: the row from the
        middle, in the first column; then places in its running sum and their weights. The sum of running sum times
        weight over all entries is the mean over the disc, as far as it covers every pixel.

        A row of pixels holds a strip of the disc. Where its outline runs across the row, one chord of the strip's mean
        length stands for it; where it runs along, several.
        """
        by_row: dict[int, dict[int, float]] = {}
        for row, left, right, weight in _chords(self):
            taps = by_row.setdefault(row, {})
            # A running sum is read between the edges of pixels, of which that left of the middle pixel is 0.
            for end, sign in ((right + 0.5, weight), (left + 0.5, -weight)):
                whole = math.floor(end)
                taps[whole] = taps.get(whole, 0.0) + sign * (1 - (end - whole))
                taps[whole + 1] = taps.get(whole + 1, 0.0) + sign * (end - whole)
        entries = [
            (row, listed[start : start + TAPS])
            for row, taps in by_row.items()
            for listed in [sorted(taps.items())]
            for start in range(0, len(listed), TAPS)
        ]
        rows = np.array([row for row, _ in entries], np.int64)
        columns, weights = np.zeros((len(entries), TAPS), np.int64), np.zeros((len(entries), TAPS), np.float32)
        for number, (_, listed) in enumerate(entries):
            for place, (column, weight) in enumerate(listed):
                columns[number, place], weights[number, place] = column, weight
        return rows, columns, weights


def _chords(aperture: Aperture) -> list[tuple[int, float, float, float]]:
    """Row from the middle, where a chord begins and ends in pixels from there, and its weight; all weights times
    lengths sum to 1."""
    outline = (_round if aperture.blades < 3 else _polygon)(aperture)
    top, bottom = outline.span
    found = []
    for row in range(math.floor(top + 0.5), math.ceil(bottom - 0.5) + 1):
        first, last = max(row - 0.5, top), min(row + 0.5, bottom)
        if last - first <= 1e-9:
            continue
        left, right = outline.at(np.linspace(first, last, CUTS))
        parts = min(FINE, max(1, math.ceil(max(np.ptp(left), np.ptp(right)) / STEEP)))
        for part in np.linspace(first, last, parts + 1)[:-1]:
            left, right = outline.at(part + (np.arange(CUTS) + 0.5) / CUTS * (last - first) / parts)
            found.append((row, float(left.mean()), float(right.mean()), (last - first) / parts))
    area = sum(weight * (right - left) for _, left, right, weight in found)
    # A pixel gathers what lies the other way from where a point of light is spread to.
    return [(-row, -right, -left, weight / area) for row, left, right, weight in found]


@dataclass(frozen=True, slots=True)
class _Outline:
    """span: first and last height. at: for heights (n,), where the disc begins and ends, (n,) each."""

    span: tuple[float, float]
    at: Callable[[NDArray[np.float64]], tuple[NDArray[np.float64], NDArray[np.float64]]]


def _round(aperture: Aperture) -> _Outline:
    radius = aperture.radius

    def at(heights: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        half = np.sqrt(np.maximum(radius**2 - heights**2, 0))
        return -half, half

    return _Outline((-radius, radius), at)


def _polygon(aperture: Aperture) -> _Outline:
    blades = aperture.blades
    corner = aperture.radius * math.sqrt(2 * math.pi / (blades * math.sin(2 * math.pi / blades)))  # of the same area
    turns = np.radians(aperture.turn) + np.arange(blades) * (2 * np.pi / blades)
    x, y = corner * np.cos(turns), corner * np.sin(turns)
    top, bottom = int(np.argmin(y)), int(np.argmax(y))

    def side(step: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The corners from the top to the bottom, one way round."""
        order = [top]
        while order[-1] != bottom:
            order.append((order[-1] + step) % blades)
        return y[order], x[order]

    def at(heights: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        one, other = (np.interp(heights, *side(step)) for step in (1, -1))
        return np.minimum(one, other), np.maximum(one, other)

    return _Outline((float(y[top]), float(y[bottom])), at)


@compiled
def _running_sums(sums, planes, beyond):
    """(N, H, W + 2 beyond + 1), from `beyond` pixels left of the border to as many right of it; in double precision,
    for what is dim beside a lamp is a small difference of large sums."""
    for plane in range(planes.shape[0]):
        for row in range(planes.shape[1]):
            total = 0.0
            line = sums[plane, row]
            for column in range(planes.shape[2]):
                total += planes[plane, row, column]
                line[beyond + column + 1] = total
            for column in range(beyond + planes.shape[2] + 1, line.size):
                line[column] = total


@compiled
def _rows(out, sums, offsets, columns, weights, begin, end):
    """Rows begin..end of all planes, counted on."""
    height, width = out.shape[1:]
    for number in range(begin, end):
        plane, row = number // height, number % height
        target = out[plane, row]
        for column in range(width):
            target[column] = 0
        for k in range(offsets.size):
            other = row + offsets[k]
            if other < 0 or other >= height:
                continue
            line = sums[plane, other]
            one, two = line[columns[k, 0] : columns[k, 0] + width], line[columns[k, 1] : columns[k, 1] + width]
            three, four = line[columns[k, 2] : columns[k, 2] + width], line[columns[k, 3] : columns[k, 3] + width]
            a, b, c, d = weights[k, 0], weights[k, 1], weights[k, 2], weights[k, 3]
            for at in range(width):
                target[at] += a * one[at] + b * two[at] + c * three[at] + d * four[at]
