"""The ledger document: rows read top to bottom like a sum. Open JSON, versioned; docs/ledger-format.md describes it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import Field, field_validator, model_validator

from prism.colour.spaces import Primaries, require_space
from prism.documents import Document, SourceName, Value
from prism.errors import BadArgument, PrismError, UnknownOperator
from prism.finish.document import Finish, require_mattes
from prism.finish.steps import Steps
from prism.ledger.rows import PassRow, Row, changed, rebuilding, walk
from prism.mattes.document import Matte, Mattes, require_order, with_sources

VERSION = 5


class SourceEntry(Value):
    """Where a source lies. source: its key. folder: from where the ledger's files are; head, padding and suffix: of its
    file names, the frame number with as many digits between them, or none (padding 0) for a still. part: of the file,
    from 0. alpha, state: its alpha channel, and of the colour towards it. curve: of the stored values. fit: what
    becomes of another size than the picture's. primaries: of which its light is mixed. layer, camera, pass_kind,
    denoised: what it is a picture of.
    """

    source: SourceName
    folder: Annotated[str, Field(max_length=500)] = ""
    head: Annotated[str, Field(max_length=500)] = ""
    padding: Annotated[int, Field(ge=0, le=32)] = 4
    suffix: Annotated[str, Field(max_length=500)]
    part: Annotated[int, Field(ge=0, le=10_000)] = 0
    channels: Annotated[tuple[str, ...], Field(min_length=1, max_length=4)]
    alpha: str | None = None
    state: Literal["premultiplied", "straight", "none"] = "none"
    curve: Literal["linear", "srgb"] = "linear"
    fit: Literal["place", "scale"] = "place"
    primaries: Primaries = "header"
    layer: Annotated[str, Field(max_length=500)] = ""
    camera: Annotated[str, Field(max_length=500)] = ""
    pass_kind: Annotated[str, Field(max_length=200)] | None = None
    denoised: bool = False


class Ledger(Document):
    """How a beauty is rebuilt. It starts from black with the alpha of one source, then takes row after row.

    Sources are named `element/pass`. A bare `pass` is one of whatever element the ledger is laid on. reference: rows
    that sum to the picture to land on, where no single render holds it; `beauty` is then that of its main layer. files:
    where the sources lie, in a ledger that goes to other programs. finish: steps on the rebuilt picture.
    """

    format: Literal["eager-prism.ledger"] = "eager-prism.ledger"
    version: Literal[5] = 5
    name: Annotated[str, Field(min_length=1, max_length=80)] = "ledger"
    space: str = "lin_rec709"  # working colour of the sources, whose weights make luminance of light
    beauty: str = "beauty"  # the rendered image that the rows are balanced against, unless there is a reference
    reference: Annotated[tuple[Row, ...], Field(max_length=1000)] = ()
    alpha: str | None = "beauty"  # source whose alpha the sum starts with; None starts transparent
    files: Annotated[tuple[SourceEntry, ...], Field(max_length=20_000)] = ()
    mattes: Mattes = ()
    rows: Annotated[tuple[Row, ...], Field(max_length=1000)] = ()
    finish: Steps = ()

    @field_validator("space")
    @classmethod
    def _space_is_known(cls, space: str) -> str:
        try:
            require_space(space)
        except BadArgument as error:
            raise ValueError(f"{error.what} {error.advice}") from error
        return space

    @model_validator(mode="after")
    def _names_are_sound(self) -> Self:
        mattes = require_order(self.mattes)
        seen: set[str] = set()
        for row in walk(self.rows):
            if row.id in seen:
                raise ValueError(f"Two rows have the id {row.id}")
            if row.matte is not None and row.matte not in mattes:
                raise ValueError(f"Row {row.id} names the matte {row.matte}, which is not in the ledger")
            seen.add(row.id)
        if any(row.matte is not None for row in walk(self.reference)):
            raise ValueError("Rows of the reference take no matte")
        require_mattes(self.finish, mattes)
        return self

    @classmethod
    def _bad(cls, error, where: str) -> PrismError:
        problem = super()._bad(error, where)
        if error.errors()[0]["loc"][-1:] == ("operator",):
            return UnknownOperator(problem.what, where=problem.where, advice=problem.advice)
        return problem

    @model_validator(mode="before")
    @classmethod
    def _of_before(cls, data: Any) -> Any:
        """Versions 1 and 2 had rows of passes only, with fewer trims; what they lack is neutral. Version 1 knew one
        element, so all its sources are bare. Version 3 had neither a reference nor the alpha of a group, version 4 no
        finish."""
        older = isinstance(data, dict) and data.get("version") in range(1, VERSION)
        return {**data, "version": VERSION} if older else data

    def walk(self) -> Iterator[Row]:
        """Every row, a group before what is in it."""
        return walk(self.rows)

    @property
    def passes(self) -> tuple[PassRow, ...]:
        """Every row that takes a pass, inside groups as well."""
        return tuple(row for row in self.walk() if isinstance(row, PassRow))

    @property
    def sources(self) -> tuple[str, ...]:
        """All that it names, each once."""
        mattes = (source for matte in self.mattes for source in matte.sources)
        start = (self.alpha,) if self.alpha else ()
        rows = (source for row in walk((*self.rows, *self.reference)) for source in row.all_sources)
        steps = (source for step in self.finish for source in step.sources)
        return tuple(dict.fromkeys((self.beauty, *start, *rows, *mattes, *steps)))

    @property
    def rendered(self) -> Ledger:
        """What the untrimmed rows should land on, as a ledger of its own: the beauty, or the reference."""
        beauty = PassRow(id="rendered", source=self.beauty, uses_alpha=False)
        if not self.reference:
            return self.replace(alpha=self.beauty, rows=(beauty,), mattes=(), finish=())
        return self.replace(alpha=None, rows=self.reference, reference=(), mattes=(), finish=())

    @property
    def elements(self) -> tuple[str, ...]:
        """The elements of its sources, that of the beauty first."""
        names = (source.rpartition("/")[0] for source in self.sources)
        return tuple(dict.fromkeys(name for name in names if name))

    def moved(self, before: str, after: str) -> Ledger:
        """Laid on another element: sources of `before` (an empty name for bare ones) become those of `after`."""
        parted = ((source, *source.rpartition("/")[::2]) for source in self.sources)
        return self.with_sources(
            {source: f"{after}/{key}" if after else key for source, element, key in parted if element == before}
        )

    def with_sources(self, others: Mapping[str, str]) -> Ledger:
        """With other sources in place of some, by their names."""
        return self.replace(
            beauty=others.get(self.beauty, self.beauty),
            alpha=others.get(self.alpha, self.alpha) if self.alpha else None,
            mattes=tuple(with_sources(matte, others) for matte in self.mattes),
            rows=changed(self.rows, lambda row: row.with_sources(others)),
            reference=changed(self.reference, lambda row: row.with_sources(others)),
            finish=tuple(step.with_sources(others) for step in self.finish),
            files=(),  # of the sources before
        )

    def untrimmed(self) -> Ledger:
        """Only the rows of the rebuild, all on and without trims, mattes or finish: what should equal the rendered
        beauty."""
        return self.replace(rows=rebuilding(self.rows), mattes=(), finish=())

    @property
    def finishing(self) -> Finish:
        """Its finish as a document of its own, with the mattes that it names."""
        return Finish.of(self.finish, self.mattes, name=self.name)

    def row(self, key: str) -> Row:
        """The row with that id, or its number from 1. Raises BadArgument naming the rows."""
        for number, row in enumerate(self.walk(), start=1):
            if key in (row.id, str(number)):
                return row
        raise BadArgument(f"There is no row {key}.", advice=f"The ledger has {', '.join(r.id for r in self.walk())}.")

    def with_setting(self, key: str, field: str, setting: Any) -> Ledger:
        """A copy with one field of one row changed. Raises BadArgument, BadDocument or UnknownOperator."""
        target = self.row(key)
        fields = [name for name in type(target).model_fields if name not in ("id", "kind")]
        if field not in fields:
            raise BadArgument(f"A row has no field {field} to set.", advice=f"Use {', '.join(fields)}.")
        document = self.as_json()
        next(row for row in _listed(document["rows"]) if row["id"] == target.id)[field] = setting
        return Ledger.from_json(document, where=f"{key}.{field}")

    def with_row(self, row: Row) -> Ledger:
        """A copy with a row in place of the one of its id."""
        return self.replace(rows=changed(self.rows, lambda old: row if old.id == row.id else old))

    def without(self, key: str) -> Ledger:
        """A copy that lacks one row, and what is in it. Raises BadArgument."""
        return self.replace(rows=_without(self.rows, self.row(key).id))

    def down_to(self, key: str) -> Ledger:
        """The sum down to a row and no further; for a row in a group, what the group has come to by itself."""
        target = self.row(key)
        cut = _down_to(self.rows, target.id)
        if cut[-1].id == target.id:
            return self.replace(rows=cut)
        return self.replace(rows=(cut[-1].neutral().with_inner(cut[-1].inner),), alpha=None)


def _listed(rows: list[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    """Every row of a document's JSON, those in groups as well."""
    for row in rows:
        yield row
        yield from _listed(row.get("rows", []))


def _without(rows: tuple[Row, ...], key: str) -> tuple[Row, ...]:
    return tuple(row.with_inner(_without(row.inner, key)) if row.inner else row for row in rows if row.id != key)


def _down_to(rows: tuple[Row, ...], key: str) -> tuple[Row, ...]:
    for place, row in enumerate(rows):
        if row.id == key:
            return rows[: place + 1]
        if any(inner.id == key for inner in walk(row.inner)):
            return (*rows[:place], row.with_inner(_down_to(row.inner, key)))
    raise AssertionError(key)  # `Ledger.row` found it


__all__ = ["Ledger", "Matte", "Row"]
