"""Arithmetic on planes that several kinds of steps share."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.colour.spaces import luminance
from prism.compiled import read_only
from prism.pixels.blur import Edge, each_plane, gaussian
from prism.pixels.picture import Picture

REC709_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709-6, rounded as ASC CDL v1.2 has them
REC709_LUMA.setflags(write=False)
BAND_PIXELS = 1 << 15
DISPLAY = "display"  # the space of a picture after the view


def brightness(rgb: NDArray[np.float32], space: str) -> NDArray[np.float32]:
    """(H, W): luminance of light (3, H, W) in a working space; luma of display values after Rec.709."""
    if space == DISPLAY:
        return np.tensordot(REC709_LUMA, rgb, axes=1)
    return luminance(rgb, space)


def by_channel(values: Sequence[float] | NDArray[Any]) -> NDArray[np.float32]:
    """(3, 1, 1) float32: a number for each of R, G and B, to be joined with planes (3, H, W)."""
    return np.asarray(values, np.float32)[:, np.newaxis, np.newaxis]


def on_straight(picture: Picture, change: Callable[[NDArray[np.float32]], NDArray[np.float32]]) -> NDArray[np.float32]:
    """What `change` makes of whole colour (3, H, W): divided by alpha before and multiplied after, where that is above
    0. Elsewhere light without coverage is taken as it is; display values are whole already."""
    rgba = picture.rgba
    if picture.space == DISPLAY:
        return np.concatenate([change(rgba[:3]), rgba[3:]])
    alpha = rgba[3]
    if (alpha == 1).all():
        return np.concatenate([change(rgba[:3]), rgba[3:]])
    weight = np.where(alpha > 0, alpha, np.float32(1)).astype(np.float32)
    return np.concatenate([change(rgba[:3] / weight) * weight, rgba[3:]])


def places(picture: Picture) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """x (1, W) and y (H, 1): the middles of all pixels, in full pixels from the upper left corner of the display
    window."""
    height, width = picture.rgba.shape[1:]
    left, top = picture.window.x0 - picture.display_window.x0, picture.window.y0 - picture.display_window.y0
    x = left + (np.arange(width, dtype=np.float32) + 0.5) * picture.step
    y = top + (np.arange(height, dtype=np.float32) + 0.5) * picture.step
    return x[np.newaxis], y[:, np.newaxis]


def blurred(planes: NDArray[np.float32], deviation: float, picture: Picture, *, edge: Edge) -> NDArray[np.float32]:
    """Planes (N, H, W) of a picture under a Gaussian whose deviation is in full pixels. Values that are not finite must
    have been taken out."""
    origin = picture.window.y0 // picture.step, picture.window.x0 // picture.step
    return each_plane(lambda plane: gaussian(plane, deviation / picture.step, edge=edge, origin=origin), planes)


def in_bands(
    change: Callable[..., NDArray[np.float32]], count: int, *planes: NDArray[np.float32]
) -> NDArray[np.float32]:
    """(count, H, W): what `change` makes of planes (N, H, W) and (H, W), some rows of all of them at a time, on all
    cores."""
    height, width = planes[0].shape[-2:]
    out = np.empty((count, height, width), np.float32)

    def work(first: int, end: int) -> None:
        out[:, first:end] = change(*(each[..., first:end, :] for each in planes))

    run_bands(work, height, max(1, BAND_PIXELS // max(1, width)), alone=2)
    return out


def are_finite(planes: NDArray[np.float32]) -> bool:
    """Whether all values of planes (N, H, W) are. One look at all of them: a sum of what is finite is, unless it is so
    immense that it is taken for what is not."""
    sums: list[np.float32] = []

    def add(first: int, end: int) -> None:
        with np.errstate(over="ignore", invalid="ignore"):
            sums.append(planes[:, first:end].sum())

    height, width = planes.shape[1:]
    run_bands(add, height, max(1, 8 * BAND_PIXELS // max(1, width)), alone=1)
    return bool(np.isfinite(sums).all())


def finite(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """Planes with 0 in place of NaN and infinity, in every plane (N, H, W) of such a pixel: so that they do not spread
    into others."""
    if are_finite(planes):
        return planes
    bad = ~np.isfinite(planes).all(axis=0)
    return read_only(np.where(bad, np.float32(0), planes)) if bad.any() else planes
