"""Statistics of one plane, and the difference of two images."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands, split_rows
from prism.compiled import compiled, read_only
from prism.errors import SizeMismatch

BAND_ROWS = 32
VALUES_AT_ONCE = 1 << 22  # of a plane, so that extra memory stays small whatever its size


@dataclass(frozen=True, slots=True)
class PlaneStats:
    """Over finite pixels only; None where there is none."""

    minimum: float | None
    mean: float | None
    maximum: float | None
    nan_count: int
    inf_count: int
    negative_count: int


def plane_stats(plane: NDArray, *, as_values: Callable[[NDArray], NDArray] | None = None) -> PlaneStats:
    """Statistics of a plane (H, W) or run (N,) of any numeric type, some rows at a time; sums are taken in float64.
    as_values: what makes values of stored codes."""
    least, most, total, count, nan, inf, negative = np.inf, -np.inf, 0.0, 0, 0, 0, 0
    rows = max(1, VALUES_AT_ONCE // max(1, plane[:1].size))
    for top, bottom in split_rows(len(plane), rows):
        band = plane[top:bottom]
        band = as_values(band) if as_values else band
        values = band if band.dtype == np.float32 else band.astype(np.float64)
        lost, endless = int(np.isnan(values).sum()), int(np.isinf(values).sum())
        finite = values[np.isfinite(values)] if lost or endless else values
        nan, inf, count = nan + lost, inf + endless, count + finite.size
        if finite.size:
            least, most = min(least, float(finite.min())), max(most, float(finite.max()))
            total += float(finite.sum(dtype=np.float64))
            negative += int((finite < 0).sum())
    if not count:
        return PlaneStats(None, None, None, nan, inf, 0)
    return PlaneStats(least, total / count, most, nan, inf, negative)


@dataclass(frozen=True, slots=True)
class Difference:
    """How far two images are apart, channel by channel, in absolute value."""

    largest: float
    mean: float
    x: int  # of the worst pixel, counted from the left of the arrays compared
    y: int
    channel: int

    def as_json(self) -> dict[str, float | int]:
        """All fields, for JSON."""
        return asdict(self)


@dataclass(frozen=True, slots=True, eq=False)
class Held:
    """A picture held against another, both (4, h, w). difference: of R, G and B. apart: (4, h, w), where they are
    further apart than the other's share allows. strange: (h, w), where one of the channels that count is no finite
    number on either side. means: of R, G and B of both."""

    difference: Difference
    apart: NDArray[np.bool_]
    strange: NDArray[np.bool_]
    means: tuple[float, float]


def held_against(picture: NDArray[np.float32], other: NDArray[np.float32], *, share: float, count: int) -> Held:
    """All that tells two pictures (4, h, w) apart, in one pass over them. share: of the other's magnitude that a value
    may be off by; equal infinities and NaN on both sides are not apart. count: how many channels count for
    `strange`."""
    apart = np.empty(picture.shape, np.bool_)
    strange = np.empty(picture.shape[1:], np.bool_)
    difference, means = _compared(picture, other, np.float32(share), count, apart, strange)
    return Held(difference, apart, strange, means)


def compare(a: NDArray, b: NDArray) -> Difference:
    """Largest and mean absolute difference of two (C, H, W) arrays. Raises SizeMismatch.

    A pixel that is not finite on one side only, or differs in kind (NaN, +inf, -inf), counts as infinitely far.
    """
    if a.shape != b.shape:
        raise SizeMismatch(f"Arrays of shape {a.shape} and {b.shape} cannot be compared.")
    one, other = (np.ascontiguousarray(each, np.float32) for each in (a, b))
    return _compared(one, other, np.float32(0), 0, np.empty((0, 0, 0), np.bool_), np.empty((0, 0), np.bool_))[0]


def _compared(
    a: NDArray, b: NDArray, share: np.float32, count: int, apart: NDArray[np.bool_], strange: NDArray[np.bool_]
) -> tuple[Difference, tuple[float, float]]:
    """Of (C, H, W): band by band, joined in their order, so that no sum depends on which was done first. apart,
    strange: filled, unless they are empty."""
    channels, height, width = a.shape
    bands = -(-height // BAND_ROWS)
    sums, worst = np.zeros((bands, 3)), np.full((bands, channels), -1, np.float32)
    places = np.zeros((bands, channels, 2), np.int64)
    sealed = read_only(a), read_only(b)

    def work(first: int, end: int) -> None:
        band = first // BAND_ROWS
        _hold(*sealed, first, end, share, count, apart, strange, sums[band], worst[band], places[band])

    run_bands(work, height, BAND_ROWS)
    of_colour = min(channels, 3)
    total, of_a, of_b = (sums.sum(axis=0) / (of_colour * height * width)).tolist()
    # The first of several that are as large: by channel, then by row.
    channel, band = divmod(int(np.argmax(worst[:, :of_colour].T)), bands)
    y, x = places[band, channel].tolist()
    return Difference(float(worst[band, channel]), total, x, y, channel), (of_a, of_b)


@compiled
def _hold(a, b, first, end, share, count, apart, strange, sums, worst, places):
    """Rows first..end. sums: of the gaps, of a and of b, in the first three channels. worst: the largest gap of each
    channel, at `places`."""
    channels, _, width = a.shape
    gaps, of_a, of_b = 0.0, 0.0, 0.0
    marks = apart.size > 0
    for row in range(first, end):
        for column in range(width if marks else 0):
            strange[row, column] = False
        for channel in range(channels):
            most = worst[channel]
            for column in range(width):
                one, other = a[channel, row, column], b[channel, row, column]
                gap = abs(one - other)
                if marks:
                    nothing = one != one and other != other
                    apart[channel, row, column] = not (gap <= share * abs(other) or nothing or one == other)
                    if channel < count and not (np.isfinite(one) and np.isfinite(other)):
                        strange[row, column] = True
                if channel >= 3:
                    continue
                if not np.isfinite(gap):
                    same = one == other or (one != one and other != other)
                    gap = np.float32(0) if same else np.float32(np.inf)
                gaps += gap
                of_a += one
                of_b += other
                if gap > most:
                    most = gap
                    places[channel, 0], places[channel, 1] = row, column
            worst[channel] = most
    sums[0], sums[1], sums[2] = gaps, of_a, of_b
