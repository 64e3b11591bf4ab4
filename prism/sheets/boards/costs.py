"""What a board takes, known before anything of it is drawn: pixels that its elements are made of, and letters."""

from __future__ import annotations

import math
from typing import Protocol

from prism.errors import TooCostly
from prism.sheets.boards.document import Board
from prism.sheets.boards.elements import Band, BoardElement, Boxed, Caption, Marks, PictureElement
from prism.sheets.page import require_size

MOST_PIXELS = 60_000_000  # of the sheet
MOST_DRAWN = 170_000_000  # by all elements together, counted in plain pixels: some ten seconds
MOST_IN_A_PREVIEW = 35_000_000  # two seconds
MOST_OF_ONE = 160_000_000  # by one element
MOST_LETTERS = 100_000
# What else counts as so many plain pixels, as measured on two cores.
PICTURE, TEXTURE, SOFT = 2.5, 4.0, 5.0  # times a pixel of a picture, of a texture, of a shadow or glow
OUTLINE = 1.6  # more of a pixel of a band with an outline, which is laid over all of it
A_MARK, A_LINE, A_BLUR, A_BAND, A_PICTURE = 4_000, 36_000, 65_000, 50_000, 340_000  # each, however small


class Measures(Protocol):
    """Lengths of a board in pixels, and its sheet."""

    @property
    def sheet(self) -> tuple[int, int]:
        """Width and height."""

    def length(self, units: float) -> float:
        """In pixels."""


def require_affordable(board: Board, measures: Measures, *, most: int = MOST_DRAWN) -> None:
    """Raises TooCostly, naming the element, for a board that would take more than some ten seconds or a gigabyte, or
    for one that draws more than so many pixels."""
    width, height = measures.sheet
    if width * height > MOST_PIXELS:
        raise _too_costly(
            f"A sheet of {width:,} x {height:,} pixels is too large.",
            f"{MOST_PIXELS:,} are the most: use fewer dots to an inch, or a smaller sheet.",
        )
    require_size(width, height)
    whole, letters = 0.0, 0
    for element in board.elements:
        if element.hidden:
            continue
        own = drawn_of(element, measures)
        whole += own
        letters += len(element.text) if isinstance(element, Caption) else 0
        named = element.name or element.id
        if own > MOST_OF_ONE:
            raise _too_costly(f"{named} is too large to draw.", "Make it, its shadow or its glow smaller.")
        if letters > MOST_LETTERS:
            raise _too_costly(f"With {named} the texts have {letters:,} letters.", f"{MOST_LETTERS:,} are the most.")
        if whole > most:
            raise _too_costly(f"Up to {named} too much is drawn.", "Use fewer or smaller elements, shadows and glows.")


def drawn_of(element: BoardElement, measures: Measures) -> float:
    """Plain pixels that an element counts as: what of it is drawn, for pictures and letters also beside the sheet."""
    width, height = measures.sheet
    if isinstance(element, Boxed):
        edge = 2 * measures.length(element.outline)
        across, down = (measures.length(side) + edge for side in (element.width, element.height))
        if isinstance(element, PictureElement):
            return A_PICTURE + _with_shadow(element, across, down, measures, times=PICTURE)
        textured = isinstance(element, Band) and (element.texture != "plain" or element.blend)
        times = (TEXTURE if textured else 1.0) + (OUTLINE if edge > 0 else 0.0)
        return A_BAND + _with_shadow(element, min(across, width), min(down, height), measures, times=times)
    if isinstance(element, Marks):
        side = measures.length(element.size) + 2
        one = _with_shadow(element, side, side, measures)
        return (one + A_MARK) * element.count * element.rows * (2 if element.mirrored else 1) + 8 * side * side
    assert isinstance(element, Caption)  # the last kind there is
    size, glow = measures.length(element.size), measures.length(element.glow)
    longest = max(map(len, element.text.split("\n")), default=0)
    across, down = size * (longest if not element.turn else 2 * longest), size * (1.5 if not element.turn else longest)
    lines = sum(bool(line.strip()) for line in element.text.split("\n"))
    soft = A_BLUR + SOFT * (across + 4 * glow) * (down + 4 * glow) if glow else 0.0
    return lines * (A_LINE + _with_shadow(element, across, down, measures) + soft)


def _with_shadow(element: BoardElement, across: float, down: float, measures: Measures, *, times: float = 1.0) -> float:
    if element.shadow is None:
        return times * across * down
    grow = 8 * measures.length(element.shadow.blur)
    sides = zip((across, down), measures.sheet, strict=True)
    seen = [min(side + grow, of_sheet + 2 * grow) for side, of_sheet in sides]
    soft = A_BLUR + SOFT * math.prod(seen) if element.shadow.blur else math.prod(seen)
    return times * across * down + soft


def _too_costly(what: str, advice: str) -> TooCostly:
    return TooCostly(what, where="board", advice=advice)
