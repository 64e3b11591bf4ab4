"""The pass sheet: all passes of a frame as small pictures in a grid, each in its best remap, with its name."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow
from PIL import ImageDraw, ImageFont

from prism.sources.pixels import Frame, Source
from prism.viewing.picture import Look, source_picture, step_for, to_screen

MARGIN, CAPTION, HEAD = 16, 24, 40  # pixels
SHAPE = 1.6  # width of a sheet by its height, about that of a screen
GROUND, INK, QUIET = (27, 27, 27), (230, 230, 230), (169, 169, 169)
LETTERS = 15


def pass_sheet(frame: Frame, look: Look, *, width: int, title: str) -> NDArray[np.uint8]:
    """Display bytes (H, W, 3) of a sheet of about SHAPE. width: most pixels of one picture.

    Raises what reading the passes raises.
    """
    sources = [source for source in frame if not source.excluded]
    frame.read(source.key for source in sources)
    pictures = [_small(frame, source, look, width) for source in sources]
    high, wide = (max(picture.shape[side] for picture in pictures) for side in (0, 1))
    across = max(1, round((len(sources) * high / wide * SHAPE) ** 0.5))
    down = -(-len(sources) // across)
    size = (MARGIN + across * (wide + MARGIN), HEAD + down * (high + CAPTION + MARGIN))
    sheet = Pillow.new("RGB", size, GROUND)
    pen = ImageDraw.Draw(sheet)
    letters = ImageFont.load_default(LETTERS)
    pen.text((MARGIN, HEAD / 2), title, INK, letters, anchor="lm")
    for place, (source, picture) in enumerate(zip(sources, pictures, strict=True)):
        x = MARGIN + place % across * (wide + MARGIN)
        y = HEAD + place // across * (high + CAPTION + MARGIN)
        sheet.paste(Pillow.fromarray(picture), (x, y))
        pen.text((x, y + high + CAPTION / 2), _fitting(pen, source.title, letters, wide), QUIET, letters, anchor="lm")
    return np.asarray(sheet)


def _small(frame: Frame, source: Source, look: Look, width: int) -> NDArray[np.uint8]:
    step = step_for(frame.display_window, width)
    picture, data = source_picture(frame, source.key, step=step)
    return to_screen(picture.on_display, look, data=data)


def _fitting(pen: ImageDraw.ImageDraw, text: str, letters, wide: int) -> str:
    """A caption cut to its column."""
    while text and pen.textlength(text, letters) > wide:
        text = text[:-2].rstrip("…") + "…"
    return text
