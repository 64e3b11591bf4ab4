"""The document of a board. docs/board-format.md describes it."""

from __future__ import annotations

from collections import Counter
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from prism.documents import Document
from prism.fields import Shown
from prism.finish.steps import Steps
from prism.keyed import Within
from prism.pixels.letters import remarks_on
from prism.sheets.boards.elements import AnyElement, Caption, Hex, Length, PictureElement, PictureSource

MM_PER_INCH = 25.4
UNITS = {"mm": "millimetres", "inch": "inches", "px": "pixels"}


class Board(Document):
    """width, height: of the sheet inside its border, in `unit`. border: around it, which makes the sheet larger and
    covers nothing. elements: from the lowest to the one on top. finish: steps on the whole, of those that work on
    display values; numbers in pixels are those of the board."""

    format: Literal["eager-prism.board"] = "eager-prism.board"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=80)] = "board"
    unit: Annotated[Literal["mm", "inch", "px"], Shown(title="unit", words=UNITS)] = "mm"
    width: Annotated[float, Within(0.01, 100_000), Shown(title="width", step=0.5)] = 420.0
    height: Annotated[float, Within(0.01, 100_000), Shown(title="height", step=0.5)] = 297.0
    dpi: Annotated[float, Within(1, 2400), Shown(title="dots to an inch", step=1, digits=0)] = 150.0
    background: Annotated[Hex, Shown(title="background", takes="colour")] = "#1c1c1c"
    border: Annotated[Length, Shown(title="border", step=0.1)] = 0.0
    border_colour: Annotated[Hex, Shown(title="border colour", takes="colour")] = "#f4f4f4"
    elements: Annotated[tuple[AnyElement, ...], Field(max_length=1000)] = ()
    finish: Steps = ()

    @model_validator(mode="after")
    def _is_sound(self) -> Self:
        twice = [name for name, count in Counter(each.id for each in self.elements).items() if count > 1]
        if twice:
            raise ValueError(f"Two elements have the id {twice[0]}")
        strange = next((step for step in self.finish if step.domain != "display" or step.mattes or step.sources), None)
        if strange is not None:
            raise ValueError(f"The step {strange.id} does not work on display values alone")
        return self

    @property
    def scale(self) -> float:
        """Pixels to a unit."""
        return {"mm": self.dpi / MM_PER_INCH, "inch": self.dpi, "px": 1.0}[self.unit]

    def pixels(self, length: float) -> float:
        """A length of the board in pixels."""
        return length * self.scale

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the sheet with its border, in whole pixels."""
        edge = 2 * round(self.pixels(self.border))
        return round(self.pixels(self.width)) + edge, round(self.pixels(self.height)) + edge

    def size_at(self, shrink: float) -> tuple[int, int]:
        """The same of a smaller one, all of its lengths times `shrink`."""
        edge = 2 * round(self.pixels(self.border) * shrink)
        across, down = (max(1, round(self.pixels(side) * shrink)) for side in (self.width, self.height))
        return across + edge, down + edge

    @property
    def remarks(self) -> tuple[str, ...]:
        """Letters of its texts that cannot be drawn."""
        shown = (each for each in self.elements if isinstance(each, Caption) and not each.hidden)
        return remarks_on((each.face, each.text) for each in shown)

    @property
    def pictures(self) -> tuple[PictureSource, ...]:
        """What its pictures are of, each once."""
        return tuple(
            dict.fromkeys(e.source for e in self.elements if isinstance(e, PictureElement) and e.source is not None)
        )
