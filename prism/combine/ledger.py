"""The ledger document: rows read top to bottom like a sum. Open JSON, versioned."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import Field, field_validator, model_validator

from prism.combine.operators import OPERATORS
from prism.documents import Document, Value
from prism.errors import BadArgument, BadDocument, UnknownOperator

Tint = Annotated[float, Field(ge=0, le=100)]
NEUTRAL = {"on": True, "amount": 1.0, "exposure": 0.0, "tint": (1.0, 1.0, 1.0)}


class Row(Value):
    """One line of the sum: a source, how it joins, and its trims.

    amount scales the row's effect (0: none, 1: as rendered); exposure (stops) and tint scale its colour, not its alpha.
    """

    id: Annotated[str, Field(min_length=1, max_length=80)]
    source: Annotated[str, Field(min_length=1, max_length=200)]
    operator: str = "add"
    on: bool = True
    amount: Annotated[float, Field(ge=-100, le=100)] = 1.0
    exposure: Annotated[float, Field(ge=-24, le=24)] = 0.0
    tint: tuple[Tint, Tint, Tint] = (1.0, 1.0, 1.0)
    in_balance: bool = True  # part of the rebuild; a row laid on top as a change is not

    @field_validator("operator")
    @classmethod
    def _operator_is_known(cls, operator: str) -> str:
        if operator not in OPERATORS:
            raise ValueError(f"Unknown operator {operator}; use {', '.join(OPERATORS)}")
        return operator

    @property
    def gains(self) -> tuple[float, float, float]:
        """Factor on R, G, B."""
        return tuple(component * 2.0**self.exposure for component in self.tint)


class Ledger(Document):
    """How a beauty is rebuilt. It starts from black with the alpha of one source, then takes row after row.

    Sources are named `element/pass`. A bare `pass` is one of whatever element the ledger is laid on.
    """

    format: Literal["eager-prism.ledger"] = "eager-prism.ledger"
    version: Literal[2] = 2
    name: Annotated[str, Field(min_length=1, max_length=80)] = "ledger"
    beauty: str = "beauty"  # the rendered image that the rows are balanced against
    alpha: str | None = "beauty"  # source whose alpha the sum starts with; None starts transparent
    rows: Annotated[tuple[Row, ...], Field(max_length=1000)] = ()

    @model_validator(mode="after")
    def _ids_are_unique(self) -> Self:
        seen: set[str] = set()
        for row in self.rows:
            if row.id in seen:
                raise ValueError(f"Two rows have the id {row.id}")
            seen.add(row.id)
        return self

    @classmethod
    def _bad(cls, error, where: str) -> BadDocument | UnknownOperator:
        problem = super()._bad(error, where)
        if error.errors()[0]["loc"][-1:] == ("operator",):
            return UnknownOperator(problem.what, where=problem.where, advice=problem.advice)
        return problem

    @model_validator(mode="before")
    @classmethod
    def _from_version_1(cls, data: Any) -> Any:
        """Version 1 knew one element, so all its sources are bare."""
        return {**data, "version": 2} if isinstance(data, dict) and data.get("version") == 1 else data

    @property
    def sources(self) -> tuple[str, ...]:
        """All that it names, each once."""
        named = (self.beauty, *((self.alpha,) if self.alpha else ()), *(row.source for row in self.rows))
        return tuple(dict.fromkeys(named))

    @property
    def elements(self) -> tuple[str, ...]:
        """Of its sources, that of the beauty first."""
        names = (source.rpartition("/")[0] for source in self.sources)
        return tuple(dict.fromkeys(name for name in names if name))

    def moved(self, before: str, after: str) -> Ledger:
        """Laid on another element: sources of `before` (an empty name for bare ones) become those of `after`."""

        def other(source: str) -> str:
            element, _, key = source.rpartition("/")
            return f"{after}/{key}" if element == before else source

        rows = tuple(row.replace(source=other(row.source)) for row in self.rows)
        return self.replace(beauty=other(self.beauty), alpha=other(self.alpha) if self.alpha else None, rows=rows)

    def untrimmed(self) -> Ledger:
        """Only the rows of the rebuild, all on and without trims: what should equal the rendered beauty."""
        return self.replace(rows=tuple(row.replace(**NEUTRAL) for row in self.rows if row.in_balance))

    def row(self, key: str) -> Row:
        """The row with that id, or its number from 1. Raises BadArgument naming the rows."""
        for number, row in enumerate(self.rows, start=1):
            if key in (row.id, str(number)):
                return row
        raise BadArgument(f"There is no row {key}.", advice=f"The ledger has {', '.join(r.id for r in self.rows)}.")

    def with_setting(self, key: str, field: str, setting: Any) -> Ledger:
        """A copy with one field of one row changed. Raises BadArgument, BadDocument or UnknownOperator."""
        target = self.row(key)
        if field not in Row.model_fields or field == "id":
            settable = ", ".join(name for name in Row.model_fields if name != "id")
            raise BadArgument(f"A row has no field {field} to set.", advice=f"Use {settable}.")
        rows = [row.model_dump() | ({field: setting} if row is target else {}) for row in self.rows]
        return Ledger.from_json(self.as_json() | {"rows": rows}, where=f"{key}.{field}")
