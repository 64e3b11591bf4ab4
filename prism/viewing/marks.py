"""Pixels that a look must not hide: beyond white, below black, not a number."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

MARKS = ("over", "negative", "nan")
_TONES = {"over": (255, 120, 0), "negative": (0, 150, 255), "nan": (255, 0, 255)}


def marked(
    shown: NDArray[np.uint8], rgb: NDArray[np.float32], marks: tuple[str, ...], *, white: float = 1.0
) -> NDArray[np.uint8]:
    """Display bytes (H, W, 3) with the pixels of `rgb` (3, H, W) that fall under a mark in that mark's colour.

    white: the light that is shown as full white, by the exposure in use.
    """
    if not marks:
        return shown
    shown = shown.copy()
    with np.errstate(invalid="ignore"):
        found = {
            "over": (rgb > white).any(axis=0),
            "negative": (rgb < 0).any(axis=0),
            "nan": ~np.isfinite(rgb).all(axis=0),
        }
    for mark in MARKS:
        if mark in marks:
            shown[found[mark]] = _TONES[mark]
    return shown
