"""Contact sheets: any number of pictures in a grid, whatever their aspects."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow
from pydantic import Field

from prism.colour.developing import colour_of
from prism.documents import Document
from prism.errors import BadArgument
from prism.fields import Shown
from prism.keyed import Within
from prism.naming.words import filled
from prism.pixels.letters import fitting
from prism.sheets.page import Page, Words, require_size

CAPTION_FIELDS = ("name", "stem", "index", "frame", "shot", "pass", "version", "ledger", "note")
CAPTION_SHARE = 1.6  # height of the caption's strip by the size of its letters
DARK = 0.5  # luma below which words are light
Pixels = Annotated[int, Within(0, 20_000)]


class SheetLayout(Document):
    """How pictures lie in a grid, in pixels; kept, and filled again with others. A sheet is as wide as its two margins,
    its columns and the gaps between them, and as high likewise; a title adds its line at the top. caption: below each
    picture, inside its cell."""

    format: Literal["eager-prism.sheet"] = "eager-prism.sheet"
    version: Literal[1] = 1
    columns: Annotated[int, Within(1, 200), Shown(title="columns", step=0.1, digits=0)] = 4
    cell_width: Annotated[int, Within(8, 8192), Shown(title="cell width", unit="px", step=1, digits=0)] = 480
    cell_height: Annotated[int, Within(8, 8192), Shown(title="cell height", unit="px", step=1, digits=0)] = 300
    gap: Annotated[Pixels, Shown(title="gap", unit="px", step=0.25, digits=0)] = 16
    margin: Annotated[Pixels, Shown(title="margin", unit="px", step=0.25, digits=0)] = 32
    background: Annotated[str, Field(pattern=r"^#[0-9A-Fa-f]{6}$"), Shown(title="background", takes="colour")] = (
        "#1b1b1b"
    )
    fill: Annotated[Literal["fit", "fill"], Shown(title="in its cell", words={"fit": "whole", "fill": "fills it"})] = (
        "fit"
    )
    caption: Annotated[str, Field(max_length=300), Shown(title="caption", takes="text")] = ""
    title: Annotated[str, Field(max_length=300), Shown(title="title", takes="text")] = ""
    letters: Annotated[int, Within(4, 400), Shown(title="letters", unit="px", step=0.25, digits=0)] = 16
    dpi: Annotated[float, Within(10, 2400), Shown(title="dots to an inch", step=1, digits=0)] = 150.0

    def size(self, count: int) -> tuple[int, int]:
        """Width and height of a sheet of so many pictures."""
        rows = max(1, -(-count // self.columns))
        width = 2 * self.margin + self.columns * self.cell_width + (self.columns - 1) * self.gap
        height = 2 * self.margin + rows * self.cell_height + (rows - 1) * self.gap
        return width, height + self.title_height

    @property
    def title_height(self) -> int:
        """The height of the line at the top."""
        return round(2 * self.letters * CAPTION_SHARE) if self.title else 0

    @property
    def caption_height(self) -> int:
        """The height of the strip at the foot of a cell."""
        return round(self.letters * CAPTION_SHARE) if self.caption else 0

    def cell(self, place: int) -> tuple[int, int]:
        """The upper left corner of a cell, counted from 0."""
        x = self.margin + place % self.columns * (self.cell_width + self.gap)
        return x, self.margin + self.title_height + place // self.columns * (self.cell_height + self.gap)

    def picture_box(self, place: int, width: int, height: int) -> tuple[int, int, int, int]:
        """Where a picture of that size lies: x, y, width and height, in whole pixels; with `fill` all of the cell."""
        x, y = self.cell(place)
        across, down = self.cell_width, max(1, self.cell_height - self.caption_height)
        if self.fill == "fill":
            return x, y, across, down
        scale = min(across / width, down / height)
        wide, high = max(1, round(width * scale)), max(1, round(height * scale))
        return x + (across - wide) // 2, y + (down - high) // 2, wide, high


@dataclass(frozen=True, slots=True)
class Entry:
    """A picture of a sheet. load: its codes, uint8 (H, W, 3 or 4). fields: for its caption."""

    load: Callable[[], NDArray[np.uint8]]
    fields: Mapping[str, Any]


def require_caption(text: str) -> None:
    """Raises BadArgument for a caption with fields there are not."""
    captioned(text, {})


def captioned(text: str, values: Mapping[str, Any]) -> str:
    """A caption filled in; fields of CAPTION_FIELDS in Python's format syntax, empty where there is no value."""
    numbers = dict.fromkeys(("index", "frame", "version"), 0)
    return filled(text, numbers | dict(values), fields=CAPTION_FIELDS, where="caption")


def contact_sheet(entries: Sequence[Entry], layout: SheetLayout, *, title_fields: Mapping[str, Any] = {}) -> Page:
    """The page of a contact sheet. Raises BadArgument without pictures, or for a sheet that is too large, and what
    loading them raises."""
    if not entries:
        raise BadArgument("There are no pictures for this sheet.", where="sheet")
    width, height = layout.size(len(entries))
    require_size(width, height)
    ground = colour_of(layout.background)
    codes = np.empty((height, width, 3), np.uint8)
    codes[:] = np.floor(np.array(ground, np.float32) * 255 + np.float32(0.5)).astype(np.uint8)
    ink = (0.93,) * 3 if sum(ground) / 3 < DARK else (0.1,) * 3
    words = []
    for place, entry in enumerate(entries):
        _lay_picture(codes, entry.load(), layout, place)
        if layout.caption:
            words.append(_caption(entry, layout, place, ink))
    if layout.title:
        size = 2 * layout.letters
        text = captioned(layout.title, title_fields)
        line = fitting(text, "text bold", size, width - 2 * layout.margin)
        words.append(Words(line, layout.margin, layout.margin + size, size, "text bold", ink))
    return Page(codes, words, layout.dpi, captioned(layout.title, title_fields) or "Contact sheet")


def _lay_picture(codes: NDArray[np.uint8], picture: NDArray[np.uint8], layout: SheetLayout, place: int) -> None:
    height, width = picture.shape[:2]
    x, y, across, down = layout.picture_box(place, width, height)
    small = fitted(picture, across, down, crop=layout.fill == "fill")
    part = codes[y : y + down, x : x + across]
    if small.shape[2] == 4:
        cover = small[..., 3:].astype(np.float32) / 255
        part[:] = np.floor(part * (1 - cover) + small[..., :3] * cover + np.float32(0.5)).astype(np.uint8)
    else:
        part[:] = small


def fitted(picture: NDArray[np.uint8], across: int, down: int, *, crop: bool) -> NDArray[np.uint8]:
    """A picture (H, W, 3 or 4) at another size, through Lanczos of three lobes. crop: cut about its middle to that
    shape first."""
    image = Pillow.fromarray(np.ascontiguousarray(picture))
    if image.mode == "RGBA":  # filtered premultiplied, so that what is not covered bleeds into nothing
        image = image.convert("RGBa")
    box = None
    if crop:
        scale = min(image.width / across, image.height / down)
        wide, high = across * scale, down * scale
        left, upper = (image.width - wide) / 2, (image.height - high) / 2
        box = (left, upper, left + wide, upper + high)
    small = image.resize((across, down), Pillow.Resampling.LANCZOS, box=box, reducing_gap=None)
    return np.asarray(small.convert("RGBA") if small.mode == "RGBa" else small)


def within(picture: NDArray[np.uint8], across: int, down: int | None = None) -> NDArray[np.uint8]:
    """A picture (H, W, 3 or 4) in its shape, no larger than that; the same if it is not. down: any, if it is None."""
    height, width = picture.shape[:2]
    share = min(1.0, across / width, 1.0 if down is None else down / height)
    if share == 1:
        return picture
    return fitted(picture, max(1, round(width * share)), max(1, round(height * share)), crop=False)


def _caption(entry: Entry, layout: SheetLayout, place: int, ink: Any) -> Words:
    x, y = layout.cell(place)
    text = captioned(layout.caption, {"index": place + 1, **entry.fields})
    line = fitting(text, "text", layout.letters, layout.cell_width)
    baseline = y + layout.cell_height - layout.caption_height * 0.28
    return Words(line, x + layout.cell_width / 2, baseline, layout.letters, "text", ink, "middle")
