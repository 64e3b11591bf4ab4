"""A denoiser guided by variance, normals and albedo: one set of weights for all parts of the light, so that they still sum.

Non-local means: a pixel becomes the mean of those around it whose neighbourhoods look alike, where differences that
noise explains do not count. Sources: Buades, Coll & Morel, "A Non-Local Algorithm for Image Denoising", 2005; Rousselle,
Knaus & Zwicker, "Adaptive Rendering with Non-Local Means Filtering", 2012, for the distance that knows the variance.
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
SLACK = 1.0  # differences in units of what noise explains; more smooths more
NORMAL_STEP = 0.25  # difference of directions that parts two surfaces
ALBEDO_STEP = 0.12
MIDDLE = 0.5  # how much the middles of two neighbourhoods count by themselves
TINY = 1e-6
BAND_ROWS = 16


@compiled
def pixel_distance(beauty, own, variance, y, x, v, u):
    """Squared difference of two pixels beyond what their noise explains, by their noise; the worst channel counts.

    own: variances as measured. The noise of either is the larger of that and of its surroundings, so that a stray bright
    dot, which comes of a single sample and so is as noisy as it is bright, is cleaned away, and a highlight, which many
    samples agree on, is not.
    """
    worst = 0.0
    for c in range(3):
        noise = max(own[c, y, x], variance[c, y, x])
        other = max(own[c, v, u], variance[c, v, u])
        gap = beauty[c, y, x] - beauty[c, v, u]
        worst = max(worst, (gap * gap - noise - min(noise, other)) / (TINY + SLACK * SLACK * (noise + other)))
    return worst


@compiled
def colour_distance(beauty, own, variance, y, x, v, u):
    """How far two neighbourhoods are apart beyond what their noise explains: on average, or their middles alone if they
    are farther."""
    height, width = beauty.shape[1:]
    total = 0.0
    for dy in range(-PATCH, PATCH + 1):
        for dx in range(-PATCH, PATCH + 1):
            ay = min(height - 1, max(0, y + dy))
            ax = min(width - 1, max(0, x + dx))
            by = min(height - 1, max(0, v + dy))
            bx = min(width - 1, max(0, u + dx))
            for c in range(3):
                noise = variance[c, ay, ax]
                other = variance[c, by, bx]
                gap = beauty[c, ay, ax] - beauty[c, by, bx]
                total += (gap * gap - noise - min(noise, other)) / (TINY + SLACK * SLACK * (noise + other))
    middle = MIDDLE * pixel_distance(beauty, own, variance, y, x, v, u)
    return max(middle, max(0.0, total / (3.0 * (2 * PATCH + 1) ** 2)))


@compiled
def guide_distance(guide, y, x, v, u, step):
    """Squared distance of two pixels of a (C, H, W) guide, in units of `step`."""
    total = 0.0
    for c in range(3):
        gap = guide[c, y, x] - guide[c, v, u]
        total += gap * gap
    return total / (step * step)


@compiled
def filter_band(beauty, own, variance, albedo, normals, layers, first, end, out):
    """Rows first..end-1. beauty, own, variance, albedo, normals: (3, H, W). layers, out: (L, H, W)."""
    height, width = beauty.shape[1:]
    for y in range(first, end):
        for x in range(width):
            weight = 0.0
            for k in range(layers.shape[0]):
                out[k, y, x] = 0.0
            for v in range(max(0, y - REACH), min(height, y + REACH + 1)):
                for u in range(max(0, x - REACH), min(width, x + REACH + 1)):
                    apart = guide_distance(normals, y, x, v, u, NORMAL_STEP)
                    if apart < 9.0:
                        apart += guide_distance(albedo, y, x, v, u, ALBEDO_STEP)
                    if apart >= 9.0:
                        continue
                    apart += colour_distance(beauty, own, variance, y, x, v, u)
                    likeness = math.exp(-apart)
                    weight += likeness
                    for k in range(layers.shape[0]):
                        out[k, y, x] += likeness * layers[k, v, u]
            for k in range(layers.shape[0]):
                out[k, y, x] /= weight


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
    out = np.empty_like(stacked)
    smooth = _spread(variance)

    def work(first: int, end: int) -> None:
        filter_band(beauty, variance, smooth, albedo, normals, stacked, first, end, out)

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
