"""What a picture of a ledger will cost, before any of it is made: seconds on two cores, by what was measured on one
machine.

Meant to tell tenths of seconds from minutes, not to be exact. `python -m bench costs` prints it beside what pictures
took.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

from prism.keyed import at
from prism.ledger.document import Ledger
from prism.ledger.rows import walk
from prism.ledger.trims import Trims
from prism.mattes.document import MadeMatte, Matte, within
from prism.mattes.morphing import MOST_CHORDS
from prism.mattes.parts import MattePart, Part, ShapePart, Stroke, StrokesPart
from prism.pixels.blur import WIDE

NANO = 1e-9
ROW, BENT_TRIM, TRIM = 1.0, 5.0, 1.2  # nanoseconds a pixel, each for three channels
FOLLOWED, JOINED = 15.0, 3.0  # of a part that follows a pass, at full size; of any part at the size that is asked for
CHORD, BLOCKS, TAP, WIDE_BLUR = 14.0, 70.0, 2.0, 20.0  # of growing, for each pixel of the radius; in blocks; of blurs
SIDE, LINES = (
    17.0,
    150.0,
)  # of outlines with soft edges, for each side; of hard ones, for each side that a row of pixels is tried with
PIECE = 10.0  # of strokes, for each pixel around each piece


def seconds_of(ledger: Ledger, size: tuple[int, int], *, step: int = 1, frame: int = 0) -> float:
    """The seconds of the picture of a ledger. size: height and width of the whole frame; step: divides both. Without
    reading files."""
    pixels = size[0] * size[1]
    rows = [row for row in walk(ledger.rows) if row.on]
    used = within(ledger.mattes, {row.matte for row in rows if row.matte is not None})
    by_pixel = sum(ROW + _trims(row) for row in rows)
    return NANO * by_pixel * pixels / step**2 + mattes_seconds(used, size, step=step, frame=frame)


def mattes_seconds(mattes: Iterable[Matte], size: tuple[int, int], *, step: int = 1, frame: int = 0) -> float:
    """The seconds of the planes of mattes, each once."""
    parts = (part for matte in mattes if isinstance(matte, MadeMatte) for part in matte.parts)
    return NANO * sum(_part(part, size, step, frame) for part in parts if part.amount != 0)


def _trims(row: Trims) -> float:
    curves = (row.curves.all, row.curves.red, row.curves.green, row.curves.blue)
    bent = sum(field != 1 for field in (row.contrast, row.gamma)) + any(curve.points for curve in curves)
    plain = sum(field != neutral for field, neutral in ((row.saturation, 1), (row.hue, 0), (row.offset, (0, 0, 0))))
    return BENT_TRIM * bent + TRIM * plain


def _part(part: Part, size: tuple[int, int], step: int, frame: int) -> float:
    pixels = size[0] * size[1]
    small = pixels / step**2
    radius, deviation = abs(at(part.grow, frame)) / step, at(part.blur, frame) / 2 / step
    cost = JOINED * small
    blocks = max(1, math.ceil(radius / MOST_CHORDS))
    cost += CHORD * small * radius / blocks**3 + (BLOCKS * small if blocks > 1 else 0)
    cost += small * (0 if deviation == 0 else TAP * (8 * deviation + 2) if deviation < WIDE else WIDE_BLUR)
    if isinstance(part, MattePart):
        return cost  # the other matte's parts are counted there
    drawn: Any = DRAWN_COSTS.get(type(part))
    return cost + (FOLLOWED * pixels if drawn is None else drawn(part, size, step))


def _strokes(part: StrokesPart, size: tuple[int, int], step: int) -> float:
    return sum(_stroke(stroke, size, step) for stroke in part.strokes)


def _stroke(stroke: Stroke, size: tuple[int, int], step: int) -> float:
    """Each piece is tried with the pixels around it, as far as they lie in the picture."""
    reach = stroke.size + 2 * step
    high, wide = size
    across, down = zip(*stroke.points, strict=True)
    box = min(wide, max(across) - min(across) + reach) * min(high, max(down) - min(down) + reach)
    pieces = zip(stroke.points, stroke.points[1:] or stroke.points, strict=False)
    near = sum(min(wide, abs(a[0] - b[0]) + reach) * min(high, abs(a[1] - b[1]) + reach) for a, b in pieces)
    return (PIECE * near + 4 * PIECE * box) / step**2


def _shape(part: ShapePart, size: tuple[int, int], step: int) -> float:
    sides = len(part.corners) * (16 if part.form == "smooth" else 1)
    if any(at(corner.soft, 0) > step for corner in part.corners):
        return SIDE * sides * size[0] * size[1] / step**2
    return LINES * sides * size[0] / step + TRIM * size[0] * size[1] / step**2


DRAWN_COSTS = {
    StrokesPart: _strokes,
    ShapePart: _shape,
}  # parts that follow no pass: nanoseconds of a part, a size and a step
