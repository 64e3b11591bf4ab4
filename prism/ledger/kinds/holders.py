"""The kinds of rows that hold no others, in a table; and those that hold rows of any kind, summed on a picture of their
own."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, ClassVar, ForwardRef, Literal, Self, Union

from pydantic import Field, Tag, model_validator

from prism.documents import SourceName, by_kind, kind_of
from prism.fields import RGB, Shown
from prism.keyed import Within
from prism.ledger.kinds.backgrounds import BackgroundRow
from prism.ledger.kinds.base import Label, LedgerRow, Light, Number, Share
from prism.ledger.kinds.depth import CardRow, DeepRow, Depth
from prism.ledger.kinds.fog import FogRow
from prism.ledger.kinds.overlays import OverlayRow
from prism.ledger.kinds.passes import PassRow
from prism.ledger.steps import Air, Depths, Step, Sum

LEAVES: tuple[type[LedgerRow], ...] = (PassRow, OverlayRow, BackgroundRow, FogRow, DeepRow, CardRow)
"""All kinds that hold no rows. A row without a kind is a pass."""

_FOGGED = ("fog_mode", ("mix", "transmittance"))


# Defined below, since what they hold may be one of them.
_HOLDERS = {kind: ForwardRef(name, module=__name__) for kind, name in (("group", "GroupRow"), ("depth", "DepthRow"))}
KINDS = (*map(kind_of, LEAVES), *_HOLDERS)
if TYPE_CHECKING:
    Row = LedgerRow
else:
    _TAGGED = tuple(
        Annotated[row, Tag(f"({kind})")] for kind, row in zip(KINDS, (*LEAVES, *_HOLDERS.values()), strict=True)
    )
    Row = Annotated[Union[_TAGGED], by_kind("A row", KINDS, without="pass")]  # noqa: UP007  a table, not a list of names


class RowOfRows(LedgerRow):
    """What all rows with rows in them have. folded: how a page shows it."""

    holds_rows: ClassVar[bool] = True

    name: Annotated[str, Field(max_length=80)] = ""
    folded: bool = False
    rows: Annotated[tuple[Row, ...], Field(max_length=1000)] = ()

    @property
    def inner(self) -> tuple[Row, ...]:
        """The rows in it."""
        return self.rows

    def with_inner(self, rows: tuple[Row, ...]) -> Self:
        """The group with other rows in it."""
        return self.replace(rows=rows)

    def neutral(self) -> Self:
        """The same of all rows inside as well; those that are no part of the rebuild are left out."""
        return super().neutral().with_inner(tuple(row.neutral() for row in self.rows if row.in_balance))


class GroupRow(RowOfRows):
    """Rows that are summed on a picture of their own, which then joins like a pass.

    alpha: source whose alpha that picture begins with, as a layer of a render does; None lets the first row lay the
    ground.
    """

    label: ClassVar[Label] = Label(by="name", otherwise="group")
    source_field: ClassVar[str] = "alpha"

    kind: Literal["group"] = "group"
    alpha: SourceName | None = None

    def content(self, inner: tuple[Step, ...]) -> Sum:
        """The sum of what is in it."""
        return Sum(alpha=self.alpha, steps=inner)


class DepthRow(RowOfRows):
    """Deep passes and cards that cover each other by depth: their order in the group does not matter.

    fog_mode: none, or as of a fog row, between the camera and every single sample: fog_amount of fog_colour, thicker
    from fog_near to fog_far.
    """

    label: ClassVar[Label] = Label(by="name", otherwise="by depth")
    source_field: ClassVar[str] = "no_source"
    meaning: ClassVar[str] = "Deep passes and cards: what is nearer covers what is farther, at every pixel."

    kind: Literal["depth"] = "depth"
    operator: str = "over"
    fog_mode: Annotated[Literal["none", "mix", "transmittance"], Shown(title="fog by depth")] = "none"
    fog_amount: Annotated[Share, Shown(title="fog", when=_FOGGED)] = 1.0
    fog_colour: Annotated[tuple[Light, Light, Light], Shown(title="fog colour", digits=3, parts=RGB, when=_FOGGED)] = (
        0.5,
        0.5,
        0.5,
    )
    fog_near: Annotated[Depth, Shown(title="fog from", digits=3, when=_FOGGED)] = 0.0
    fog_far: Annotated[Depth, Shown(title="fog to", digits=3, when=_FOGGED)] = 100.0
    fog_falloff: Annotated[Number, Within(0.05, 20), Shown(title="falloff", when=_FOGGED)] = 1.0

    @model_validator(mode="after")
    def _all_have_depth(self) -> Self:
        strange = [row.id for row in self.rows if not row.has_depth]
        if strange:
            raise ValueError(f"A group by depth takes deep passes and cards; move {', '.join(strange)} out of it")
        return self

    @property
    def source_taken(self) -> None:
        """None: it begins with nothing."""

    def content(self, inner: tuple[Step, ...]) -> Depths:
        """What is in it, and the air between."""
        air = None
        if self.fog_mode != "none":
            air = Air(
                amount=self.fog_amount, colour=self.fog_colour, near=self.fog_near, far=self.fog_far,
                falloff=self.fog_falloff, as_air=self.fog_mode == "transmittance",
            )  # fmt: skip
        return Depths(steps=inner, air=air)

    def neutral(self) -> Self:
        """In clear air."""
        return super().neutral().replace(fog_mode="none")
