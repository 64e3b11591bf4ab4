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
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled

REACH = 7  # pixels around that are looked at
SHIFTS = (2 * REACH + 1) ** 2
PATCH = 1  # and their own neighbourhood
SLACK = np.float32(1.0)  # differences in units of what noise explains; more smooths more
NORMAL_STEP = np.float32(0.25)  # difference of directions that parts two surfaces
ALBEDO_STEP = np.float32(0.12)
FAR_APART = np.float32(9.0)  # by the guides; beyond it two pixels have nothing in common
MIDDLE = np.float32(0.5)  # how much the middles of two neighbourhoods count by themselves
TINY = np.float32(1e-6)
ROWS, COLUMNS = 8, 64  # of a tile, whose weights stay in the processor's own memory while every layer is cleaned

# Every loop below writes to one array and reads few: only then does the compiler take several pixels at once.


class Guides(NamedTuple):
    """What weights are made from, each (3, H, W) float32. noise: variances averaged over their surroundings; larger:
    that or the variance of the pixel itself, whichever is more."""

    beauty: NDArray[np.float32]
    noise: NDArray[np.float32]
    larger: NDArray[np.float32]
    albedo: NDArray[np.float32]
    normals: NDArray[np.float32]


class Tile(NamedTuple):
    """Rows and columns first..end-1 of a picture."""

    first: int
    end: int
    left: int
    right: int


@compiled
def beyond_noise(gap, noise, other):
    """Squared difference beyond what the noise of two pixels explains, in units of it."""
    least = noise if noise < other else other
    return (gap * gap - noise - least) / (TINY + SLACK * SLACK * (noise + other))


@compiled
def add_beyond(one, two, noise, other, total):
    """Add to total how far two rows of pixels are apart."""
    for x in range(total.size):
        total[x] += beyond_noise(one[x] - two[x], noise[x], other[x])


@compiled
def most_beyond(one, two, noise, other, worst):
    """Keep in worst how far two rows of pixels are apart, where that is more."""
    for x in range(worst.size):
        beyond = beyond_noise(one[x] - two[x], noise[x], other[x])
        worst[x] = beyond if beyond > worst[x] else worst[x]


@compiled
def add_steps(one, two, step, total):
    """Add to total the squared differences of two rows, in units of a step."""
    for x in range(total.size):
        gap = (one[x] - two[x]) / step
        total[x] += gap * gap


@compiled
def colours_apart(guides, y, left, right, dy, dx, apart, worst):
    """How far every pixel of row y, columns left..right-1, is from the one at (dy, dx) from it, by the beauty.

    Into apart the sum over the channels, by the noise of the surroundings; into worst the largest channel, by the
    larger of that and the noise as measured, so that a stray bright dot, which comes of a single sample and so is as
    noisy as it is bright, is cleaned away, and a highlight, which many samples agree on, is not.
    """
    apart[:] = np.float32(0)
    worst[:] = np.float32(0)
    here, there = slice(left, right), slice(left + dx, right + dx)
    for c in range(3):
        one, two = guides.beauty[c, y, here], guides.beauty[c, y + dy, there]
        add_beyond(one, two, guides.noise[c, y, here], guides.noise[c, y + dy, there], apart)
        most_beyond(one, two, guides.larger[c, y, here], guides.larger[c, y + dy, there], worst)


@compiled
def surfaces_apart(guides, y, left, right, dy, dx, apart):
    """The same by surface colour and direction: squared distance in units of the steps that part two surfaces."""
    apart[:] = np.float32(0)
    here, there = slice(left, right), slice(left + dx, right + dx)
    for c in range(3):
        add_steps(guides.normals[c, y, here], guides.normals[c, y + dy, there], NORMAL_STEP, apart)
        add_steps(guides.albedo[c, y, here], guides.albedo[c, y + dy, there], ALBEDO_STEP, apart)


@compiled
def weigh(guides, tile, dy, dx, scratch, weights):
    """Into weights (ROWS, COLUMNS): how alike every pixel of a tile and the one at (dy, dx) from it are; 0 where that
    lies outside the picture.

    scratch: (2 (ROWS + 2 PATCH) + 2, COLUMNS + 4 PATCH).
    """
    height, width = guides.beauty.shape[1:]
    low, high = max(0, -dy), min(height, height - dy)  # rows and columns whose partner lies in the picture
    left, right = max(0, -dx), min(width, width - dx)
    begin, stop = max(left, tile.left - PATCH), min(right, tile.right + PATCH)
    weights[:] = np.float32(0)
    if begin >= stop:
        return
    size = stop - begin
    for y in range(max(low, tile.first - PATCH), min(high, tile.end + PATCH)):
        place = 2 * (y - tile.first + PATCH)
        colours_apart(guides, y, begin, stop, dy, dx, scratch[place, :size], scratch[place + 1, :size])
    surfaces, column = scratch[-2, :size], scratch[-1, : size + 2 * PATCH]
    for y in range(max(low, tile.first), min(high, tile.end)):
        surfaces_apart(guides, y, begin, stop, dy, dx, surfaces)
        above, below = max(low, y - PATCH), min(high, y + PATCH + 1)
        column[:] = np.float32(0)
        for v in range(above, below):
            add_row(scratch[2 * (v - tile.first + PATCH), :size], column[PATCH : PATCH + size])
        worst = scratch[2 * (y - tile.first + PATCH) + 1]
        for x in range(max(begin, tile.left), min(stop, tile.right)):
            place = x - begin
            if surfaces[place] >= FAR_APART:
                continue
            total = column[place] + column[place + 1] + column[place + 2]
            count = min(right, x + PATCH + 1) - max(left, x - PATCH)
            total /= np.float32(3 * (below - above) * count)
            middle = MIDDLE * worst[place]
            apart = middle if middle > total else total
            weights[y - tile.first, x - tile.left] = math.exp(-surfaces[place] - apart)


@compiled
def add_row(row, total):
    """Add a row to another."""
    for x in range(total.size):
        total[x] += row[x]


@compiled
def add_weighted(row, weights, total):
    """Add a row to another, every pixel times its own weight."""
    for x in range(total.size):
        total[x] += row[x] * weights[x]


@compiled
def filter_tile(guides, layers, tile, scratch, weights, total, out):
    """Clean a tile of every layer. layers, out: (L, H, W), out zeros. Scratch: weights (SHIFTS, ROWS, COLUMNS), total
    (ROWS, COLUMNS) and that of `weigh`."""
    height, width = layers.shape[1:]
    total[:] = np.float32(0)
    for shift in range(SHIFTS):
        weigh(guides, tile, shift // (2 * REACH + 1) - REACH, shift % (2 * REACH + 1) - REACH, scratch, weights[shift])
        for row in range(ROWS):
            add_row(weights[shift, row], total[row])
    for k in range(layers.shape[0]):
        for y in range(tile.first, tile.end):
            for dy in range(max(-REACH, -y), min(REACH + 1, height - y)):
                for dx in range(-REACH, REACH + 1):
                    left, right = max(tile.left, -dx), min(tile.right, width - dx)
                    if left < right:
                        shift = (dy + REACH) * (2 * REACH + 1) + dx + REACH
                        add_weighted(
                            layers[k, y + dy, left + dx : right + dx],
                            weights[shift, y - tile.first, left - tile.left : right - tile.left],
                            out[k, y, left:right],
                        )
            for x in range(tile.left, tile.right):
                out[k, y, x] /= total[y - tile.first, x - tile.left]


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
    noise = _spread(variance)
    guides = Guides(*map(np.ascontiguousarray, (beauty, noise, np.maximum(noise, variance), albedo, normals)))
    height, width = beauty.shape[1:]

    def work(first: int, end: int) -> None:
        scratch = np.empty((2 * (ROWS + 2 * PATCH) + 2, COLUMNS + 4 * PATCH), np.float32)
        weights = np.empty((SHIFTS, ROWS, COLUMNS), np.float32)
        total = np.empty((ROWS, COLUMNS), np.float32)
        for left in range(0, width, COLUMNS):
            tile = Tile(first, end, left, min(width, left + COLUMNS))
            filter_tile(guides, stacked, tile, scratch, weights, total, out)

    run_bands(work, height, ROWS, is_stale=is_stale)
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
