"""The rows of a ledger as they stand in its document: what each takes, how it joins, and its trims."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from types import MappingProxyType
from typing import Annotated, Any, Literal, Self

from pydantic import Discriminator, Field, Tag, field_validator, model_validator

from prism.combine.numbers import number
from prism.combine.operators import OPERATORS
from prism.documents import Value

Identity = Annotated[str, Field(min_length=1, max_length=80)]
SourceName = Annotated[str, Field(min_length=1, max_length=200)]
Comment = Annotated[str, Field(max_length=2000)]
CurvePoint = tuple[float, float]
MOST_CURVE_POINTS = 16


class Curve(Value):
    """A monotone spline through points (x, y), straight on beyond its ends. Without points it changes nothing."""

    points: Annotated[tuple[CurvePoint, ...], Field(max_length=MOST_CURVE_POINTS)] = ()

    @model_validator(mode="after")
    def _points_rise(self) -> Self:
        if len(self.points) == 1:
            raise ValueError("A curve takes two points or more")
        for (before, _), (after, _) in pairwise(self.points):
            if after - before < 1e-6:
                raise ValueError(f"The points of a curve go from left to right; {after:g} follows {before:g}")
        return self


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
    }
)
"""Least and greatest value of every number of a row."""


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
    """What all rows have. amount: weight of the row, 0 for none. matte: id of a matte that the weight is multiplied with.

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
    """Rows that are summed on a picture of their own, which then joins like a pass. folded: how a page shows it."""

    kind: Literal["group"] = "group"
    name: Annotated[str, Field(max_length=80)] = ""
    folded: bool = False
    rows: Annotated[tuple[Row, ...], Field(max_length=1000)] = ()

    def neutral(self) -> Self:
        """The same, and all rows inside; those that are no part of the rebuild are left out."""
        return self.replace(**NEUTRAL, rows=rebuilding(self.rows))


_KINDS = ("pass", "group")


def _kind_of(given: Any) -> str:
    kind = given.get("kind", "pass") if isinstance(given, dict) else getattr(given, "kind", "pass")
    return f"({kind})" if kind in _KINDS else str(kind)


Row = Annotated[
    Annotated[PassRow, Tag("(pass)")] | Annotated[GroupRow, Tag("(group)")],
    Discriminator(
        _kind_of, custom_error_type="kind", custom_error_message=f"A row has one of the kinds {', '.join(_KINDS)}"
    ),
]
GroupRow.model_rebuild()
NEUTRAL = MappingProxyType(
    {name: field.default for name, field in Trims.model_fields.items()}
    | {"on": True, "solo": False, "amount": 1.0, "matte": None}
)


def rebuilding(rows: tuple[Row, ...]) -> tuple[Row, ...]:
    """The rows that are part of the rebuild, all on and without trims."""
    return tuple(row.neutral() for row in rows if row.in_balance)


def walk(rows: tuple[Row, ...]) -> Iterator[Row]:
    """Every row, a group before what is in it."""
    for row in rows:
        yield row
        if isinstance(row, GroupRow):
            yield from walk(row.rows)
