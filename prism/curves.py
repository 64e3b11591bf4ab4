"""Monotone curves: between points a cubic that never leaves their range, beyond the ends straight on.

Source: Fritsch & Butland, "A Method for Constructing Local Monotone Piecewise Cubic Interpolants", SIAM J. Sci. Stat.
Comput. 5 (1984), with the three-point slopes at the ends of Moler, "Numerical Computing with MATLAB", section 3.6.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from prism.documents import Value

CurvePoint = tuple[float, float]
MOST_CURVE_POINTS = 16


class Curve(Value):
    """A monotone spline through points (x, y), straight on beyond its ends. Without points it changes nothing."""

    points: Annotated[tuple[CurvePoint, ...], Field(max_length=MOST_CURVE_POINTS)] = ()

    @model_validator(mode="after")
    def _points_rise(self) -> Self:
        if len(self.points) == 1:
            raise ValueError("A curve takes two points or more")
        for (before, _), (after, _) in pairwise(self.points):
            if after - before < 1e-6:
                raise ValueError(f"The points of a curve go from left to right; {after:g} follows {before:g}")
        return self


def pieces(points: Sequence[CurvePoint]) -> NDArray[np.float32]:
    """(N, 5): where each piece begins, and y = c0 + t (c1 + t (c2 + t c3)) with t = x - begin; the first reaches back
    to -inf."""
    x, y = np.array(points, np.float64).T
    step = np.diff(x)
    rise = np.diff(y) / step
    slopes = _slopes(step, rise)
    cubic = np.stack(
        [x[:-1], y[:-1], slopes[:-1], (3 * rise - 2 * slopes[:-1] - slopes[1:]) / step,
         (slopes[:-1] + slopes[1:] - 2 * rise) / step**2], axis=1,
    )  # fmt: skip
    before = [x[0], y[0], slopes[0], 0, 0]
    after = [x[-1], y[-1], slopes[-1], 0, 0]
    return np.array([before, *cubic, after], np.float32)


def bent(values: NDArray[np.float32], points: Sequence[CurvePoint]) -> NDArray[np.float32]:
    """Values of any shape (H, W, ...) put through a curve, float32."""
    table = pieces(points)
    place = np.searchsorted(table[1:, 0], values, side="right")
    t = values - table[place, 0]
    return table[place, 1] + t * (table[place, 2] + t * (table[place, 3] + t * table[place, 4]))


def _slopes(step: NDArray, rise: NDArray) -> NDArray:
    if len(rise) == 1:
        return np.repeat(rise, 2)
    inner = [
        0.0 if before * after <= 0 else (3 * (h0 + h1)) / ((2 * h1 + h0) / before + (h1 + 2 * h0) / after)
        for before, after, h0, h1 in zip(rise, rise[1:], step, step[1:], strict=False)
    ]
    first = _end_slope(step[0], step[1], rise[0], rise[1])
    last = _end_slope(step[-1], step[-2], rise[-1], rise[-2])
    return np.array([first, *inner, last])


def _end_slope(h0: float, h1: float, near: float, far: float) -> float:
    slope = ((2 * h0 + h1) * near - h0 * far) / (h0 + h1)
    if slope * near <= 0:
        return 0.0
    return 3 * near if near * far <= 0 and abs(slope) > 3 * abs(near) else slope
