"""Statistics of one plane, and the difference of two images."""

from __future__ import annotations

from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from prism.errors import SizeMismatch


@dataclass(frozen=True, slots=True)
class PlaneStats:
    """Over finite pixels only; None where there is none."""

    minimum: float | None
    mean: float | None
    maximum: float | None
    nan_count: int
    inf_count: int
    negative_count: int


def plane_stats(plane: NDArray) -> PlaneStats:
    """Statistics of a plane (H, W) of any numeric type; sums are taken in float64."""
    values = plane.astype(np.float64) if plane.dtype.kind != "f" or plane.dtype == np.float16 else plane
    nan, inf = int(np.isnan(values).sum()), int(np.isinf(values).sum())
    finite = values[np.isfinite(values)] if nan or inf else values
    if finite.size == 0:
        return PlaneStats(None, None, None, nan, inf, 0)
    return PlaneStats(
        float(finite.min()),
        float(finite.mean(dtype=np.float64)),
        float(finite.max()),
        nan,
        inf,
        int((finite < 0).sum()),
    )


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
