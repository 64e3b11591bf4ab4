"""Planes under a Gaussian: exactly where it is narrow, on means of blocks where it is wide, so that none costs more
with the square of its width."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only
from prism.pixels.fitting import fitted, side

REACH = 4.0  # standard deviations that a blur reaches
WIDE = 9.0  # deviation in pixels from which a blur is made on a smaller plane
COARSE = 4.0  # deviations that are at least left there
BAND_ROWS = 64
SMALL = 1 << 18  # pixels of a plane up to which its bands are not worth handing out
Edge = Literal["nearest", "reflect", "constant"]
"""What lies beyond the border: its outermost pixels, the picture mirrored about it, or nothing. The words are those of
SciPy and NumPy, but for `reflect`, which NumPy calls symmetric."""
_MODES: dict[Edge, int] = {"nearest": 0, "reflect": 1, "constant": 2}


def gaussian(
    plane: NDArray[np.float32], deviation: float, *, edge: Edge = "nearest", origin: tuple[int, int] = (0, 0)
) -> NDArray[np.float32]:
    """A plane (H, W) under a Gaussian of that standard deviation in pixels, cut off at REACH of it.

    From WIDE on it is made on a smaller plane, to which and back triangles lead, whose own widths it leaves out: within
    0.003 of the Gaussian, measured on hard edges, at a cost that falls with the deviation. origin: row and column of a
    larger plane at which this one begins, so that what is made of a part lies where that of the whole does.
    """
    if deviation <= 0 or plane.size == 0:
        return plane
    if deviation < WIDE or min(plane.shape) < 4:
        return _narrow(plane, deviation, edge)
    step = min(int(deviation / COARSE), min(plane.shape) // 2)
    # Variances add: of the triangles that it is made smaller with, and brought back, step² / 6 each.
    rest = math.sqrt(deviation**2 - step**2 / 3) / step
    # In blocks. A border that goes on needs no more than brings it back, a mirrored picture all that it reaches.
    beyond = 2 + (math.ceil(REACH * rest) if edge == "reflect" else 0)
    more = [  # whole blocks beyond the border, and what the first lacks
        (beyond * step + begin % step, beyond * step + -(count + begin) % step)
        for count, begin in zip(plane.shape, origin, strict=True)
    ]
    padded = np.pad(plane, more, mode=_NUMPY[edge])
    down, across = (side(count // step, count, 0.0, step) for count in padded.shape)
    soft = _narrow(fitted(padded, across, down), rest, edge)
    down, across = (
        side(count, old, before, 1 / step)
        for count, old, before in zip(plane.shape, soft.shape, (before / step for before, _ in more), strict=True)
    )
    return fitted(soft, across, down)


_NUMPY: dict[Edge, Literal["edge", "symmetric", "constant"]] = {
    "nearest": "edge",
    "reflect": "symmetric",
    "constant": "constant",
}


def each_plane(
    change: Callable[[NDArray[np.float32]], NDArray[np.float32]], planes: NDArray[np.float32]
) -> NDArray[np.float32]:
    """What `change` makes of every plane of (N, H, W): of small ones as many at once as there are cores; large ones are
    worked on by all cores one after another."""
    if planes[0].size > SMALL:
        return np.stack([change(plane) for plane in planes])
    made: dict[int, NDArray[np.float32]] = {}

    def work(first: int, end: int) -> None:
        for number in range(first, end):
            made[number] = change(planes[number])

    run_bands(work, len(planes), 1, alone=1)
    return np.stack([made[number] for number in range(len(planes))])


def bell(deviation: float) -> NDArray[np.float32]:
    """(r + 1,) float32: weights of a Gaussian from its middle outwards; both sides together sum to 1. r is int(4 times
    the deviation + 0.5), as SciPy has it."""
    reach = int(REACH * deviation + 0.5)
    weights = np.exp(-0.5 * (np.arange(reach + 1) / deviation) ** 2)
    return (weights / (weights[0] + 2 * weights[1:].sum())).astype(np.float32)


def sharpened(
    plane: NDArray[np.float32], deviation: float, *, edge: Edge, out: NDArray[np.float32], origin: tuple[int, int]
) -> None:
    """Twice a plane (H, W) less the plane under a Gaussian, into `out`; otherwise as `gaussian`."""
    if deviation < WIDE or min(plane.shape) < 4:
        _narrow(plane, deviation, edge, out=out, sharp=True)
    else:
        np.subtract(2 * plane, gaussian(plane, deviation, edge=edge, origin=origin), out=out)


def _narrow(
    plane: NDArray[np.float32], deviation: float, edge: Edge, *, out: NDArray[np.float32] | None = None,
    sharp: bool = False,
) -> NDArray[np.float32]:  # fmt: skip
    weights = bell(deviation)
    reach = len(weights) - 1
    source = read_only(np.ascontiguousarray(plane, np.float32))
    height, width = source.shape
    target = np.empty_like(source) if out is None else out
    rows = max(BAND_ROWS, 2 * reach)

    def work(first: int, end: int) -> None:
        padded = np.empty(width + 2 * reach, np.float32)
        along = np.empty((end - first + 2 * reach, width), np.float32)
        _blur_rows(target, source, weights, _MODES[edge], sharp, first, end, padded, along)

    run_bands(work, height, rows)
    return target


@compiled
def _place(at, count, mode):
    """The pixel that stands for place `at`, which may lie beyond the border; -1 for none."""
    if 0 <= at < count:
        return at
    if mode == 2:
        return -1
    if mode == 0:
        return 0 if at < 0 else count - 1
    at %= 2 * count
    return at if at < count else 2 * count - 1 - at


@compiled
def _blur_rows(out, plane, weights, mode, sharp, begin, end, padded, along):
    """Rows begin..end: each that they need along itself, then down the columns, while all of it lies in the cache.
    sharp: twice the plane less that.
    padded: (W + 2 r,), along: (end - begin + 2 r, W), to work in."""
    height, width = plane.shape
    reach = weights.size - 1
    for at in range(begin - reach, end + reach):
        row = _place(at, height, mode)
        target = along[at - begin + reach]
        if row < 0:
            for column in range(width):
                target[column] = 0
            continue
        for column in range(width):
            padded[reach + column] = plane[row, column]
        for k in range(1, reach + 1):
            left, right = _place(-k, width, mode), _place(width - 1 + k, width, mode)
            padded[reach - k] = plane[row, left] if left >= 0 else np.float32(0)
            padded[reach + width - 1 + k] = plane[row, right] if right >= 0 else np.float32(0)
        _scale(target, padded[reach:], weights[0])
        for k in range(1, reach + 1, 2):  # two taps on either side at once: half the times that sums are fetched
            far = min(k + 1, reach)
            weight = weights[far] if far > k else np.float32(0)
            _add(
                target,
                padded[reach - k :],
                padded[reach + k :],
                weights[k],
                padded[reach - far :],
                padded[reach + far :],
                weight,
            )
    for row in range(begin, end):
        target, at = out[row], row - begin + reach
        _scale(target, along[at], weights[0])
        for k in range(1, reach + 1, 2):
            far = min(k + 1, reach)
            weight = weights[far] if far > k else np.float32(0)
            _add(target, along[at - k], along[at + k], weights[k], along[at - far], along[at + far], weight)
        if sharp:
            for column in range(width):
                target[column] = np.float32(2) * plane[row, column] - target[column]


@compiled
def _scale(target, source, weight):
    for column in range(target.size):
        target[column] = weight * source[column]


@compiled
def _add(target, left, right, near, farther_left, farther_right, far):
    for column in range(target.size):
        target[column] += near * (left[column] + right[column]) + far * (farther_left[column] + farther_right[column])
