"""A denoiser guided by variance, normals and albedo: one set of weights for all parts of the light, so that they still
sum.

Non-local means: a pixel becomes the mean of those around it whose neighbourhoods look alike, where differences that
noise explains do not count. Sources: Buades, Coll & Morel, "A Non-Local Algorithm for Image Denoising", 2005;
Rousselle, Knaus & Zwicker, "Adaptive Rendering with Non-Local Means Filtering", 2012, for the distance that knows the
variance.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled

REACH = 7  # pixels around that are looked at
PATCH = 1  # and their own neighbourhood
ROWS_HELD = 2 * PATCH + 1  # of distances, while neighbourhoods are summed
SLACK = np.float32(1.0)  # differences in units of what noise explains; more smooths more
NORMAL_STEP = np.float32(0.25)  # difference of directions that parts two surfaces
ALBEDO_STEP = np.float32(0.12)
FAR_APART = np.float32(9.0)  # by the guides; beyond it two pixels have nothing in common
MIDDLE = np.float32(0.5)  # how much the middles of two neighbourhoods count by themselves
TINY = np.float32(1e-6)
BAND_ROWS = 8


@compiled
def guides_apart(albedo, normals, y, first, end, dy, dx, apart):
    """Into apart, for row y from column first to end-1: squared distance of every pixel to the one at (dy, dx) from it,
    by surface colour and direction, in units of the steps that part two surfaces."""
    for x in range(first, end):
        total = np.float32(0)
        for c in range(3):
            turn = (normals[c, y, x] - normals[c, y + dy, x + dx]) / NORMAL_STEP
            shade = (albedo[c, y, x] - albedo[c, y + dy, x + dx]) / ALBEDO_STEP
            total += turn * turn + shade * shade
        apart[x] = total


@compiled
def colours_apart(beauty, measured, variance, y, first, end, dy, dx, apart, worst):
    """The same as guides_apart, for the beauty: squared difference beyond what the noise of the two explains, in
    units of it.

    Into apart the sum over the channels, by the noise of the surroundings; into worst the largest channel, by the
    larger of that and the noise as measured, so that a stray bright dot, which comes of a single sample and so is as
    noisy as it is bright, is cleaned away, and a highlight, which many samples agree on, is not.
    """
    for x in range(first, end):
        apart[x] = np.float32(0)
        worst[x] = np.float32(0)
    for c in range(3):
        for x in range(first, end):
            gap = beauty[c, y, x] - beauty[c, y + dy, x + dx]
            noise = variance[c, y, x]
            other = variance[c, y + dy, x + dx]
            apart[x] += (gap * gap - noise - min(noise, other)) / (TINY + SLACK * SLACK * (noise + other))
            noise = max(noise, measured[c, y, x])
            other = max(other, measured[c, y + dy, x + dx])
            beyond = (gap * gap - noise - min(noise, other)) / (TINY + SLACK * SLACK * (noise + other))
            worst[x] = max(worst[x], beyond)


@compiled
def add_shifted(beauty, measured, variance, albedo, normals, layers, first, end, dy, dx, scratch, weights, out):
    """Add to rows first..end-1 of out every layer as it is (dy, dx) pixels away, as far as the two places look
    alike."""
    height, width = beauty.shape[1:]
    low, high = max(0, -dy), min(height, height - dy)  # rows and columns whose partner lies in the picture
    left, right = max(0, -dx), min(width, width - dx)
    for y in range(max(low, first - PATCH), min(high, end + PATCH)):
        colours_apart(
            beauty,
            measured,
            variance,
            y,
            left,
            right,
            dy,
            dx,
            scratch[y % ROWS_HELD],
            scratch[ROWS_HELD + y % ROWS_HELD],
        )
        centre = y - PATCH
        if low <= centre and first <= centre:
            add_row(albedo, normals, layers, first, centre, low, high, left, right, dy, dx, scratch, weights, out)
    if high < end + PATCH:
        for centre in range(max(low, first, high - PATCH), min(high, end)):
            add_row(albedo, normals, layers, first, centre, low, high, left, right, dy, dx, scratch, weights, out)


@compiled
def add_row(albedo, normals, layers, first, y, low, high, left, right, dy, dx, scratch, weights, out):
    """One row of add_shifted; scratch holds the distances of it and of the rows about it."""
    likeness = scratch[2 * ROWS_HELD]
    guides_apart(albedo, normals, y, left, right, dy, dx, likeness)
    above, below = max(low, y - PATCH), min(high, y + PATCH + 1)
    column = scratch[2 * ROWS_HELD + 1]
    for x in range(left, right):
        column[x] = np.float32(0)
    for v in range(above, below):
        for x in range(left, right):
            column[x] += scratch[v % ROWS_HELD, x]
    for x in range(left, right):
        if likeness[x] >= FAR_APART:
            likeness[x] = 0.0
            continue
        before, beyond = max(left, x - PATCH), min(right, x + PATCH + 1)
        total = np.float32(0)
        for u in range(before, beyond):
            total += column[u]
        total /= np.float32(3 * (below - above) * (beyond - before))
        middle = MIDDLE * scratch[ROWS_HELD + y % ROWS_HELD, x]
        likeness[x] = math.exp(-likeness[x] - max(middle, total))
    for x in range(left, right):
        weights[y - first, x] += likeness[x]
    for k in range(layers.shape[0]):
        for x in range(left, right):
            out[k, y, x] += likeness[x] * layers[k, y + dy, x + dx]


@compiled
def filter_band(beauty, measured, variance, albedo, normals, layers, first, end, scratch, weights, out):
    """Rows first..end-1. beauty, measured, variance, albedo, normals: (3, H, W). layers, out: (L, H, W), out zeros.
    scratch: (2 ROWS_HELD + 2, W). weights: (end - first, W), zeros. All float32.

    measured: variances by pixel; variance: averaged over their surroundings.
    """
    for dy in range(-REACH, REACH + 1):
        for dx in range(-REACH, REACH + 1):
            add_shifted(beauty, measured, variance, albedo, normals, layers, first, end, dy, dx, scratch, weights, out)
    for k in range(layers.shape[0]):
        for y in range(first, end):
            for x in range(beauty.shape[2]):
                out[k, y, x] /= weights[y - first, x]


def denoise(
    layers: Mapping[str, NDArray[np.float32]],
    *,
    beauty: NDArray[np.float32],
    variance: NDArray[np.float32],
    albedo: NDArray[np.float32],
    normals: NDArray[np.float32],
    is_stale: Callable[[], bool] = lambda: False,
) -> dict[str, NDArray[np.float32]]:
    """Every layer (C, H, W) cleaned with the same weights: what summed to the beauty before still does.

    beauty, variance (of its mean), albedo, normals: (3, H, W) float32. Raises Superseded if `is_stale` turns true.
    """
    stacked = np.concatenate(list(layers.values())).astype(np.float32)
    out = np.zeros_like(stacked)
    smooth = _spread(variance)

    def work(first: int, end: int) -> None:
        scratch = np.empty((2 * ROWS_HELD + 2, beauty.shape[2]), np.float32)
        weights = np.zeros((end - first, beauty.shape[2]), np.float32)
        filter_band(beauty, variance, smooth, albedo, normals, stacked, first, end, scratch, weights, out)

    run_bands(work, beauty.shape[1], BAND_ROWS, is_stale=is_stale)
    cleaned, place = {}, 0
    for name, planes in layers.items():
        cleaned[name] = out[place : place + len(planes)]
        place += len(planes)
    return cleaned


def _spread(variance: NDArray[np.float32]) -> NDArray[np.float32]:
    """Variances averaged over 3 x 3 pixels: those of few samples are noisy themselves."""
    padded = np.pad(variance, ((0, 0), (1, 1), (1, 1)), mode="edge")
    height, width = variance.shape[1:]
    total = sum(padded[:, dy : dy + height, dx : dx + width] for dy in range(3) for dx in range(3))
    return np.ascontiguousarray(total / np.float32(9))
