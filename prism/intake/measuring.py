"""Planes measured in one pass over their pixels."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from prism.compiled import compiled
from prism.judging.values import PlaneFacts

MOST_COUNTED = 1 << 16  # pixels looked at for levels
OFTEN = 16  # times that each level comes, on average
STRANGE = ("nan", "infinite", "negative")
_STEPS = 255.0
_LEAST, _MOST, _TOTAL, _NAN, _INFINITE, _NEGATIVE, _ONES, _OFF, _PLACES = range(9)
_threads = ThreadPoolExecutor(thread_name_prefix="measure")


def measure(planes: dict[str, NDArray]) -> dict[str, PlaneFacts]:
    """Facts of every plane (H, W), or run of samples (N,), of any numeric type."""
    return dict(zip(planes, _threads.map(facts_of_plane, planes.values()), strict=True))


def facts_of_plane(plane: NDArray) -> PlaneFacts:
    """Facts of one plane (H, W): see PlaneFacts."""
    if plane.size == 0:
        return PlaneFacts(None, None, pixels=0)
    if plane.dtype.kind != "f":
        return PlaneFacts(float(plane.min()), float(plane.max()), pixels=plane.size, mean=float(plane.mean()))
    # A half nearer to a step than its own spacing is that step; so is a float within a hundredth of one.
    slack = 0.0626 if plane.dtype == np.float16 else 0.01
    values = np.ascontiguousarray(plane).reshape(-1).astype(np.float32, copy=False)
    found = np.zeros(_PLACES + 3, np.float64)
    _measure(values, np.float32(slack), found)
    nan, infinite = int(found[_NAN]), int(found[_INFINITE])
    finite = plane.size - nan - infinite
    width = plane.shape[-1]
    places = (int(place) for place in found[_PLACES:])
    strange = {name: (at % width, at // width) for name, at in zip(STRANGE, places, strict=True) if at >= 0}
    return PlaneFacts(
        least=float(found[_LEAST]) if finite else None,
        most=float(found[_MOST]) if finite else None,
        nan=nan,
        infinite=infinite,
        ones=int(found[_ONES]),
        pixels=plane.size,
        negative=int(found[_NEGATIVE]),
        mean=float(found[_TOTAL] / finite) if finite else None,
        stepped=bool(finite and not found[_OFF]),
        levels=_levels(values),
        strange=strange or None,
    )


def _levels(values: NDArray[np.float32]) -> int:
    """Different values among many pixels, if each comes often; else 0."""
    picked = values[:: max(1, values.size // MOST_COUNTED)]
    count = len(np.unique(picked[np.isfinite(picked)]))
    return count if count * OFTEN <= picked.size else 0


@compiled
def _measure(values: NDArray, slack: np.float32, found: NDArray) -> None:
    least, most, total = np.float32(np.inf), np.float32(-np.inf), 0.0
    nan = infinite = negative = ones = off = 0
    first_nan = first_infinite = first_negative = -1
    for place in range(len(values)):
        value = values[place]
        if not np.isfinite(value):
            if np.isnan(value):
                nan += 1
                if first_nan < 0:
                    first_nan = place
            else:
                infinite += 1
                if first_infinite < 0:
                    first_infinite = place
            continue
        least, most = min(least, value), max(most, value)
        total += value
        if value < 0:
            negative += 1
            if first_negative < 0:
                first_negative = place
        ones += value == np.float32(1)
        scaled = abs(value) * np.float32(_STEPS)
        off += abs(scaled - np.floor(scaled + np.float32(0.5))) > slack or scaled > np.float32(_STEPS) + slack
    found[_LEAST], found[_MOST], found[_TOTAL] = least, most, total
    found[_NAN], found[_INFINITE], found[_NEGATIVE], found[_ONES], found[_OFF] = nan, infinite, negative, ones, off
    found[_PLACES], found[_PLACES + 1], found[_PLACES + 2] = first_nan, first_infinite, first_negative
