"""What a row is at one frame: a content, which joins the running result with a weight.

A kind of row says what it lays down in these words and no others, so that whatever reads them (the engine, the bound of
rounding, the list of sources) needs to know no kind. All of them can be compared and hashed: equal steps give equal
pictures.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from prism.ledger.operators import Operator
from prism.ledger.trims import FrameTrims, Triple
from prism.mattes.plan import MattePlan


@dataclass(frozen=True, slots=True, kw_only=True)
class Stored:
    """A pass as it was read. uses_alpha: whether its alpha counts."""

    source: str
    uses_alpha: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed(Stored):
    """A pass with a place of its own. x, y: full pixels that it is pushed right and down. scale: about the middle of
    the picture. crop: shares cut off at the left, top, right and bottom."""

    x: float
    y: float
    scale: float
    crop: tuple[float, float, float, float]

    @property
    def is_in_place(self) -> bool:
        """Whether it lies as it was read."""
        return (self.x, self.y, self.scale, self.crop) == (0, 0, 1, (0, 0, 0, 0))


@dataclass(frozen=True, slots=True, kw_only=True)
class Flat:
    """One opaque colour. where_covered: only as far as the running result covers."""

    colour: Triple
    where_covered: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Gradient:
    """One opaque colour that goes over into a second between two shares of a way across the picture.

    way: along an angle in degrees (0 from left to right, 90 from top to bottom), or outwards from the middle.
    """

    colour: Triple
    second: Triple
    way: Literal["along", "outwards"]
    angle: float
    begins: float
    ends: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Behind:
    """A picture with frames and a size of its own, fitted into the frame; the words are those of a background row."""

    source: str
    uses_alpha: bool
    fit: str
    x: float
    y: float
    scale: float
    delay: int
    beyond: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Deep:
    """A deep pass, every sample at its depth x times + add. hides: it covers what is behind it and shows nothing.

    near, far: of the samples that count, after that; range_on: whether the others are left out, or are left untrimmed.
    """

    source: str
    add: float
    times: float
    near: float
    far: float
    range_on: Literal["off", "weight", "trims"]
    hides: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Card(Behind):
    """A flat picture at a depth. depth_from: its own pass that says how deep each pixel is, to which `depth` is added;
    None for the same everywhere. hides: as of a deep pass."""

    depth: float
    depth_from: str | None
    hides: bool

    @property
    def of_depth(self) -> Behind | None:
        """Its depth as a picture with the same place."""
        return None if self.depth_from is None else self._placed(self.depth_from, uses_alpha=False)

    @property
    def flat(self) -> Behind:
        """The picture in its place, at no depth."""
        return self._placed(self.source, uses_alpha=self.uses_alpha)

    def _placed(self, source: str, *, uses_alpha: bool) -> Behind:
        return Behind(
            source=source, uses_alpha=uses_alpha, fit=self.fit, x=self.x, y=self.y, scale=self.scale,
            delay=self.delay, beyond=self.beyond,
        )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Air:
    """Fog between the camera and what is seen: amount of colour at depths from near on, more up to far, as `Haze`."""

    amount: float
    colour: Triple
    near: float
    far: float
    falloff: float
    as_air: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Depths:
    """Deep passes and cards in the order of their depths, whatever their order here. air: None for clear air."""

    steps: tuple[Step, ...]
    air: Air | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Sum:
    """Steps on a picture of their own. alpha: source of the alpha that it begins with; None if its first step lays the
    ground."""

    alpha: str | None
    steps: tuple[Step, ...]


Content = Stored | Flat | Gradient | Behind | Deep | Depths | Sum


@dataclass(frozen=True, slots=True, kw_only=True)
class Wipe:
    """A factor of the weight: 1 up to a share of the way across the picture, 0 beyond an edge `soft` wide."""

    angle: float
    share: float
    soft: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Haze:
    """A factor of the weight: how much air lies before what a channel (0 to 2) of a source measures, 0 at near and 1 at
    far.

    air: it thins the light as air does, instead of going straight.
    """

    source: str
    channel: int
    near: float
    far: float
    falloff: float
    air: bool


Factor = Wipe | Haze


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """A row at one frame. weight: its amount, not 0. within: the matte limits its trims, not its weight. grounds: it is
    the first of its group, which it fills. factors: what its weight is multiplied with, from pixel to pixel."""

    id: str
    operator: Operator
    display: bool
    weight: float
    trims: FrameTrims
    matte: MattePlan | None
    within: bool
    grounds: bool
    content: Content
    factors: tuple[Factor, ...] = ()

    @property
    def inner(self) -> tuple[Step, ...]:
        """The steps that it sums."""
        return self.content.steps if isinstance(self.content, Sum | Depths) else ()

    @property
    def sources(self) -> Iterator[str]:
        """All of this frame that it asks for, those of inner steps as well; not the picture of a background."""
        if self.matte is not None:
            yield from self.matte.sources
        if isinstance(self.content, Stored | Deep):
            yield self.content.source
        if isinstance(self.content, Sum) and self.content.alpha:
            yield self.content.alpha
        for step in self.inner:
            yield from step.sources
        yield from (factor.source for factor in self.factors if isinstance(factor, Haze))


def flat(steps: tuple[Step, ...]) -> Iterator[Step]:
    """Every step, one that sums others before what is in it."""
    for step in steps:
        yield step
        yield from flat(step.inner)
