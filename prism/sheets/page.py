"""A page: a picture with lines of words on it, written as a picture or as a PDF in which the words stay text."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow
from PIL import ImageDraw
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from prism.colour.developing import Colour
from prism.colour.spaces import decode_srgb
from prism.errors import BadArgument
from prism.formats.exr import write_exr
from prism.formats.safe import replacing
from prism.formats.stills import still_format, write_codes
from prism.pixels.file_formats import is_exr
from prism.pixels.image import Image
from prism.pixels.letters import FACES, letters, remarks_on

POINTS = 72.0  # to an inch
PAGE_SUFFIXES = (".png", ".tif", ".tiff", ".exr", ".pdf", ".jpg", ".webp")
MOST_PIXELS = 400_000_000


@dataclass(frozen=True, slots=True)
class Words:
    """One line. x, y: of its baseline, in pixels from the upper left. size: of the em, in pixels. align: what of the
    line is at x. turn: degrees clockwise about that place. opacity: 0..1."""

    text: str
    x: float
    y: float
    size: float
    face: str = "text"
    colour: Colour = (1.0, 1.0, 1.0)
    align: str = "left"
    turn: float = 0.0
    opacity: float = 1.0

    @property
    def width(self) -> float:
        """In pixels."""
        return letters(self.face, self.size).getlength(self.text)

    @property
    def left(self) -> float:
        """Where the line begins, unturned."""
        return self.x - {"left": 0.0, "middle": 0.5, "right": 1.0}[self.align] * self.width

    @property
    def box(self) -> tuple[int, int, int, int]:
        """Pixels that it can reach: left, upper, right, lower, the last ones not included."""
        ascent, descent = letters(self.face, self.size).getmetrics()
        corners = [
            _turned(x - self.x, y - self.y, self.turn)
            for x in (self.left - 2, self.left + self.width + 2)
            for y in (self.y - ascent - 2, self.y + descent + 2)
        ]
        xs, ys = zip(*corners, strict=True)
        return (
            math.floor(self.x + min(xs)), math.floor(self.y + min(ys)),
            math.ceil(self.x + max(xs)), math.ceil(self.y + max(ys)),
        )  # fmt: skip


def _turned(x: float, y: float, turn: float) -> tuple[float, float]:
    sine, cosine = math.sin(math.radians(turn)), math.cos(math.radians(turn))
    return x * cosine - y * sine, x * sine + y * cosine


@dataclass(frozen=True, slots=True, eq=False)
class Page:
    """codes: uint8 (H, W, 3 or 4), straight sRGB display colour, without the words. dpi: pixels to an inch."""

    codes: NDArray[np.uint8]
    words: Sequence[Words] = ()
    dpi: float = 150.0
    title: str = ""

    @property
    def with_words(self) -> NDArray[np.uint8]:
        """Codes with the words drawn into them."""
        if not self.words:
            return self.codes
        done = self.codes.copy()
        for line in self.words:
            lay(done, line)
        return done

    @property
    def remarks(self) -> tuple[str, ...]:
        """Letters among the words that cannot be drawn."""
        return remarks_on((line.face, line.text) for line in self.words)


def cover_of(line: Words) -> tuple[NDArray[np.float32], int, int]:
    """How much of each pixel the letters cover, (h, w) 0..1, with the place of its upper left pixel."""
    left, upper, right, lower = line.box
    font = letters(line.face, line.size)
    if line.turn == 0:
        sheet = Pillow.new("L", (max(1, right - left), max(1, lower - upper)))
        ImageDraw.Draw(sheet).text((line.left - left, line.y - upper), line.text, 255, font, anchor="ls")
    else:
        sheet = _turned_cover(line, left, upper, right, lower)
    return np.asarray(sheet, np.float32) * np.float32(line.opacity / 255), left, upper


def _turned_cover(line: Words, left: int, upper: int, right: int, lower: int) -> Pillow.Image:
    reach = math.ceil(max(line.width, line.size) * 1.2 + 8)
    flat = Pillow.new("L", (2 * reach, 2 * reach))
    place = (reach + line.left - line.x, reach)
    ImageDraw.Draw(flat).text(place, line.text, 255, letters(line.face, line.size), anchor="ls")
    turned = flat.rotate(-line.turn, Pillow.Resampling.BICUBIC, center=(reach, reach))
    x, y = round(line.x), round(line.y)
    return turned.crop((left - x + reach, upper - y + reach, right - x + reach, lower - y + reach))


def lay(codes: NDArray[np.uint8], line: Words) -> None:
    """Draw a line into codes (H, W, 3 or 4), in place: over, in display values."""
    cover, left, upper = cover_of(line)
    height, width = codes.shape[:2]
    x0, y0 = max(0, left), max(0, upper)
    x1, y1 = min(width, left + cover.shape[1]), min(height, upper + cover.shape[0])
    if x0 >= x1 or y0 >= y1:
        return
    share = cover[y0 - upper : y1 - upper, x0 - left : x1 - left, None]
    part = codes[y0:y1, x0:x1].astype(np.float32)
    full = [255.0] if codes.shape[2] == 4 else []
    ink = np.array([*(channel * 255 for channel in line.colour), *full], np.float32)
    codes[y0:y1, x0:x1] = np.floor(part * (1 - share) + ink * share + np.float32(0.5)).astype(np.uint8)


def write_page(page: Page, path: Path, *, author: str = "") -> None:
    """Write a page in the format of its suffix: PDF with words as text, OpenEXR as light (sRGB decoded), or a still.
    author: whoever made it, said in a PDF. Raises BadArgument for another format, UnwritableFile."""
    path = Path(path)
    if path.suffix.lower() == ".pdf":
        _write_pdf(page, path, author)
    elif is_exr(path.name):
        write_exr(path, light_of(page))
    else:
        form = still_format(path)
        codes = page.with_words
        refusal = form.refusal(bits=8, alpha=codes.shape[2] == 4)
        if refusal:
            raise BadArgument(refusal, where=str(path))
        write_codes(path, codes, dpi=page.dpi)


def require_page_format(path: Path) -> None:
    """Raises BadArgument for a suffix that no page is written in."""
    if path.suffix.lower() not in PAGE_SUFFIXES:
        raise BadArgument(
            f"Unknown format {path.suffix or 'without suffix'}.", where=str(path),
            advice=f"Use {', '.join(PAGE_SUFFIXES)}.",
        )  # fmt: skip


def require_size(width: float, height: float) -> None:
    """Raises BadArgument for a page of no size, or beyond what memory holds."""
    if width < 1 or height < 1 or width * height > MOST_PIXELS:
        raise BadArgument(
            f"A page of {round(width)} x {round(height)} pixels cannot be made.", where="size",
            advice=f"Use at least one pixel and at most {MOST_PIXELS:,}; fewer dots to an inch, or a smaller sheet.",
        )  # fmt: skip


def light_of(page: Page) -> Image:
    """What an OpenEXR file of a page holds: half, premultiplied."""
    codes = page.with_words.astype(np.float32) / 255
    light = decode_srgb(codes[..., :3]).astype(np.float32)
    planes = {name: light[..., place].astype(np.float16) for place, name in enumerate("RGB")}
    if codes.shape[2] == 4:
        planes = {name: (plane * codes[..., 3]).astype(np.float16) for name, plane in planes.items()}
        planes["A"] = codes[..., 3].astype(np.float16)
    return Image.of_planes(planes)


def _write_pdf(page: Page, path: Path, author: str) -> None:
    height, width = page.codes.shape[:2]
    scale = POINTS / page.dpi
    with replacing(path) as temporary:
        canvas = Canvas(
            str(temporary), pagesize=(width * scale, height * scale), pageCompression=1,
            initialFontName=embedded("text"),
        )  # fmt: skip
        say_maker(canvas, page.title or path.stem, author)
        picture = Pillow.fromarray(page.codes)
        mask = "auto" if page.codes.shape[2] == 4 else None
        canvas.drawImage(ImageReader(picture), 0, 0, width * scale, height * scale, mask=mask)
        for line in page.words:
            _write_line(canvas, line, height, scale)
        canvas.showPage()
        canvas.save()


def _write_line(canvas: Canvas, line: Words, height: int, scale: float) -> None:
    canvas.saveState()
    canvas.setFont(embedded(line.face), line.size * scale)
    canvas.setFillColorRGB(*line.colour, alpha=line.opacity)
    canvas.translate(line.x * scale, (height - line.y) * scale)
    canvas.rotate(-line.turn)
    canvas.drawString((line.left - line.x) * scale, 0, line.text)
    canvas.restoreState()


def say_maker(canvas: Canvas, title: str, author: str) -> None:
    """What a PDF says of itself: its title, who made it and with what; when, it says by itself."""
    canvas.setTitle(title)
    canvas.setSubject(title)
    canvas.setAuthor(author or "Eager Prism")
    canvas.setCreator("Eager Prism")


def embedded(face: str) -> str:
    """The name that a typeface has in PDFs, where it goes along."""
    name = f"Prism {face}"
    if name not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont(name, str(FACES[face])))
    return name


def covered(line: Words, boxes: Iterable[tuple[int, int, int, int]]) -> bool:
    """Whether anything that lies above reaches into the line."""
    left, upper, right, lower = line.box
    return any(x0 < right and left < x1 and y0 < lower and upper < y1 for x0, y0, x1, y1 in boxes)
