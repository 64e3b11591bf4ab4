"""What all kinds of rows have, and what each of them answers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import field_validator, model_validator

from prism.documents import Comment, Identity
from prism.fields import Shown
from prism.keyed import FrameNumber as Number
from prism.keyed import Within, field_at
from prism.ledger.operators import OPERATORS
from prism.ledger.steps import Content, Factor, Step
from prism.ledger.trims import Trims

Light = Annotated[Number, Within(0, 10_000)]
Share = Annotated[Number, Within(0, 1)]


@dataclass(frozen=True, slots=True)
class Label:
    """What rows of a kind are called: a word for what one field says, else that itself, else `otherwise`; without any,
    their source."""

    by: str = ""
    words: Mapping[str, str] = field(default_factory=dict)
    otherwise: str = ""


class LedgerRow(Trims):
    """amount: weight of the row, 0 for none. matte: id of a matte. matte_on: what that limits, the weight of the row or
    only its trims, so that the row is whole and untrimmed elsewhere.

    display: do the operator's sum on display-like values, for operators made for those. in_balance: part of the
    rebuild; a row laid on top as a change is not.
    """

    label: ClassVar[Label] = Label()
    source_field: ClassVar[str] = "source"  # which of its fields names the source that it takes
    source_fields_beside: ClassVar[tuple[str, ...]] = ()  # fields that name more of them
    holds_rows: ClassVar[bool] = False
    has_own_frames: ClassVar[bool] = False  # its source has frames and a size of its own, and is no pass of the frame
    taken_as: ClassVar[str] = ""  # word for a picture that becomes a row of the kind, where others become other rows
    has_depth: ClassVar[bool] = False  # it may stand in a group that orders what is in it by depth
    has_place: ClassVar[bool] = False  # it can be pushed to where its lines lie on the edges of the picture
    meaning: ClassVar[str] = ""  # in a sentence, where it is not that of its source
    channel_by: ClassVar[tuple[str, Mapping[str, int]] | None] = (
        None  # field, and the channel measured for each of its words
    )

    id: Identity
    operator: str = "add"
    display: bool = False
    on: bool = True
    solo: bool = False
    amount: Annotated[Number, Within(-100, 100), Shown(title="amount")] = 1.0
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

    # ---- What each kind answers ----
    def content(self, inner: tuple[Step, ...]) -> Content:
        """What it lays down, once its numbers are those of a frame. inner: its own rows, as steps."""
        raise NotImplementedError

    def factors(self) -> tuple[Factor, ...]:
        """What its weight is multiplied with, once its numbers are those of a frame."""
        return ()

    @property
    def source_taken(self) -> str | None:
        """The source that it takes itself, if it takes one; of a group, that of its alpha."""
        return getattr(self, self.source_field)

    @property
    def all_sources(self) -> tuple[str, ...]:
        """Every source that it takes itself."""
        names = (self.source_taken, *(getattr(self, name) for name in self.source_fields_beside))
        return tuple(name for name in names if name is not None)

    @property
    def inner(self) -> tuple[Any, ...]:
        """The rows in it."""
        return ()

    @property
    def measures(self) -> tuple[str, int] | None:
        """The source and the channel (0 to 2) of it that it measures by, if it does."""
        source = self.source_taken
        if self.channel_by is None or source is None:
            return None
        name, channels = self.channel_by
        return source, channels[getattr(self, name)]

    def at(self, frame: int) -> Self:
        """The row with what it has beside other kinds as plain numbers, those of a frame."""
        own = type(self).model_fields.keys() - LedgerRow.model_fields.keys()
        return self.model_copy(update={name: field_at(getattr(self, name), frame) for name in own})

    # ---- Changed ----
    def with_sources(self, others: Mapping[str, str]) -> Self:
        """The row with other sources in place of its own, by their names."""
        fields = (self.source_field, *self.source_fields_beside) if self.source_taken is not None else ()
        found = {name: others[getattr(self, name)] for name in fields if getattr(self, name) in others}
        return self.replace(**found) if found else self

    def with_inner(self, rows: tuple[Any, ...]) -> Self:
        """The row with other rows in it; itself, if it takes none."""
        return self

    def neutral(self) -> Self:
        """On, with the whole amount, without matte and trims."""
        return self.replace(**NEUTRAL)


NEUTRAL: Mapping[str, Any] = MappingProxyType(
    {name: each.default for name, each in Trims.model_fields.items()}
    | {"on": True, "solo": False, "amount": 1.0, "matte": None}
)
