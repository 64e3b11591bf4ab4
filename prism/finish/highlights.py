"""What is brighter than a threshold: what glows, and what rays and flares come from."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from prism.finish.planes import brightness, finite, in_bands
from prism.pixels.picture import Picture


def highlights(picture: Picture, threshold: float, most: float = float("inf")) -> NDArray[np.float32]:
    """(3, H, W): of every pixel's light the share by which its luminance is above the threshold, but no more than
    `most`, in its own colour; 0 where anything is not finite or negative."""

    def parted(rgba: NDArray[np.float32]) -> NDArray[np.float32]:
        clean = finite(rgba)[:3]
        light = brightness(clean, picture.space)
        bright = light > max(threshold, 0)
        above = np.minimum(light - np.float32(threshold), np.float32(most))
        share = np.divide(above, light, out=np.zeros_like(light), where=bright)
        return np.maximum(clean, 0) * share

    return in_bands(parted, 3, picture.rgba)


def edges(picture: Picture, threshold: float) -> NDArray[np.float32]:
    """(3, H, W): the slope of luminance by full pixel, less the threshold, in the colour of the pixel; 0 where anything
    is not finite or negative."""
    rgb = np.maximum(finite(picture.rgba)[:3], 0)
    light = brightness(rgb, picture.space)
    if min(light.shape) < 2:
        return np.zeros_like(rgb)
    down, across = np.gradient(light)
    slope = np.maximum(np.hypot(down, across) / np.float32(picture.step) - np.float32(threshold), 0)
    return rgb * np.divide(slope, light, out=np.zeros_like(light), where=light > 0)
