"""Luma with subsampled chroma turned into RGB.

Source: OpenEXR technical introduction, luminance-chroma images, and the filter of the library's own reader: RY =
(R-Y)/Y and BY = (B-Y)/Y at every other pixel of every other row, filled in by a filter of 27 taps; where that makes a
pixel far more saturated than its neighbours, it is desaturated again.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from prism.pixels.channels import CHROMA

_TAPS = np.array([0.002128, -0.007540, 0.019597, -0.043159, 0.087929, -0.186077, 0.627123], np.float32)
_KERNEL = np.concatenate([_TAPS, _TAPS[::-1]])  # at distances 13, 11 .. 1, 1 .. 13 full pixels


def to_rgb(
    luma: NDArray, red: NDArray, blue: NDArray, weights: NDArray[np.float32], *, filled: bool
) -> NDArray[np.float32]:
    """float32 (3, H, W) of the planes Y, RY and BY, all (H, W). filled: the chroma was subsampled and filled in.

    weights: of R, G, B in luminance, by the primaries of the file.
    """
    luma = luma.astype(np.float32)
    r, b = (red + 1) * luma, (blue + 1) * luma
    rgb = np.stack([r, (luma - r * weights[0] - b * weights[2]) / weights[1], b])
    rgb = np.where((red == 0) & (blue == 0), luma, rgb).astype(np.float32)
    return _less_saturated(rgb, weights).astype(np.float32) if filled else rgb


def at_full_size(name: str, plane: NDArray, shape: tuple[int, int]) -> NDArray:
    """A subsampled plane (h, w) with as many pixels as the picture: chroma by the filter, anything else with every
    sample repeated."""
    if name.rpartition(".")[2].upper() in CHROMA[1:]:
        return _lengthened(_lengthened(plane.astype(np.float32), shape[1]).T, shape[0]).T
    across, down = (-(-full // stored) for full, stored in zip(shape[::-1], plane.shape[::-1], strict=True))
    return np.repeat(np.repeat(plane, down, axis=0), across, axis=1)[: shape[0], : shape[1]]


def _lengthened(plane: NDArray[np.float32], length: int) -> NDArray[np.float32]:
    """Along the last axis: samples stay where they are, every other pixel is filtered from them."""
    full = np.empty((*plane.shape[:-1], length), np.float32)
    full[..., ::2] = plane
    between = length // 2
    padded = np.pad(plane, ((0, 0), (len(_TAPS) - 1, len(_TAPS) + 1)), mode="edge")
    full[..., 1::2] = sum(tap * padded[..., at : at + between] for at, tap in enumerate(_KERNEL))
    return full


def _saturation(rgb: NDArray[np.float32]) -> NDArray[np.float32]:
    most, least = rgb.max(axis=0), rgb.min(axis=0)
    return np.divide(most - least, most, out=np.zeros_like(most), where=most > 0)


def _less_saturated(rgb: NDArray[np.float32], weights: NDArray[np.float32]) -> NDArray[np.float32]:
    """Pixels much more saturated than the mean of their four diagonal neighbours, brought down towards it at equal
    luminance."""
    around = np.pad(_saturation(rgb), 1, mode="edge")
    own = around[1:-1, 1:-1]
    mean = np.minimum(1, (around[:-2, :-2] + around[:-2, 2:] + around[2:, :-2] + around[2:, 2:]) / 4)
    most = np.minimum(1, 1 - (1 - mean) / 4)
    wrong = (own > mean) & (own > most)
    if not wrong.any():
        return rgb
    peak = rgb.max(axis=0)
    share = np.divide(most, own, out=np.ones_like(own), where=wrong)
    paler = np.maximum(peak - (peak - rgb) * share, 0)
    before, after = (np.tensordot(weights, planes, axes=1) for planes in (rgb, paler))
    paler *= np.divide(before, after, out=np.ones_like(after), where=after != 0)
    return np.where(wrong, paler, rgb)
