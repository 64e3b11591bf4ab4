"""What a matte is made of, as it stands in its document: what each part takes, and how it joins those before it.

Places are pixels of the full picture from its upper left corner, 0.5 in the middle of the first; sizes are pixels. So a
part is drawn alike at every preview size.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal, Self, Union, get_args

from pydantic import Field, Tag, model_validator

from prism.curves import Curve
from prism.documents import Identity, SourceName, Value, by_kind, kind_of
from prism.fields import DEGREES, PIXELS, XYZ, Shown, settings_of
from prism.keyed import FrameNumber as Number
from prism.keyed import Within

Hex = Annotated[str, Field(pattern="^[0-9a-f]{8}$")]
Unit = Annotated[float, Field(ge=0, le=1)]
Axis = Annotated[float, Within(-1e9, 1e9)]
Coordinate = Annotated[Number, Within(-100_000, 100_000)]
Size = Annotated[Number, Within(0, 100_000)]
Soft = Annotated[Number, Within(0, 100_000)]
Measured = Annotated[Number, Within(-1e9, 1e9)]
Width = Annotated[Number, Within(0, 1e9)]
_SIDED = ("form", ("ellipse", "rectangle"))


class _Part(Value):
    """What all parts have. how: it joins what was made so far. Then, in this order: grow by pixels (shrink if below 0),
    blur, curve, inverted, amount."""

    how: Literal["add", "subtract", "intersect", "exclude"] = "add"
    grow: Annotated[Number, Within(-2000, 2000), Shown(title="grow", **PIXELS)] = 0.0
    blur: Annotated[Number, Within(0, 2000), Shown(title="blur", **PIXELS)] = (
        0.0  # radius; the standard deviation is half of it
    )
    curve: Curve = Curve()
    inverted: Annotated[bool, Shown(title="inverted")] = False
    amount: Annotated[Number, Within(0, 1), Shown(title="amount")] = 1.0


class AlphaPart(_Part):
    """The alpha of a pass."""

    kind: Literal["alpha"] = "alpha"
    source: SourceName


class MattePart(_Part):
    """Another matte of the ledger, which stands before this one."""

    kind: Literal["matte"] = "matte"
    of: Identity


class Named(Value):
    """One of a Cryptomatte: its 32 bits as 8 hex digits, and the name if it is known."""

    id: Hex
    name: Annotated[str, Field(max_length=500)] = ""


class NamesPart(_Part):
    """Objects of a Cryptomatte. source: its first rank. patterns: names with * and ?, looked up in the manifest of
    every frame."""

    kind: Literal["names"] = "names"
    source: SourceName
    names: Annotated[tuple[Named, ...], Field(max_length=10_000)] = ()
    patterns: Annotated[tuple[Annotated[str, Field(min_length=1, max_length=500)], ...], Field(max_length=200)] = ()


class ColourPart(_Part):
    """One flat colour of a pass. tolerance: of the channel that is furthest off; beyond it the matte falls off over
    soft. touching: only the area that holds the place (x, y)."""

    kind: Literal["colour"] = "colour"
    source: SourceName
    colour: tuple[float, float, float]
    tolerance: Annotated[Number, Within(0, 10), Shown(title="tolerance", step=0.005, digits=3)] = 0.01
    soft: Annotated[Soft, Shown(title="softness", step=0.005, digits=3)] = 0.0
    touching: Annotated[bool, Shown(title="only where it touches")] = False
    x: Coordinate = 0.0
    y: Coordinate = 0.0


class RangePart(_Part):
    """Where a pass measures between low and high, rising over soft_low below and falling over soft_high above.

    measure: luminance of its whole colour, or one of its channels as it is.
    """

    kind: Literal["range"] = "range"
    source: SourceName
    measure: Annotated[Literal["luminance", "first", "second", "third"], Shown(title="of its")] = "first"
    low: Annotated[Measured, Shown(title="from", digits=3)] = 0.0
    high: Annotated[Measured, Shown(title="to", digits=3)] = 1.0
    soft_low: Annotated[Width, Shown(title="soft before", digits=3)] = 0.0
    soft_high: Annotated[Width, Shown(title="soft after", digits=3)] = 0.0


class DirectionPart(_Part):
    """Where normals point within an angle of a direction, falling off over soft; both in degrees."""

    kind: Literal["direction"] = "direction"
    source: SourceName
    toward: Annotated[tuple[Axis, Axis, Axis], Shown(title="toward", parts=XYZ)] = (0.0, 1.0, 0.0)
    angle: Annotated[Number, Within(0, 180), Shown(title="angle", **DEGREES)] = 45.0
    soft: Annotated[Soft, Shown(title="softness", **DEGREES)] = 15.0


class BoxPart(_Part):
    """Where positions lie inside a box, falling off over soft outside of it; units of the scene."""

    kind: Literal["box"] = "box"
    source: SourceName
    low: Annotated[tuple[Axis, Axis, Axis], Shown(title="from", step=0.05, parts=XYZ)] = (-1.0, -1.0, -1.0)
    high: Annotated[tuple[Axis, Axis, Axis], Shown(title="to", step=0.05, parts=XYZ)] = (1.0, 1.0, 1.0)
    soft: Annotated[Soft, Shown(title="softness", step=0.05)] = 0.0


class Stroke(Value):
    """A line of a round brush. size: its diameter. hardness: share of the radius that is whole. erases: takes away
    instead. first, last: frames on which it is there; all if None."""

    points: Annotated[tuple[tuple[Axis, Axis], ...], Field(min_length=1, max_length=5000)]
    size: Annotated[float, Field(gt=0, le=10_000)] = 40.0
    hardness: Unit = 0.8
    opacity: Unit = 1.0
    erases: bool = False
    first: int | None = None
    last: int | None = None


class StrokesPart(_Part):
    """Strokes, one over the other. x, y: moves all of them."""

    kind: Literal["strokes"] = "strokes"
    strokes: Annotated[tuple[Stroke, ...], Field(max_length=2000)] = ()
    x: Annotated[Coordinate, Shown(title="right", **PIXELS)] = 0.0
    y: Annotated[Coordinate, Shown(title="down", **PIXELS)] = 0.0


class Corner(Value):
    """A corner of a polygon or a curve. soft: width of the edge from here to the next."""

    x: Coordinate
    y: Coordinate
    soft: Soft = 0.0


class ShapePart(_Part):
    """A drawn shape. Ellipses and rectangles have a middle, sides, a turn (degrees, clockwise) and soft, the width of
    their edge. Polygons and smooth closed curves have corners, which x, y move. A gradient rises from its first corner
    to its second."""

    kind: Literal["shape"] = "shape"
    form: Literal["ellipse", "rectangle", "polygon", "smooth", "gradient"] = "ellipse"
    x: Annotated[Coordinate, Shown(title="right", **PIXELS)] = 0.0
    y: Annotated[Coordinate, Shown(title="down", **PIXELS)] = 0.0
    width: Annotated[Size, Shown(title="width", **PIXELS, when=_SIDED)] = 0.0
    height: Annotated[Size, Shown(title="height", **PIXELS, when=_SIDED)] = 0.0
    turn: Annotated[Number, Within(-3600, 3600), Shown(title="turn", **DEGREES, when=_SIDED)] = 0.0
    soft: Annotated[Soft, Shown(title="softness", **PIXELS, when=_SIDED)] = 0.0
    corners: Annotated[tuple[Corner, ...], Field(max_length=500)] = ()

    @model_validator(mode="after")
    def _has_corners(self) -> Self:
        least = {"polygon": 3, "smooth": 3, "gradient": 2}.get(self.form, 0)
        if len(self.corners) < least or (self.form == "gradient" and len(self.corners) != least):
            raise ValueError(f"A {self.form} has {least} corners{'' if self.form == 'gradient' else ' or more'}")
        return self


FORMS: tuple[str, ...] = get_args(ShapePart.model_fields["form"].annotation)
MEASURES: tuple[str, ...] = get_args(RangePart.model_fields["measure"].annotation)
PARTS: tuple[type[_Part], ...] = (
    AlphaPart, MattePart, NamesPart, ColourPart, RangePart, DirectionPart, BoxPart, StrokesPart, ShapePart,
)  # fmt: skip
"""All kinds there are, in the order they are offered. What each makes is an entry in a table of
`prism.mattes.planes`."""

KINDS = tuple(map(kind_of, PARTS))
_TAGGED = tuple(Annotated[part, Tag(f"({kind})")] for part, kind in zip(PARTS, KINDS, strict=True))
if TYPE_CHECKING:
    Part = _Part
else:
    Part = Annotated[Union[_TAGGED], by_kind("A part of a matte", KINDS)]  # noqa: UP007  a table, not a list of names


def kinds_for_page() -> dict[str, dict[str, Any]]:
    """By kind: a part with nothing changed, and its settings (its own first, then those of all parts)."""
    common = set(_Part.model_fields)
    return {
        kind: {
            "blank": _blank(part).model_dump(mode="json"),
            "settings": sorted(settings_of(part), key=lambda setting: setting["field"] in common),
        }
        for kind, part in zip(KINDS, PARTS, strict=True)
    }


def _blank(part: type[_Part]) -> _Part:
    given = {"source": "pass", "of": "matte", "colour": (0.0, 0.0, 0.0)}
    return part(**{name: given[name] for name, field in part.model_fields.items() if field.is_required()})
