"""Mattes made ready for one frame: numbers worked out, names of other mattes followed. Plans can be compared and
hashed: equal plans give equal planes of equal sources."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from prism.curves import Curve
from prism.documents import Value
from prism.keyed import Keyed
from prism.mattes.document import AlphaMatte, InvertedMatte, Matte
from prism.mattes.parts import AlphaPart, MattePart, Named, Part, Stroke, StrokesPart

_PLAIN = (Curve, Named, Stroke)  # values that hold no number which could be keyed


@dataclass(frozen=True, slots=True)
class PartPlan:
    """part: with plain numbers. other: the matte that it takes, if it takes one."""

    part: Part
    other: MattePlan | None = None


@dataclass(frozen=True, slots=True, eq=False)
class MattePlan:
    """Parts in order. space: working colour, whose weights make luminance.

    digest: equal for equal plans, worked out once: a matte may be made of others, twice of the same, and those
    likewise, so that comparing part by part would take twice as long with every step down. sources: all that it will
    ask for, each once.
    """

    parts: tuple[PartPlan, ...]
    space: str = "lin_rec709"
    digest: str = field(init=False)
    sources: tuple[str, ...] = field(init=False)

    def __post_init__(self) -> None:
        others = [each.other for each in self.parts if each.other is not None]
        said = [self.space, *(each.part.model_dump_json() for each in self.parts), *(other.digest for other in others)]
        own = (each.part.source for each in self.parts if hasattr(each.part, "source"))
        asked = (*own, *(source for other in others for source in other.sources))
        object.__setattr__(self, "digest", hashlib.sha256("\n".join(said).encode()).hexdigest())
        object.__setattr__(self, "sources", tuple(dict.fromkeys(asked)))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, MattePlan) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    @property
    def alpha_of(self) -> str | None:
        """The source whose alpha it is, as it is; None for any other."""
        part = self.parts[0].part if len(self.parts) == 1 else None
        return part.source if isinstance(part, AlphaPart) and part == AlphaPart(source=part.source) else None


def plans(mattes: tuple[Matte, ...], frame: int, space: str = "lin_rec709") -> Mapping[str, MattePlan]:
    """By id, at a frame number."""
    made: dict[str, MattePlan] = {}
    for matte in mattes:
        parts: tuple[Part, ...] = getattr(matte, "parts", ())
        if isinstance(matte, AlphaMatte):
            parts = (AlphaPart(source=matte.source),)
        elif isinstance(matte, InvertedMatte):
            parts = (MattePart(of=matte.of, inverted=True),)
        made[matte.id] = MattePlan(tuple(_planned(part, frame, made) for part in parts), space)
    return made


def settled(value: Any, frame: int) -> Any:
    """A field at a frame, keyed or not, with all that is in it."""
    if isinstance(value, Keyed):
        return value.at(frame)
    if isinstance(value, _PLAIN):  # there may be thousands
        return value
    if isinstance(value, tuple):
        return tuple(settled(part, frame) for part in value)
    if isinstance(value, Value):
        fields = {name: settled(getattr(value, name), frame) for name in type(value).model_fields}
        return value.model_copy(update=fields)
    return value


def _planned(part: Part, frame: int, made: Mapping[str, MattePlan]) -> PartPlan:
    plain = settled(part, frame)
    if isinstance(plain, StrokesPart):
        there = tuple(
            stroke
            for stroke in plain.strokes
            if (stroke.first is None or stroke.first <= frame) and (stroke.last is None or frame <= stroke.last)
        )
        plain = plain.model_copy(update={"strokes": there})
    return PartPlan(plain, made[part.of] if isinstance(part, MattePart) else None)
