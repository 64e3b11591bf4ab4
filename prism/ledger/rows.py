"""The rows of a ledger as they stand in its document: what each takes, how it joins, and its trims."""

from __future__ import annotations

from collections.abc import Iterator
from types import MappingProxyType
from typing import Annotated, Literal, Self

from pydantic import Field, Tag, field_validator, model_validator

from prism.curves import Curve
from prism.documents import Comment, Identity, SourceName, Value, by_kind
from prism.keyed import number
from prism.ledger.operators import OPERATORS


class Curves(Value):
    """One curve for all channels, and then one for each."""

    all: Curve = Curve()
    red: Curve = Curve()
    green: Curve = Curve()
    blue: Curve = Curve()


RANGES = MappingProxyType(
    {
        "exposure": (-24, 24),
        "gain": (0, 10_000),
        "tint": (0, 100),
        "warmth": (-80, 600),
        "offset": (-100, 100),
        "saturation": (0, 10),
        "hue": (-360, 360),
        "contrast": (0, 10),
        "pivot": (0.001, 100),
        "gamma": (0.05, 20),
        "amount": (-100, 100),
        "x": (-100_000, 100_000),
        "y": (-100_000, 100_000),
        "scale": (0.01, 100),
        "crop": (0, 1),
        "wipe": (0, 1),
        "wipe_angle": (-360, 360),
        "wipe_soft": (0, 1),
        "colour": (0, 10_000),
        "second": (0, 10_000),
        "angle": (-360, 360),
        "begins": (-10, 10),
        "ends": (-10, 10),
        "near": (-1e9, 1e9),
        "far": (-1e9, 1e9),
        "falloff": (0.05, 20),
        "delay": (-1_000_000, 1_000_000),
    }
)
"""Least and greatest value of every number of a row."""


Share = number(*RANGES["crop"])
Light = number(*RANGES["colour"])


class Trims(Value):
    """What is done to the colour of a source before it joins, in this order; see `trims` for the formulas."""

    exposure: number(*RANGES["exposure"]) = 0.0  # stops
    gain: number(*RANGES["gain"]) = 1.0
    tint: tuple[number(*RANGES["tint"]), number(*RANGES["tint"]), number(*RANGES["tint"])] = (1.0, 1.0, 1.0)
    warmth: number(*RANGES["warmth"]) = 0.0  # mired, more is warmer
    offset: tuple[number(*RANGES["offset"]), number(*RANGES["offset"]), number(*RANGES["offset"])] = (0.0, 0.0, 0.0)
    saturation: number(*RANGES["saturation"]) = 1.0
    hue: number(*RANGES["hue"]) = 0.0  # degrees, red towards green
    contrast: number(*RANGES["contrast"]) = 1.0
    pivot: number(*RANGES["pivot"]) = 0.18
    gamma: number(*RANGES["gamma"]) = 1.0
    curves: Curves = Curves()
    clamp: bool = False  # to 0..1


class _Row(Trims):
    """What all rows have. amount: weight of the row, 0 for none. matte: id of a matte. matte_on: what that limits, the weight of the row
    or only its trims, so that the row is whole and untrimmed elsewhere.

    display: do the operator's sum on display-like values, for operators made for those. in_balance: part of the rebuild; a row
    laid on top as a change is not.
    """

    id: Identity
    operator: str = "add"
    display: bool = False
    on: bool = True
    solo: bool = False
    amount: number(*RANGES["amount"]) = 1.0
    matte: str | None = None
    matte_on: Literal["weight", "trims"] = "weight"
    in_balance: bool = True
    comment: Comment = ""

    @field_validator("operator")
    @classmethod
    def _operator_is_known(cls, operator: str) -> str:
        if operator not in OPERATORS:
            raise ValueError(f"Unknown operator {operator}; use {', '.join(OPERATORS)}")
        return operator

    @model_validator(mode="after")
    def _display_suits(self) -> Self:
        if self.display and not OPERATORS[self.operator].made_for_display:
            raise ValueError(f"{self.operator} is a sum of light; display is for operators made for display values")
        return self

    def neutral(self) -> Self:
        """On, with the whole amount, without matte and trims."""
        return self.replace(**NEUTRAL)


class PassRow(_Row):
    """A pass as it was read. uses_alpha: whether its alpha counts; without one it is light, or a factor."""

    kind: Literal["pass"] = "pass"
    source: SourceName
    uses_alpha: bool = True


class GroupRow(_Row):
    """Rows that are summed on a picture of their own, which then joins like a pass. folded: how a page shows it.

    alpha: source whose alpha that picture begins with, as a layer of a render does; None lets the first row lay the ground.
    """

    kind: Literal["group"] = "group"
    name: Annotated[str, Field(max_length=80)] = ""
    alpha: SourceName | None = None
    folded: bool = False
    rows: Annotated[tuple[Row, ...], Field(max_length=1000)] = ()

    def neutral(self) -> Self:
        """The same, and all rows inside; those that are no part of the rebuild are left out."""
        return self.replace(**NEUTRAL, rows=rebuilding(self.rows))


class OverlayRow(_Row):
    """A pass laid on top with a place of its own: graphics, wires. It is no part of the rebuild.

    x, y: pixels of the full picture that it is pushed right and down. scale: about the middle of the picture. crop: what is cut off at
    the left, top, right and bottom, as shares of the picture. wipe: share of the way across the picture up to which it shows, along
    wipe_angle (degrees; 0 from left to right, 90 from top to bottom), its edge wipe_soft wide.
    """

    kind: Literal["overlay"] = "overlay"
    source: SourceName
    uses_alpha: bool = True
    in_balance: bool = False
    x: number(*RANGES["x"]) = 0.0
    y: number(*RANGES["y"]) = 0.0
    scale: number(*RANGES["scale"]) = 1.0
    crop: tuple[Share, Share, Share, Share] = (0.0, 0.0, 0.0, 0.0)
    wipe: Share = 1.0
    wipe_angle: number(*RANGES["wipe_angle"]) = 0.0
    wipe_soft: Share = 0.0


class BackgroundRow(_Row):
    """A colour, one that goes over into a second (along angle from side to side, or from the middle of the picture outwards), or a
    picture, still or moving.

    begins, ends: shares of the way where the first colour ends and the second begins. source: of the picture, in its own size.
    fit: it fills the frame (what is too much is cut off), lies whole inside, is stretched to it, or keeps its pixels. x, y, scale: as
    of an overlay, after that. delay: frames by which it starts later than its numbers say. beyond: what shows before its first
    and after its last frame.
    """

    kind: Literal["background"] = "background"
    operator: str = "under"
    in_balance: bool = False
    fill: Literal["colour", "linear", "radial", "picture"] = "colour"
    colour: tuple[Light, Light, Light] = (0.18, 0.18, 0.18)
    second: tuple[Light, Light, Light] = (0.0, 0.0, 0.0)
    angle: number(*RANGES["angle"]) = 90.0
    begins: number(*RANGES["begins"]) = 0.0
    ends: number(*RANGES["ends"]) = 1.0
    source: SourceName | None = None
    uses_alpha: bool = True
    fit: Literal["fill", "inside", "stretch", "as-is"] = "fill"
    x: number(*RANGES["x"]) = 0.0
    y: number(*RANGES["y"]) = 0.0
    scale: number(*RANGES["scale"]) = 1.0
    delay: Annotated[int, Field(ge=RANGES["delay"][0], le=RANGES["delay"][1])] = 0
    beyond: Literal["hold", "loop", "nothing"] = "hold"

    @model_validator(mode="after")
    def _picture_is_named(self) -> Self:
        if self.fill == "picture" and self.source is None:
            raise ValueError("A background of the fill picture names the source that it shows")
        return self


class FogRow(_Row):
    """Fog of a colour, denser the further a pass measures. through: mist is that of the source, 0..1; depth and height take near and far
    in its own units (of a position, height is its second channel).

    mode: mix goes straight from near to far; transmittance thins the light as air does, near to 2 % at far. fills: whether fog lies
    where nothing covers, too.
    """

    kind: Literal["fog"] = "fog"
    operator: str = "copy"
    in_balance: bool = False
    source: SourceName
    through: Literal["mist", "depth", "height"] = "mist"
    mode: Literal["mix", "transmittance"] = "mix"
    colour: tuple[Light, Light, Light] = (0.5, 0.5, 0.5)
    near: number(*RANGES["near"]) = 0.0
    far: number(*RANGES["far"]) = 1.0
    falloff: number(*RANGES["falloff"]) = 1.0
    fills: bool = False


_KINDS = ("pass", "group", "overlay", "background", "fog")


Row = Annotated[
    Annotated[PassRow, Tag("(pass)")]
    | Annotated[GroupRow, Tag("(group)")]
    | Annotated[OverlayRow, Tag("(overlay)")]
    | Annotated[BackgroundRow, Tag("(background)")]
    | Annotated[FogRow, Tag("(fog)")],
    by_kind("A row", _KINDS, without="pass"),
]
GroupRow.model_rebuild()
NEUTRAL = MappingProxyType(
    {name: field.default for name, field in Trims.model_fields.items()}
    | {"on": True, "solo": False, "amount": 1.0, "matte": None}
)


def rebuilding(rows: tuple[Row, ...]) -> tuple[Row, ...]:
    """The rows that are part of the rebuild, all on and without trims."""
    return tuple(row.neutral() for row in rows if row.in_balance)


def source_of(row: Row) -> str | None:
    """The source that a row itself takes, if it takes one; of a group, that of its alpha."""
    if isinstance(row, BackgroundRow) and row.fill != "picture":
        return None
    return row.alpha if isinstance(row, GroupRow) else row.source


def on_source(row: Row, source: str) -> Row:
    """The row with another source in place of its own."""
    return row.replace(**{"alpha" if isinstance(row, GroupRow) else "source": source})


def walk(rows: tuple[Row, ...]) -> Iterator[Row]:
    """Every row, a group before what is in it."""
    for row in rows:
        yield row
        if isinstance(row, GroupRow):
            yield from walk(row.rows)
