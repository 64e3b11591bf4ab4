"""Numbers of a ledger: plain, or keyed at frames and worked out between them."""

from __future__ import annotations

from bisect import bisect_right
from itertools import pairwise
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Discriminator, Field, Tag, model_validator

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


Number = float | Keyed


def at(number: Number, frame: int) -> float:
    """A number at a frame, keyed or not."""
    return number.at(frame) if isinstance(number, Keyed) else number


def number(low: float, high: float) -> Any:
    """The type of a field that holds a number, or keys for it, within low..high."""
    keyed = Annotated[Keyed, AfterValidator(_keys_within(low, high)), Tag("(keyed)")]
    return Annotated[
        Annotated[float, Field(ge=low, le=high), Tag("(number)")] | keyed,
        Discriminator(lambda given: "(keyed)" if isinstance(given, (dict, Keyed)) else "(number)"),
    ]


def _keys_within(low: float, high: float):
    def check(keyed: Keyed) -> Keyed:
        for key in keyed.keys:
            if not low <= key.value <= high:
                raise ValueError(f"The key at {key.frame} is {key.value:g}; use {low:g} to {high:g}")
        return keyed

    return check
