"""Whether a source is what it should be put through a small filter: moved by a part of a pixel, or blurred.

The filter is found by least squares on half of the pixels and judged on the other half, so that it can explain nothing
by chance.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

REACH = 4  # pixels to either side; a cubic spline's own reach is endless, and falls to a hundredth there
MOST_TOLD = 2000  # pixels that a filter is told from
FEWEST_TOLD = 400
MOVED = 0.04  # of a pixel, from which a filter moves
SPREADS = 0.97  # largest tap of a filter that blurs
KEPT = 0.02  # by which the taps may differ from 1 together: moving and blurring keep the light
SOFT = 1e-6  # ridge, relative to the mean power: patterns that do not tell the taps apart


@dataclass(frozen=True, slots=True)
class Filter:
    """x, y: pixels by which it moves the picture right and down. share: of what was off, that it explains. centre: its
    largest tap."""

    x: float
    y: float
    share: float
    centre: float

    @property
    def moves(self) -> bool:
        """Whether it moves the picture, rather than blurring it in place."""
        return max(abs(self.x), abs(self.y)) >= MOVED

    @property
    def blurs(self) -> bool:
        """Whether it takes from each pixel and gives to those around, more than noise between them may look like."""
        return self.centre < SPREADS


def filter_between(
    stored: NDArray[np.float32], wanted: NDArray[np.float32], noise: NDArray[np.float32], near: tuple[int, int]
) -> Filter | None:
    """The filter that makes what is stored, (3, h, w), of what is wanted. noise: how far rounding moves each value.
    near: right and down, by which it may have moved in whole pixels. None where too little can be told."""
    by_x, by_y = near
    height, width = stored.shape[1:]
    top, end = max(0, by_y) + REACH, height - REACH + min(0, by_y)
    left, right = max(0, by_x) + REACH, width - REACH + min(0, by_x)
    if end - top < 2 or right - left < 2:
        return None
    with np.errstate(invalid="ignore"):
        off = (np.abs(stored - wanted) > noise).any(axis=0)[top:end, left:right]
    places = np.flatnonzero(off)
    if places.size < FEWEST_TOLD:
        return None
    places = places[:: max(1, places.size // MOST_TOLD)]
    rows, columns = np.divmod(places, right - left)
    rows, columns = rows + top, columns + left
    made, target, scale = _equations(stored, wanted, noise, rows, columns, near)
    usable = np.isfinite(made).all(axis=1) & np.isfinite(target)
    made, target, scale = made[usable], target[usable], scale[usable]
    learn = np.arange(len(target)) % 2 == 0
    if learn.sum() < 4 * made.shape[1]:
        return None
    taps = _solved(made[learn] * scale[learn, None], target[learn] * scale[learn])
    still = _centre_of(made)
    judged = ~learn
    before = np.abs(target - still)[judged]
    after = np.abs(target - made @ taps)[judged]
    after = np.where(after * scale[judged] > 2, after, 0)
    share = max(0.0, 1 - float(after.sum()) / max(float(before.sum()), 1e-30))
    return _described(taps, near, share)


def _equations(
    stored: NDArray, wanted: NDArray, noise: NDArray, rows: NDArray, columns: NDArray, near: tuple[int, int]
) -> tuple[NDArray, NDArray, NDArray]:
    """What is wanted about each place as rows of numbers, what is stored there, and one over its rounding."""
    reach = range(-REACH, REACH + 1)
    around = [wanted[:, rows - near[1] + down, columns - near[0] + across] for down in reach for across in reach]
    made = np.stack(around, axis=-1).reshape(-1, len(around)).astype(np.float64)
    target = stored[:, rows, columns].reshape(-1).astype(np.float64)
    return made, target, 1 / np.maximum(noise[:, rows, columns].reshape(-1).astype(np.float64), 1e-12)


def _centre_of(made: NDArray) -> NDArray:
    return made[:, made.shape[1] // 2]


def _solved(made: NDArray, target: NDArray) -> NDArray[np.float64]:
    power = made.T @ made
    power += np.eye(len(power)) * (SOFT * np.trace(power) / len(power))
    return np.linalg.solve(power, made.T @ target)


def _described(taps: NDArray[np.float64], near: tuple[int, int], share: float) -> Filter | None:
    total = float(taps.sum())
    if abs(total - 1) > KEPT:
        return None
    grid = taps.reshape(2 * REACH + 1, 2 * REACH + 1) / total
    reach = np.arange(-REACH, REACH + 1)
    x, y = near[0] - float((grid.sum(axis=0) * reach).sum()), near[1] - float((grid.sum(axis=1) * reach).sum())
    return Filter(x, y, share, float(grid.max()))
