"""Mattes grown, shrunk and blurred. A wide blur is made on a smaller plane, and what is hard grows by its distances,
and what is soft by chords, far ones on a smaller plane, so that none costs more with its radius."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.pixels.blur import gaussian
from prism.pixels.fitting import fitted, side

BAND_ROWS = 32
MOST_CHORDS = 24  # radius in pixels that soft mattes grow by chords; a larger one is made of so many blocks
FAR = 8  # radius in pixels from which distances are quicker than chords


def blurred(plane: NDArray[np.float32], deviation: float) -> NDArray[np.float32]:
    """A matte (H, W) under a Gaussian of that standard deviation in pixels; see `prism.pixels.blur`. The border goes on
    outside."""
    return gaussian(plane, deviation)


def grown(plane: NDArray[np.float32], radius: float) -> NDArray[np.float32]:
    """Every level of a matte (H, W) of 0..1 spread by a disc of that radius in pixels; shrunk by it if below 0. So soft
    edges stay as soft as they were. Between whole radii it goes from one to the next in proportion. The border goes on
    outside.

    By more than MOST_CHORDS a soft matte grows in blocks of `ceil(radius / MOST_CHORDS)` pixels: its edges then lie
    within two blocks of where they should, a twelfth of the radius.
    """
    if radius < 0:
        return 1 - grown(1 - plane, -radius)
    if radius > MOST_CHORDS and not _is_hard(plane):
        return _grown_in_blocks(plane, radius)
    low = math.floor(radius)
    part = np.float32(radius - low)
    inner = _spread(plane, low)
    return inner if part == 0 else inner + part * (_spread(plane, low + 1) - inner)


def _is_hard(plane: NDArray[np.float32]) -> bool:
    return bool(((plane == 0) | (plane == 1)).all())


def _grown_in_blocks(plane: NDArray[np.float32], radius: float) -> NDArray[np.float32]:
    """The largest of each block, grown and brought back by triangles. A block's largest value lies half of it from the
    edge that it moves out on average, which is taken from the radius."""
    step = math.ceil(radius / MOST_CHORDS)
    most = plane
    for axis, count in enumerate(plane.shape):
        most = np.maximum.reduceat(most, np.arange(0, count, step), axis=axis)
    wide = grown(most, (radius - (step - 1) / 2) / step)
    down, across = (side(count, old, 0.0, 1 / step) for count, old in zip(plane.shape, wide.shape, strict=True))
    return np.maximum(plane, fitted(wide, across, down))


def _spread(plane: NDArray[np.float32], radius: int) -> NDArray[np.float32]:
    """The largest value within a disc: of each chord by a running maximum, then of the chords."""
    if radius == 0:
        return plane
    if radius >= FAR and _is_hard(plane):
        return (_distances(plane > 0, radius) <= radius**2).astype(np.float32)
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


def _distances(inside: NDArray[np.bool_], radius: int) -> NDArray[np.float32]:
    """Squared distance of every pixel from the nearest one inside: along columns, then the lower envelope of parabolas
    along rows (Felzenszwalb & Huttenlocher, "Distance transforms of sampled functions", Theory of Computing 8, 2012).
    What lies further than the radius is only known to."""
    height, width = inside.shape
    far = np.float32((radius + 1) ** 2)
    column = np.full((height, width), far, np.float32)
    _down_columns(inside, column, radius)
    out = np.empty((height, width), np.float32)
    places, bounds = np.empty((height, width), np.int32), np.empty((height, width + 1), np.float32)
    run_bands(lambda begin, end: _along_rows(column, out, places, bounds, begin, end, far), height, BAND_ROWS)
    return out


@compiled
def _down_columns(inside, out, radius):
    """Squared distance within each column, as far as the radius goes."""
    height, width = inside.shape
    for column in range(width):
        last = -radius - 1
        for row in range(height):
            if inside[row, column]:
                last = row
            if row - last <= radius:
                out[row, column] = np.float32((row - last) ** 2)
        last = height + radius + 1
        for row in range(height - 1, -1, -1):
            if inside[row, column]:
                last = row
            if last - row <= radius:
                out[row, column] = min(out[row, column], np.float32((last - row) ** 2))


@compiled
def _along_rows(column, out, places, bounds, begin, end, far):
    """places, bounds: (H, W) and (H, W + 1), for the parabolas of each row and where each begins to be the lowest."""
    width = column.shape[1]
    for row in range(begin, end):
        count = -1
        for q in range(width):
            if column[row, q] >= far:
                continue
            height = column[row, q] + float(q) * q
            start = -np.inf
            while count >= 0:
                p = places[row, count]
                start = (height - (column[row, p] + float(p) * p)) / (2.0 * (q - p))
                if start > bounds[row, count]:
                    break
                count -= 1
            if count < 0:
                start = -np.inf
            count += 1
            places[row, count], bounds[row, count] = q, start
        if count < 0:
            for x in range(width):
                out[row, x] = far
            continue
        bounds[row, count + 1] = np.inf
        at = 0
        for x in range(width):
            while bounds[row, at + 1] < x:
                at += 1
            p = places[row, at]
            out[row, x] = np.float32((x - p) ** 2 + column[row, p])


@compiled
def _running_most(out, plane, ahead, back, begin, end, half):
    """The largest of 2 half + 1 neighbours along rows begin..end: van Herk (1992), three comparisons a pixel at any
    width."""
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
