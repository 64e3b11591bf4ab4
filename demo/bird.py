"""A paper bird that flies through the close shot: a flat picture of its own size, one a frame, folded from facets."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow
from PIL import ImageDraw

from demo.conservatory import FIRST, LAST
from prism.formats.exr import write_exr
from prism.pixels.image import Image

NAME = "paper_bird"
WIDTH, HEIGHT = 330, 248
FINER = 8  # times as fine as it is drawn, for soft edges
BEATS = 6  # of the wings over the shot
PAPER = np.array([1.9, 1.75, 1.5])  # near the lamp at the hub


def folder_in(shot: Path) -> Path:
    """Where its frames are in the folder of a shot."""
    return shot / "elements" / f"{NAME}_v001"


def draw_all(shot: Path) -> Path:
    """Write every frame that is not there yet. Returns their folder. Raises UnwritableFile."""
    folder = folder_in(shot)
    folder.mkdir(parents=True, exist_ok=True)
    for frame in range(FIRST, LAST + 1):
        path = folder / f"{NAME}_v001.{frame}.exr"
        if not path.exists():
            rgba = picture(frame).astype(np.float16)
            write_exr(path, Image.of_planes(dict(zip("RGBA", rgba, strict=True))))
    return folder


def picture(frame: int) -> NDArray[np.float32]:
    """(4, HEIGHT, WIDTH), premultiplied light."""
    beat = math.sin(2 * math.pi * BEATS * (frame - FIRST) / (LAST - FIRST + 1))
    total = np.zeros((4, HEIGHT, WIDTH), np.float32)
    for light, corners in _facets(beat):
        alpha = _cover(corners)
        total = total * (1 - alpha)
        total[:3] += (PAPER * light)[:, np.newaxis, np.newaxis] * alpha
        total[3] += alpha
    return total.astype(np.float32)


def _facets(beat: float) -> list[tuple[float, list[tuple[float, float]]]]:
    """How bright each is, and its corners in shares of the picture; the wing behind first."""
    up = 0.42 - 0.36 * beat
    back, chest, tail, head = (0.46, 0.52), (0.62, 0.70), (0.06, 0.50), (0.94, 0.40)
    return [
        (0.16 + 0.06 * beat, [back, (0.66, 0.54), (0.50, up - 0.02), (0.38, up + 0.06)]),
        (0.24, [tail, back, chest, (0.40, 0.62)]),
        (0.34, [back, head, chest]),
        (0.46 - 0.12 * beat, [back, (0.60, 0.60), (0.34, up + 0.02), (0.24, up + 0.12)]),
    ]


def _cover(corners: list[tuple[float, float]]) -> NDArray[np.float32]:
    large = Pillow.new("L", (WIDTH * FINER, HEIGHT * FINER))
    ImageDraw.Draw(large).polygon([(x * large.width, y * large.height) for x, y in corners], fill=255)
    return np.asarray(large.resize((WIDTH, HEIGHT), Pillow.Resampling.BOX), np.float32) / np.float32(255)
