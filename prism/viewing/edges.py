"""A close-up of where alpha is soft: there a wrong reading of it shows, as a dark or bright fringe."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from prism.pixels.window import Window
from prism.sources.pixels import Frame, Region
from prism.viewing.picture import Look, source_picture, to_screen

ACROSS, DOWN = 40, 24  # pixels of the close-up
ENLARGED = 8


def edge_picture(frame: Frame, key: str, look: Look) -> NDArray[np.uint8]:
    """Display bytes (H, W, 3) of the part of a pass that has most soft pixels, every pixel enlarged. Without any, the
    middle.

    Raises UnknownSource or UnreadableFile.
    """
    window = frame.window
    alpha = frame.pixels(key).alpha
    soft = np.zeros(window.shape, np.float32) if alpha is None else ((alpha > 0.02) & (alpha < 0.98)).astype(np.float32)
    size = min(DOWN, window.height), min(ACROSS, window.width)
    row, column = _softest(soft, size) if soft.any() else (side // 2 for side in window.shape)
    top = int(np.clip(row - size[0] // 2, 0, window.height - size[0]))
    left = int(np.clip(column - size[1] // 2, 0, window.width - size[1]))
    part = Window(window.x0 + left, window.y0 + top, window.x0 + left + size[1] - 1, window.y0 + top + size[0] - 1)
    picture, data = source_picture(Region(frame, part), key)
    shown = to_screen(picture.rgba, look, data=data)
    return np.repeat(np.repeat(shown, ENLARGED, axis=0), ENLARGED, axis=1)


def _softest(soft: NDArray[np.float32], size: tuple[int, int]) -> tuple[int, int]:
    """The middle of the soft pixels of the box that has most of them."""
    found = uniform_filter(soft, size, mode="constant")
    row, column = divmod(int(found.argmax()), found.shape[1])
    top, left = max(0, row - size[0] // 2), max(0, column - size[1] // 2)
    rows, columns = np.nonzero(soft[top : top + size[0], left : left + size[1]])
    return top + int(rows.mean()), left + int(columns.mean())
