"""Whether what measures the same surface agrees: depth, position and normals of one pixel come from one camera.

Depth along the viewing axis is linear in position; distance from the camera, squared, is quadratic in it. Neighbouring
positions lie square to the normal. Where neither holds, one of them was rendered through another camera, or at another
frame. Plain geometry.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

MOST_POINTS = 20_000
FEWEST_POINTS = 200
EMPTY = 1e9  # what measures more is no surface; common practice, no source
OFF = 0.05  # median of the misfit, in parts of the spread of depths, from which they do not agree
SQUARE = 0.5  # median of the cosine between the normal and the surface that positions make, below which they do not


def disagreements(planes: Mapping[str, NDArray]) -> list[tuple[str, str]]:
    """(key, what) of pairs that do not agree. planes: by depth (H, W), position (3, H, W) and normals (3, H, W), as far
    as they are there."""
    position, depth, normals = (planes.get(key) for key in ("position", "depth", "normals"))
    found = []
    if position is not None and depth is not None and depth.shape == position.shape[1:] and not _fits(depth, position):
        found.append(("depth", "position"))
    if (
        position is not None
        and normals is not None
        and normals.shape == position.shape
        and not _is_square(normals, position)
    ):
        found.append(("normals", "position"))
    return found


def _fits(depth: NDArray, position: NDArray) -> bool:
    z, p = depth.reshape(-1).astype(np.float64), position.reshape(3, -1).astype(np.float64)
    use = np.isfinite(z) & (np.abs(z) < EMPTY) & (z != 0) & np.isfinite(p).all(axis=0) & (p != 0).any(axis=0)
    places = np.flatnonzero(use)
    if places.size < FEWEST_POINTS:
        return True
    places = places[:: max(1, places.size // MOST_POINTS)]
    z, p = z[places], p[:, places]
    spread = np.percentile(z, 95) - np.percentile(z, 5)
    if spread <= 1e-6 * max(1.0, abs(z).max()):
        return True
    linear = np.stack([*p, np.ones_like(z)])
    square = np.stack([(p**2).sum(axis=0), *p, np.ones_like(z)])
    misfits = (np.abs(_rest(linear, z)), np.abs(_rest(square, z**2)) / np.maximum(2 * np.abs(z), 1e-9))
    return min(float(np.median(misfit)) for misfit in misfits) <= OFF * float(spread)


def _rest(terms: NDArray, value: NDArray) -> NDArray:
    """What a fit leaves, made twice: the second time without the worst tenth, which lies at edges."""
    keep = np.ones(value.size, bool)
    for _ in range(2):
        weights = np.linalg.lstsq(terms[:, keep].T, value[keep], rcond=None)[0]
        rest = value - weights @ terms
        keep = np.abs(rest) <= np.percentile(np.abs(rest), 90)
    return rest


def _is_square(normals: NDArray, position: NDArray) -> bool:
    n, p = normals.astype(np.float64), position.astype(np.float64)
    across, down = p[:, :-1, 1:] - p[:, :-1, :-1], p[:, 1:, :-1] - p[:, :-1, :-1]
    surface, n = np.cross(across, down, axis=0), n[:, :-1, :-1]
    size, length = np.linalg.norm(surface, axis=0), np.linalg.norm(n, axis=0)
    use = np.isfinite(size) & np.isfinite(length) & (size > 0) & (length > 0.5)
    if use.sum() < FEWEST_POINTS:
        return True
    cosine = np.abs((surface * n).sum(axis=0)[use]) / (size[use] * length[use])
    return float(np.median(cosine)) >= SQUARE
