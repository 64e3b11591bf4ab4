"""Rows that are summed on a picture of their own."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, ClassVar, Literal, Self

from pydantic import Field

from prism.documents import SourceName
from prism.ledger.kinds.base import Label, LedgerRow
from prism.ledger.steps import Step, Sum

if TYPE_CHECKING:  # a group holds rows of all kinds, which are listed above it
    from prism.ledger.rows import Row


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
