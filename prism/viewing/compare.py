"""Two rendered pictures compared."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import encode_srgb
from prism.errors import SizeMismatch
from prism.pixels.stats import Difference, compare
from prism.sources.pixels import Frame
from prism.viewing.picture import grey, step_for

VISIBLE = 4.0  # times the difference is brightened, in light


def difference_of(first: Frame, second: Frame, *, key: str = "beauty") -> Difference:
    """Largest and mean difference of a pass. Raises SizeMismatch, UnknownSource or UnreadableFile."""
    return compare(*_planes(first, second, key, step=1))


def difference_picture(first: Frame, second: Frame, *, width: int, key: str = "beauty") -> NDArray[np.uint8]:
    """Display bytes (H, W, 3) of the largest difference of the three channels, brightened; black is the same."""
    a, b = _planes(first, second, key, step=step_for(first.display_window, width))
    with np.errstate(invalid="ignore"):
        gap = np.where(a == b, 0, np.abs(a - b)).max(axis=0)  # infinite depth is the same as infinite depth
    return grey(encode_srgb(np.nan_to_num(gap, nan=1, posinf=1) * VISIBLE).astype(np.float32))


def _planes(first: Frame, second: Frame, key: str, *, step: int) -> tuple[NDArray, NDArray]:
    planes = [np.stack(picture.pixels(key, step=step).planes).astype(np.float32) for picture in (first, second)]
    if planes[0].shape != planes[1].shape:
        sizes = " and ".join(f"{plane.shape[2]} x {plane.shape[1]}" for plane in planes)
        raise SizeMismatch(f"The pictures have {sizes} pixels.", advice="Compare frames of one size.")
    return planes[0], planes[1]
