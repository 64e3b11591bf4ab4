"""A board as a page: elements laid one over the other in display values, and its words on top where nothing covers
them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow
from PIL import ImageDraw

from prism.bands import split_rows
from prism.colour.developing import colour_of
from prism.errors import BadArgument, Superseded
from prism.finish.context import Context
from prism.finish.display import on_display_values
from prism.finish.evaluate import reach_of
from prism.finish.planes import DISPLAY
from prism.finish.steps import active
from prism.limits import Stale, current, never
from prism.pixels.blur import gaussian
from prism.pixels.picture import Picture as Values
from prism.pixels.window import Window
from prism.sheets.boards.costs import MOST_DRAWN, require_affordable
from prism.sheets.boards.document import Board
from prism.sheets.boards.elements import (
    Band,
    BoardElement,
    Boxed,
    Caption,
    Marks,
    PictureElement,
    PictureSource,
    Shadow,
)
from prism.sheets.contact import fitted
from prism.sheets.page import Page, Words, cover_of, covered, lay

Codes = NDArray[np.uint8]
Load = Callable[[PictureSource, int], Codes]
"""Codes (H, W, 3 or 4), straight, of a picture; told how many pixels across it will have."""
LAID_AT_ONCE = 1_000_000  # pixels
FINISHED_AT_ONCE = 4_000_000  # pixels
FINER = 8  # shapes are drawn so many times finer and averaged,
FINE_UP_TO = 512  # pixels; larger ones
FINE_OF_LARGE = 2  # times
MISSING = (90, 60, 50)
Span = tuple[int, int]  # first, and the one after the last
Box = tuple[int, int, int, int]  # left, upper, right, lower, in pixels; the last ones not included


@dataclass(frozen=True, slots=True, eq=False)
class Drawn:
    """An element in pixels. rgb: codes (h, w, 3), whole ones or float32, or one colour. cover: (h, w) 0..1."""

    left: int
    upper: int
    rgb: NDArray
    cover: NDArray[np.float32]

    @property
    def box(self) -> Box:
        """Where it lies."""
        height, width = self.cover.shape
        return self.left, self.upper, self.left + width, self.upper + height


@dataclass(frozen=True, slots=True)
class Scale:
    """From the unit of a board to pixels, behind its border."""

    scale: float
    edge: int
    sheet: tuple[int, int]  # width and height in pixels, with the border

    @classmethod
    def of(cls, board: Board, shrink: float = 1.0) -> Scale:
        """The measures of a board, or of one that is smaller."""
        return cls(board.scale * shrink, round(board.pixels(board.border) * shrink), board.size_at(shrink))

    def clipped(self, box: Box, grow: int = 0) -> Box:
        """What of a box can be seen, or lies so near to the sheet."""
        left, upper, right, lower = box
        width, height = self.sheet
        return (
            max(left, min(-grow, right)), max(upper, min(-grow, lower)),
            min(right, max(width + grow, left)), min(lower, max(height + grow, upper)),
        )  # fmt: skip

    def length(self, units: float) -> float:
        """In pixels."""
        return units * self.scale

    def place(self, units: float) -> float:
        """In pixels from the outer edge."""
        return units * self.scale + self.edge


def board_page(
    board: Board, load: Load, *, shrink: float = 1.0, most: int = MOST_DRAWN, is_stale: Stale = never
) -> Page:
    """The page of a board. load: its pictures. shrink: of all lengths, for a smaller one to look at. most: pixels that
    may be drawn. Raises BadArgument for a sheet that is too large, TooCostly for what would take too long, and what
    loading raises."""
    scale = Scale.of(board, shrink)
    width, height = scale.sheet
    require_affordable(board, scale, most=most)
    codes = _ground(board, width, height, scale.edge)
    shown = [element for element in board.elements if not element.hidden]
    reaches = [reach(element, scale) for element in shown] if len(shown) > 1 else []
    words: list[Words] = []
    for place, element in enumerate(shown):
        if is_stale():
            raise Superseded(f"Board {board.name}.")
        drawn, lines = DRAW[type(element)](element, scale, load)
        for each in drawn:
            current().require()
            _lay_with_shadow(codes, each, element, scale)
        above = reaches[place + 1 :]
        for line in lines:
            current().require()
            if element.shadow is not None and _seen(line, element, scale):
                cover, left, upper = cover_of(line)
                _lay(codes, _shadow(Drawn(left, upper, _ink(line), cover), element.shadow, scale), element.opacity)
            if board.finish or covered(line, above):
                lay(codes, line)
            else:
                words.append(line)
    if board.finish:
        codes = _finished(board, codes, is_stale)
    return Page(codes, words, board.dpi, board.name)


def reach(element: BoardElement, scale: Scale) -> Box:
    """The pixels that an element can touch, with its outline, glow and shadow."""
    if isinstance(element, Boxed):
        sides: Sequence[float] = _box_of(element, scale)
        grow: float = round(scale.length(element.outline))
    elif isinstance(element, Marks):
        xs = [scale.place(element.x + column * element.spacing) for column in (0, element.count - 1)]
        ys = [scale.place(element.y + row * element.row_spacing) for row in (0, element.rows - 1)]
        ys += [2 * scale.place(element.about) - y for y in ys] if element.mirrored else []
        sides = min(xs), min(ys), max(xs), max(ys)
        grow = scale.length(element.size)
    else:
        assert isinstance(element, Caption)  # the last kind there is
        _, lines = _draw_text(element.replace(glow=0.0), scale, missing)
        boxes = [line.box for line in lines] or [(0, 0, 0, 0)]
        sides = (
            *(min(box[side] for box in boxes) for side in (0, 1)),
            *(max(box[side] for box in boxes) for side in (2, 3)),
        )
        grow = 2 * scale.length(element.glow)
    if element.shadow is not None:
        shadow = element.shadow
        grow += 4 * scale.length(shadow.blur) + max(abs(scale.length(shadow.dx)), abs(scale.length(shadow.dy)))
    left, upper, right, lower = sides
    return math.floor(left - grow), math.floor(upper - grow), math.ceil(right + grow), math.ceil(lower + grow)


def missing(source: PictureSource, across: int) -> Codes:
    """A picture that nobody can load: raises BadArgument."""
    raise BadArgument(f"A picture of the kind {source.kind} cannot be loaded here.", where="board")


def _lay_with_shadow(codes: Codes, drawn: Drawn, element: BoardElement, scale: Scale) -> None:
    if element.shadow is not None:
        _lay(codes, _shadow(drawn, element.shadow, scale), element.opacity)
    _lay(codes, drawn, element.opacity)


def _ground(board: Board, width: int, height: int, edge: int) -> Codes:
    codes = np.empty((height, width, 3), np.uint8)
    codes[:] = _codes_of(board.border_colour)
    codes[edge : height - edge, edge : width - edge] = _codes_of(board.background)
    return codes


def _codes_of(colour: str) -> NDArray[np.uint8]:
    return np.floor(np.array(colour_of(colour), np.float32) * 255 + np.float32(0.5)).astype(np.uint8)


def _lay(codes: Codes, drawn: Drawn, opacity: float) -> None:
    """Over, in place, the part that lies on the sheet."""
    height, width = codes.shape[:2]
    left, upper, right, lower = drawn.box
    x0, y0, x1, y1 = max(0, left), max(0, upper), min(width, right), min(height, lower)
    if x0 >= x1 or y0 >= y1:
        return
    for top, end in split_rows(y1 - y0, max(1, LAID_AT_ONCE // (x1 - x0))):
        inside = slice(y0 + top - upper, y0 + end - upper), slice(x0 - left, x1 - left)
        share = drawn.cover[inside][..., None] * np.float32(opacity)
        rgb = drawn.rgb[inside] if drawn.rgb.ndim == 3 else drawn.rgb
        part = codes[y0 + top : y0 + end, x0:x1]
        part[:] = np.floor(part * (1 - share) + rgb * share + np.float32(0.5)).astype(np.uint8)


def _shadow(drawn: Drawn, shadow: Shadow, scale: Scale) -> Drawn:
    """The cover of an element, moved and softened by a Gaussian that is cut at four deviations."""
    sigma = scale.length(shadow.blur)
    reach = math.ceil(4 * sigma)
    x, y = round(scale.length(shadow.dx)), round(scale.length(shadow.dy))
    cover, left, upper = _near(drawn, scale, reach + max(abs(x), abs(y)))
    cover = np.pad(cover, reach)
    if sigma > 0:
        cover = gaussian(cover, sigma, edge="constant")
    rgb = _codes_of(shadow.colour).astype(np.float32)
    return Drawn(left - reach + x, upper - reach + y, rgb, cover * np.float32(shadow.opacity))


def _near(drawn: Drawn, scale: Scale, grow: int) -> tuple[NDArray[np.float32], int, int]:
    """The cover on the sheet and so near to it, with the place of its upper left pixel."""
    x0, y0, x1, y1 = scale.clipped(drawn.box, grow)
    return drawn.cover[y0 - drawn.upper : y1 - drawn.upper, x0 - drawn.left : x1 - drawn.left], x0, y0


def _ink(line: Words) -> NDArray[np.float32]:
    return np.array(line.colour, np.float32) * 255


def _box_of(element: Any, scale: Scale) -> Box:
    left, upper = round(scale.place(element.x)), round(scale.place(element.y))
    right = round(scale.place(element.x + element.width))
    lower = round(scale.place(element.y + element.height))
    return left, upper, max(left + 1, right), max(upper + 1, lower)


def _draw_picture(element: PictureElement, scale: Scale, load: Load) -> tuple[list[Drawn], list[Words]]:
    left, upper, right, lower = _box_of(element, scale)
    across, down = right - left, lower - upper
    if element.source is None:
        codes: Codes = np.full((down, across, 3), MISSING, np.uint8)
    else:
        codes = load(element.source, across)
        if element.fill == "fit":
            shrink = min(across / codes.shape[1], down / codes.shape[0])
            wide, high = max(1, round(codes.shape[1] * shrink)), max(1, round(codes.shape[0] * shrink))
            left, upper = left + (across - wide) // 2, upper + (down - high) // 2
            across, down = wide, high
        codes = fitted(codes, across, down, crop=element.fill == "fill")
    cover = (
        codes[..., 3].astype(np.float32) / np.float32(255)
        if codes.shape[2] == 4
        else np.broadcast_to(np.float32(1), codes.shape[:2])
    )
    drawn = Drawn(left, upper, codes[..., :3], cover)
    return _outlined(drawn, drawn.box, element, scale), []


def _outlined(drawn: Drawn, whole: Box, element: Any, scale: Scale) -> list[Drawn]:
    """With a frame around its whole box, outside of it."""
    edge = round(scale.length(element.outline))
    if edge == 0:
        return [drawn]
    left, upper, right, lower = whole
    x0, y0, x1, y1 = scale.clipped((left - edge, upper - edge, right + edge, lower + edge), _outside(element, scale))
    cover = np.ones((y1 - y0, x1 - x0), np.float32)
    cover[max(0, upper - y0) : max(0, lower - y0), max(0, left - x0) : max(0, right - x0)] = 0
    colour = _codes_of(element.outline_colour).astype(np.float32)
    return [drawn, Drawn(x0, y0, colour, cover)]


def _outside(element: BoardElement, scale: Scale) -> int:
    """How far outside of the sheet an element still throws a shadow onto it."""
    shadow = element.shadow
    if shadow is None:
        return 0
    return math.ceil(scale.length(4 * shadow.blur + max(abs(shadow.dx), abs(shadow.dy)))) + 1


def _draw_band(element: Band, scale: Scale, load: Load) -> tuple[list[Drawn], list[Words]]:
    whole = _box_of(element, scale)
    x0, y0, x1, y1 = scale.clipped(whole, _outside(element, scale))
    height, width = y1 - y0, x1 - x0
    rgb = np.empty((height, width, 3), np.float32)
    down = whole[3] - whole[1]
    share: NDArray[np.float32] = np.zeros((1, 1, 1), np.float32)
    if element.blend:
        share = np.linspace(0, 1, down, dtype=np.float32)[y0 - whole[1] : y1 - whole[1], None, None]
    rgb[:] = _codes_of(element.colour) * (1 - share) + _codes_of(element.colour_below) * share
    if element.texture != "plain":
        cover = _texture(element, scale, (x0 - whole[0], x1 - whole[0]), (y0 - whole[1], y1 - whole[1]))[..., None]
        rgb = rgb * (1 - cover) + _codes_of(element.texture_colour) * cover
    drawn = Drawn(x0, y0, rgb, np.ones((height, width), np.float32))
    return _outlined(drawn, whole, element, scale), []


def _texture(element: Band, scale: Scale, across_of: Span, down_of: Span) -> NDArray[np.float32]:
    """Lines, or dots on a square grid, `spacing` apart and `weight` of that wide, on some columns and rows of a band;
    edges are soft over a pixel."""
    spacing = scale.length(element.spacing)
    half = spacing * element.weight / 2
    sine, cosine = math.sin(math.radians(element.turn)), math.cos(math.radians(element.turn))
    y, x = np.ogrid[slice(*down_of), slice(*across_of)]
    along = (x * cosine + y * sine).astype(np.float32)
    across = (y * cosine - x * sine).astype(np.float32)
    away = np.abs((across + spacing / 2) % spacing - spacing / 2)
    if element.texture == "dots":
        beside = np.abs((along + spacing / 2) % spacing - spacing / 2)
        away = np.hypot(away, beside)
    return np.clip(half - away + np.float32(0.5), 0, 1)


def _draw_marks(element: Marks, scale: Scale, load: Load) -> tuple[list[Drawn], list[Words]]:
    places = [
        (element.x + column * element.spacing, element.y + row * element.row_spacing, False)
        for row in range(element.rows)
        for column in range(element.count)
    ]
    if element.mirrored:
        places += [(x, 2 * element.about - y, True) for x, y, _ in places]
    shape = _mark(element.form, scale.length(element.size))
    drawn = []
    colour = _codes_of(element.colour).astype(np.float32)
    for x, y, turned in places:
        current().require()
        cover = shape[::-1] if turned else shape
        height, width = cover.shape
        left, upper = math.floor(scale.place(x) - width / 2 + 0.5), scale.place(y) - height / 2
        upper = math.ceil(upper - 0.5) if turned else math.floor(upper + 0.5)  # so that both sides mirror to the pixel
        mark = Drawn(left, upper, colour, cover)
        if _meets(reach_of_shadow(mark.box, element, scale), scale.sheet):
            drawn.append(mark)
    return drawn, []


def reach_of_shadow(box: Box, element: BoardElement, scale: Scale) -> Box:
    """A box and all that a shadow of it can touch."""
    grow = _outside(element, scale)
    return box[0] - grow, box[1] - grow, box[2] + grow, box[3] + grow


def _meets(box: Box, sheet: tuple[int, int]) -> bool:
    return box[0] < sheet[0] and box[1] < sheet[1] and box[2] > 0 and box[3] > 0


_FORMS: Mapping[str, tuple[tuple[float, float], ...]] = MappingProxyType(
    {
        "dash": ((-0.5, -0.1), (0.5, -0.1), (0.5, 0.1), (-0.5, 0.1)),
        "triangle": ((-0.5, 0.433), (0, -0.433), (0.5, 0.433)),
        "arrow": (
            (-0.12, 0.5), (-0.12, -0.05), (-0.38, -0.05), (0, -0.5), (0.38, -0.05), (0.12, -0.05), (0.12, 0.5),
        ),
    }
)  # fmt: skip
"""Corners from the middle, for a mark of size 1."""


def _mark(form: str, size: float) -> NDArray[np.float32]:
    """(n, n): how much of each pixel a mark covers."""
    side = math.ceil(size) + 2
    finer = FINER if side <= FINE_UP_TO else FINE_OF_LARGE
    sheet = Pillow.new("L", (side * finer, side * finer))
    pen, middle, full = ImageDraw.Draw(sheet), side * finer / 2, size * finer
    if form in ("dot", "ring"):
        pen.ellipse([middle - full / 2, middle - full / 2, middle + full / 2, middle + full / 2], 255)
        if form == "ring":
            inner = full * 0.33
            pen.ellipse([middle - inner, middle - inner, middle + inner, middle + inner], 0)
    else:
        pen.polygon([(middle + x * full, middle + y * full) for x, y in _FORMS[form]], 255)
    fine = np.asarray(sheet).reshape(side, finer, side, finer)
    return fine.mean(axis=(1, 3), dtype=np.float32) / np.float32(255)


def _draw_text(element: Caption, scale: Scale, load: Load) -> tuple[list[Drawn], list[Words]]:
    size, turn = scale.length(element.size), math.radians(element.turn)
    x, y = scale.place(element.x), scale.place(element.y)
    lines = []
    for place, text in enumerate(element.text.split("\n")):
        down = place * size * element.leading
        across, lower = -math.sin(turn) * down, math.cos(turn) * down
        if text.strip():
            lines.append(
                Words(
                    text, x + across, y + lower, size, element.face, colour_of(element.colour), element.align,
                    element.turn, element.opacity,
                )
            )  # fmt: skip
    glows = [_glow(line, element, scale) for line in lines if _seen(line, element, scale)] if element.glow > 0 else []
    return glows, lines


def _seen(line: Words, element: BoardElement, scale: Scale) -> bool:
    """Whether a line, or its glow or shadow, reaches onto the sheet."""
    current().require()
    glow = element.glow if isinstance(element, Caption) else 0.0
    grow = math.ceil(2 * scale.length(glow)) + _outside(element, scale)
    left, upper, right, lower = line.box
    return _meets((left - grow, upper - grow, right + grow, lower + grow), scale.sheet)


def _glow(line: Words, element: Caption, scale: Scale) -> Drawn:
    """The letters, softened, and twice as dense so that thin strokes still shine."""
    cover, left, upper = cover_of(replace(line, opacity=1.0))
    sigma = scale.length(element.glow) / 2
    reach = math.ceil(4 * sigma)
    soft = gaussian(np.pad(cover, reach), sigma, edge="constant")
    rgb = _codes_of(element.glow_colour).astype(np.float32)
    return Drawn(left - reach, upper - reach, rgb, np.minimum(1, 2 * soft))


DRAW: Mapping[type[BoardElement], Callable[[Any, Scale, Load], tuple[list[Drawn], list[Words]]]] = MappingProxyType(
    {PictureElement: _draw_picture, Band: _draw_band, Marks: _draw_marks, Caption: _draw_text}
)
"""How each kind is drawn, beside `ELEMENTS`."""


def _finished(board: Board, codes: Codes, is_stale: Stale) -> Codes:
    """The display steps of the finish on all of the sheet, some rows at a time with what reaches into them, so that
    memory does not grow with the sheet."""
    height, width = codes.shape[:2]
    whole, steps = Window.of_size(width, height), active(board.finish, 0)
    reach = reach_of(_values(codes[:1], whole, 0), steps)
    apron, rows = (height, height) if math.isinf(reach) else (math.ceil(reach), max(1, FINISHED_AT_ONCE // width))
    made = np.empty_like(codes)
    for first in range(0, height, rows):
        end, low, high = min(height, first + rows), max(0, first - apron), min(height, first + rows + apron)
        values = _values(codes[low:high], whole, low)
        done = on_display_values(values, steps, Context(), is_stale=is_stale).rgba[:3, first - low : end - low]
        made[first:end] = np.floor(np.moveaxis(done, 0, -1) * 255 + np.float32(0.5))
    return made


def _values(codes: Codes, whole: Window, top: int) -> Values:
    """Some rows of a sheet as display values, at their place."""
    rgba = np.ones((4, *codes.shape[:2]), np.float32)
    for place in range(3):
        np.divide(codes[..., place], np.float32(255), out=rgba[place])
    window = Window(0, top, whole.x1, top + len(codes) - 1)
    return Values(rgba=rgba, window=window, display_window=whole, space=DISPLAY)
