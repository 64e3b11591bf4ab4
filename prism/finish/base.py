"""What all finishing steps have, and what each kind of them answers."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from types import MappingProxyType
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from prism.documents import Comment, Identity, Value
from prism.fields import Shown
from prism.finish.context import Context
from prism.keyed import FrameNumber as Number
from prism.keyed import Within, at, field_at
from prism.pixels.picture import Picture

Domain = Literal["light", "display"]
"""On what a step works: scene-linear light, before the view, or display values, after it."""
Share = Annotated[Number, Within(0, 1)]
Light = Annotated[Number, Within(0, 10_000)]
Coordinate = Annotated[Number, Within(-100_000, 100_000)]
WORKS_ON = Shown(
    title="works on",
    notes={
        "light": "On light, before the view: light above white counts, and EXR files have it.",
        "display": "On display values, after the view: as even as the eye sees it, and not in EXR files of light.",
    },
)
WHOLE = float("inf")  # the reach of a step that looks at all of the picture


class FinishStep(Value):
    """amount: how much of its effect is laid on the picture. matte: id of a matte that limits it. solo: the steps that
    are not soloed are off while any is.

    An `on` that is true or false says the same as `enabled`, as in rows of a ledger.
    """

    title: ClassVar[str]
    meaning: ClassVar[str]  # what it does, in a sentence
    domains: ClassVar[tuple[Domain, ...]] = ("light",)  # on which it can work, the usual one first
    handles: ClassVar[tuple[str, str] | None] = None  # fields of a place on the picture that can be dragged
    ellipse: ClassVar[tuple[str, str, str] | None] = None  # about it: fields of its width, height and softness
    focus_by: ClassVar[tuple[str, str] | None] = None  # a distance that can be picked, and the pass it is read from
    source_fields: ClassVar[tuple[str, ...]] = ()  # fields that name passes
    curve_fields: ClassVar[tuple[str, ...]] = ()  # fields that are curves to draw
    matte_fields: ClassVar[Mapping[str, str]] = MappingProxyType({"matte": "matte"})  # that name mattes, and titles
    says_amount: ClassVar[bool] = False  # whether `in_words` says the amount, in its own way

    id: Identity
    name: Annotated[str, Field(max_length=80)] = ""
    enabled: bool = True
    solo: bool = False
    amount: Annotated[Share, Shown(title="amount")] = 1.0
    matte: Identity | None = None
    comment: Comment = ""

    @model_validator(mode="before")
    @classmethod
    def _on_is_enabled(cls, data: Any) -> Any:
        if isinstance(data, dict) and isinstance(data.get("on"), bool):
            return {("enabled" if name == "on" else name): value for name, value in data.items()}
        return data

    # ---- What each kind answers, once its numbers are those of a frame ----
    def reach(self, picture: Picture) -> float:
        """How far away, in pixels of the full picture, anything lies that has a part in a pixel."""
        return 0

    def cost(self, step: int) -> float:
        """About how long the effect takes at most on two cores, in nanoseconds for each pixel of a picture whose sides
        are divided by `step`."""
        return 20

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """The values (4, H, W) of the picture with the whole of the step, a new array. Sizes and places are in pixels
        of the full picture from the upper left corner of its display window. What is not finite may come out as
        anything: the evaluator keeps it as it was. Raises BadArgument, UnknownSource."""
        raise NotImplementedError

    @property
    def is_neutral(self) -> bool:
        """Whether its numbers change nothing, so that no bit of the picture has to move."""
        return False

    def in_words(self) -> Iterable[str]:
        """Its numbers that matter, in a few words each."""
        return ()

    # ---- Asked of all alike ----
    @property
    def label(self) -> str:
        """What it is called: its own name, or what it is."""
        return self.name or self.title

    @property
    def domain(self) -> Domain:
        """On what it works."""
        return getattr(self, "works_on", self.domains[0])

    @property
    def sources(self) -> tuple[str, ...]:
        """The passes that it names."""
        return tuple(source for name in self.source_fields if (source := getattr(self, name)) is not None)

    @property
    def mattes(self) -> tuple[str, ...]:
        """The ids of mattes that it names."""
        return tuple(matte for name in self.matte_fields if (matte := getattr(self, name)) is not None)

    def at(self, frame: int) -> Self:
        """The step with plain numbers, those of a frame."""
        names = type(self).model_fields
        return self.model_copy(update={name: field_at(getattr(self, name), frame) for name in names})

    def is_active_at(self, frame: int) -> bool:
        """Whether it is on and has an amount."""
        return self.enabled and at(self.amount, frame) != 0

    def with_sources(self, others: Mapping[str, str]) -> Self:
        """With other passes in place of its own, by their names."""
        found = {name: others[key] for name in self.source_fields if (key := getattr(self, name)) in others}
        return self.replace(**found) if found else self

    def with_mattes(self, others: Mapping[str, str]) -> Self:
        """With other mattes in place of its own, by their ids."""
        found = {name: others[key] for name in self.matte_fields if (key := getattr(self, name)) in others}
        return self.replace(**found) if found else self
