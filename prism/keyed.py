"""Numbers of a ledger: plain, or keyed at frames and worked out between them."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated, Any, Literal, Self

from pydantic import Discriminator, Field, GetCoreSchemaHandler, Tag, model_validator
from pydantic_core import CoreSchema, PydanticKnownError, core_schema

from prism.documents import Value

Ease = Literal["linear", "smooth", "hold"]


class Key(Value):
    """A value at a frame. ease: the way from here to the next key."""

    frame: Annotated[int, Field(ge=-1_000_000, le=100_000_000)]
    value: float
    ease: Ease = "linear"


class Keyed(Value):
    """A number that changes over time: the value of the first key before it, of the last one after it.

    Between two keys it goes straight (linear), along 3 t^2 - 2 t^3 (smooth), or stays and then jumps (hold).
    """

    keys: Annotated[tuple[Key, ...], Field(min_length=1, max_length=10_000)]

    @model_validator(mode="after")
    def _frames_rise(self) -> Self:
        for before, after in pairwise(self.keys):
            if before.frame >= after.frame:
                raise ValueError(f"Keys go from early to late; {after.frame} follows {before.frame}")
        return self

    def at(self, frame: int) -> float:
        """The number at a frame."""
        place = bisect_right([key.frame for key in self.keys], frame)
        if place in (0, len(self.keys)):
            return self.keys[min(place, len(self.keys) - 1)].value
        before, after = self.keys[place - 1], self.keys[place]
        if before.ease == "hold":
            return before.value
        part = (frame - before.frame) / (after.frame - before.frame)
        if before.ease == "smooth":
            part = part * part * (3 - 2 * part)
        return before.value * (1 - part) + after.value * part


def _tag(given: Any) -> str:
    return "(keyed)" if isinstance(given, (dict, Keyed)) else "(number)"


Number = Annotated[Annotated[float, Tag("(number)")] | Annotated[Keyed, Tag("(keyed)")], Discriminator(_tag)]
if TYPE_CHECKING:
    FrameNumber = float  # of a document that is taken at a frame before anything computes with it
else:
    FrameNumber = Number


def at(number: Number, frame: int) -> float:
    """A number at a frame, keyed or not."""
    return number.at(frame) if isinstance(number, Keyed) else number


def field_at(value: Any, frame: int) -> Any:
    """The value of a field at a frame: a number, several, or anything else as it is."""
    if isinstance(value, tuple):
        return tuple(field_at(part, frame) for part in value)
    return value.at(frame) if isinstance(value, Keyed) else value


@dataclass(frozen=True, slots=True)
class Within:
    """Least and greatest value of a field that holds a number, or keys for it."""

    low: float
    high: float

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        return core_schema.no_info_after_validator_function(self._checked, handler(source))

    def _checked(self, number: Number) -> Number:
        for key in number.keys if isinstance(number, Keyed) else ():
            if not self.low <= key.value <= self.high:
                raise ValueError(f"The key at {key.frame} is {key.value:g}; use {self.low:g} to {self.high:g}")
        if isinstance(number, Keyed):
            return number
        if number < self.low:
            raise PydanticKnownError("greater_than_equal", {"ge": self.low})
        if number > self.high:
            raise PydanticKnownError("less_than_equal", {"le": self.high})
        return number
