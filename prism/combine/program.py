"""A ledger made ready for one frame: numbers worked out, rows that change nothing left out, names of mattes followed.

All that follows from the document is decided here, once; running a program is nothing but arithmetic.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from prism.keyed import at
from prism.ledger.document import Ledger
from prism.ledger.operators import OPERATORS
from prism.ledger.rows import Row, walk
from prism.ledger.steps import Behind, Card, Step, flat
from prism.ledger.trims import trims_at
from prism.mattes.plan import plans


@dataclass(frozen=True, slots=True)
class Program:
    """alpha: source of the alpha to start with. rows: ids of all rows of the ledger's own level, in order. Can be
    compared and hashed: equal programs give equal pictures of equal sources."""

    alpha: str | None
    rows: tuple[str, ...]
    steps: tuple[Step, ...]

    @property
    def sources(self) -> tuple[str, ...]:
        """All that it will ask for, each once."""
        start = (self.alpha,) if self.alpha else ()
        return tuple(dict.fromkeys((*start, *(source for step in self.steps for source in step.sources))))

    @property
    def pictures(self) -> tuple[Behind, ...]:
        """The pictures that have frames of their own."""
        own = tuple(step.content for step in flat(self.steps) if isinstance(step.content, Behind))
        depths = (card.of_depth for card in own if isinstance(card, Card))
        return (*own, *(depth for depth in depths if depth is not None))

    def above(self, row: str) -> Program:
        """What is done before a row of the ledger's own level. Raises ValueError if there is none of that id."""
        rows = self.rows[: self.rows.index(row)]
        return Program(self.alpha, rows, tuple(step for step in self.steps if step.id in rows))

    def from_row(self, row: str) -> tuple[Step, ...]:
        """What is done from that row on."""
        return self.steps[len(self.above(row).steps) :]


def compile_ledger(ledger: Ledger, frame: int) -> Program:
    """The program of a ledger at a frame number."""
    compiler = _Compiler(ledger, frame)
    steps = compiler.steps(ledger.rows, enabled=not any(row.solo for row in ledger.walk()))
    return Program(ledger.alpha, tuple(row.id for row in ledger.rows), tuple(steps))


class _Compiler:
    def __init__(self, ledger: Ledger, frame: int) -> None:
        self._frame = frame
        self._space = ledger.space
        self._mattes = plans(ledger.mattes, frame, ledger.space)

    def steps(self, rows: tuple[Row, ...], *, enabled: bool, grounded: bool = True) -> Iterator[Step]:
        """enabled: no row elsewhere is soloed. grounded: something lies below the first row already."""
        for row in rows:
            if not row.on or not (enabled or any(inner.solo for inner in walk((row,)))):
                continue
            weight = at(row.amount, self._frame)
            if weight != 0:
                yield self._step(row, weight, enabled=enabled or row.solo, grounds=not grounded)
            grounded = True

    def _step(self, row: Row, weight: float, *, enabled: bool, grounds: bool) -> Step:
        trims = trims_at(row, self._frame, self._space)
        within = row.matte is not None and row.matte_on == "trims"
        has_matte = row.matte is not None and not (within and trims.is_neutral)
        inner = tuple(self.steps(row.inner, enabled=enabled, grounded=row.source_taken is not None))
        plain = row.at(self._frame)
        return Step(
            id=row.id,
            operator=OPERATORS[row.operator],
            display=row.display,
            weight=weight,
            trims=trims,
            matte=self._mattes[row.matte] if row.matte is not None and has_matte else None,
            within=within and has_matte,
            grounds=grounds,
            content=plain.content(inner),
            factors=plain.factors(),
        )
