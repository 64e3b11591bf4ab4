"""Two rendered pictures held against each other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from prism.combine.sources import FrameSources
from prism.errors import SizeMismatch
from prism.pixels.stats import Difference, compare
from prism.viewing.picture import grey, step_for

VISIBLE = 4.0  # times the difference is brightened, in light


def difference_of(first: FrameSources, second: FrameSources) -> Difference:
    """Largest and mean difference of the beauty. Raises SizeMismatch, MissingChannels or UnreadableFile."""
    return compare(*_beauties(first, second, step=1))


def difference_picture(first: FrameSources, second: FrameSources, *, width: int) -> NDArray[np.uint8]:
    """Display bytes (H, W, 3) of the largest difference of the three channels, brightened; black is the same."""
    a, b = _beauties(first, second, step=step_for(first.display_window.width, width))
    apart = np.abs(a - b).max(axis=0)
    return grey(np.clip(apart * VISIBLE, 0, 1) ** (1 / 2.2))


def _beauties(first: FrameSources, second: FrameSources, *, step: int) -> tuple[NDArray, NDArray]:
    planes = [np.stack(one.pixels("beauty", step=step).planes).astype(np.float32) for one in (first, second)]
    if planes[0].shape != planes[1].shape:
        sizes = " and ".join(f"{one.shape[2]} x {one.shape[1]}" for one in planes)
        raise SizeMismatch(f"The pictures have {sizes} pixels.", advice="Compare frames of one size.")
    return planes[0], planes[1]
