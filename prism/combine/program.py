"""A ledger made ready for one frame: numbers worked out, rows that change nothing left out, names of mattes followed.

All that follows from the document is decided here, once; running a program is nothing but arithmetic.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, fields

from prism.combine.trims import FrameTrims, trims_at
from prism.keyed import at
from prism.ledger.document import Ledger
from prism.ledger.operators import OPERATORS, Operator
from prism.ledger.rows import BackgroundRow, FogRow, GroupRow, OverlayRow, PassRow, Row, walk
from prism.mattes.plan import MattePlan, plans, settled


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """A row at one frame. weight: its amount, not 0. within: the matte limits its trims, not its weight. grounds: it is the first of its group, which it fills."""

    id: str
    operator: Operator
    display: bool
    weight: float
    trims: FrameTrims
    matte: MattePlan | None
    within: bool
    grounds: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PassStep(Step):
    """A pass joins. uses_alpha: whether its alpha counts."""

    source: str
    uses_alpha: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupStep(Step):
    """The sum of steps joins. alpha: source of the alpha that it starts with; None if its first row lays the ground."""

    alpha: str | None
    steps: tuple[Step, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class OverlayStep(PassStep):
    """A pass that was pushed, scaled, cropped or wiped. x, y: in pixels. crop: left, top, right, bottom, as shares."""

    x: float
    y: float
    scale: float
    crop: tuple[float, float, float, float]
    wipe: float
    wipe_angle: float
    wipe_soft: float


@dataclass(frozen=True, slots=True, kw_only=True)
class BackgroundStep(Step):
    """A colour, or two, or a picture."""

    fill: str
    colour: tuple[float, float, float]
    second: tuple[float, float, float]
    angle: float
    begins: float
    ends: float
    source: str | None
    uses_alpha: bool
    fit: str
    x: float
    y: float
    scale: float
    delay: int
    beyond: str


@dataclass(frozen=True, slots=True, kw_only=True)
class FogStep(Step):
    """Fog through what a pass measures."""

    source: str
    through: str
    mode: str
    colour: tuple[float, float, float]
    near: float
    far: float
    falloff: float
    fills: bool


_STEPS: Mapping[type, type[Step]] = {
    PassRow: PassStep, OverlayRow: OverlayStep, BackgroundRow: BackgroundStep, FogRow: FogStep,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Program:
    """alpha: source of the alpha to start with. rows: ids of all rows of the ledger's own level, in order. Can be compared and
    hashed: equal programs give equal pictures of equal sources."""

    alpha: str | None
    rows: tuple[str, ...]
    steps: tuple[Step, ...]

    @property
    def sources(self) -> tuple[str, ...]:
        """All that it will ask for, each once."""
        start = (self.alpha,) if self.alpha else ()
        return tuple(dict.fromkeys((*start, *_sources(self.steps))))

    @property
    def pictures(self) -> tuple[BackgroundStep, ...]:
        """The backgrounds that show pictures, of frames of their own."""
        backgrounds = (step for step in flat(self.steps) if isinstance(step, BackgroundStep))
        return tuple(step for step in backgrounds if step.fill == "picture")

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
    steps = compiler.steps(ledger.rows, heard=not any(row.solo for row in ledger.walk()))
    return Program(ledger.alpha, tuple(row.id for row in ledger.rows), tuple(steps))


class _Compiler:
    def __init__(self, ledger: Ledger, frame: int) -> None:
        self._frame = frame
        self._space = ledger.space
        self._mattes = plans(ledger.mattes, frame, ledger.space)

    def steps(self, rows: tuple[Row, ...], *, heard: bool, grounded: bool = True) -> Iterator[Step]:
        """heard: no row elsewhere is soloed. grounded: something lies below the first row already."""
        for row in rows:
            if not row.on or not (heard or any(inner.solo for inner in walk((row,)))):
                continue
            weight = at(row.amount, self._frame)
            if weight != 0:
                yield self._step(row, weight, heard=heard or row.solo, grounds=not grounded)
            grounded = True

    def _step(self, row: Row, weight: float, *, heard: bool, grounds: bool) -> Step:
        trims = trims_at(row, self._frame, self._space)
        within = row.matte is not None and row.matte_on == "trims"
        has_matte = row.matte is not None and not (within and trims.is_neutral)
        common = {
            "id": row.id,
            "operator": OPERATORS[row.operator],
            "display": row.display,
            "weight": weight,
            "trims": trims,
            "matte": self._mattes[row.matte] if has_matte else None,
            "within": within and has_matte,
            "grounds": grounds,
        }
        if isinstance(row, GroupRow):
            inner = self.steps(row.rows, heard=heard, grounded=row.alpha is not None)
            return GroupStep(alpha=row.alpha, steps=tuple(inner), **common)
        kind = _STEPS[type(row)]
        own = {field.name for field in fields(kind)} - common.keys()
        return kind(**{name: settled(getattr(row, name), self._frame) for name in own}, **common)


def flat(steps: tuple[Step, ...]) -> Iterator[Step]:
    """Every step, a group before what is in it."""
    for step in steps:
        yield step
        if isinstance(step, GroupStep):
            yield from flat(step.steps)


def _sources(steps: tuple[Step, ...]) -> Iterator[str]:
    for step in steps:
        if step.matte is not None:
            yield from step.matte.sources
        if isinstance(step, GroupStep):
            yield from (step.alpha,) if step.alpha else ()
            yield from _sources(step.steps)
        elif not isinstance(step, BackgroundStep):
            yield step.source
