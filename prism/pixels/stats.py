"""Statistics of one plane, and the difference of two images."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from prism.bands import split_rows
from prism.errors import SizeMismatch

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


def compare(a: NDArray, b: NDArray) -> Difference:
    """Largest and mean absolute difference of two (C, H, W) arrays. Raises SizeMismatch.

    A pixel that is not finite on one side only, or differs in kind (NaN, +inf, -inf), counts as infinitely far.
    """
    if a.shape != b.shape:
        raise SizeMismatch(f"Arrays of shape {a.shape} and {b.shape} cannot be compared.")
    with np.errstate(invalid="ignore"):
        gap = np.abs(a.astype(np.float32, copy=False) - b.astype(np.float32, copy=False))
    strange = ~np.isfinite(gap)
    if strange.any():
        same = (a == b) | (np.isnan(a) & np.isnan(b))
        gap[strange] = np.where(same, 0, np.inf)[strange]
    channel, y, x = np.unravel_index(int(np.argmax(gap)), gap.shape)
    return Difference(float(gap[channel, y, x]), float(gap.mean(dtype=np.float64)), int(x), int(y), int(channel))
