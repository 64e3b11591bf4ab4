"""Levels: black, white and gamma of display values, and where they end up."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.fields import Shown
from prism.finish.base import Domain, FinishStep, Number
from prism.finish.context import Context
from prism.keyed import Within
from prism.pixels.picture import Picture

Level = Annotated[Number, Within(-1, 2)]
NARROWEST = 1e-4  # between black and white, should keys bring them closer or past each other


class LevelsStep(FinishStep):
    """out = out_black + (out_white - out_black) t^(1 / gamma), t = (v - black) / (white - black) clamped to 0..1."""

    title: ClassVar[str] = "levels"
    meaning: ClassVar[str] = "black, white and gamma, and where they end up"
    domains: ClassVar[tuple[Domain, ...]] = ("display",)

    kind: Literal["levels"] = "levels"
    black: Annotated[Level, Shown(title="black", step=0.002, digits=3)] = 0.0
    white: Annotated[Level, Shown(title="white", step=0.002, digits=3)] = 1.0
    gamma: Annotated[Number, Within(0.05, 20), Shown(title="gamma")] = 1.0
    out_black: Annotated[Level, Shown(title="black becomes", step=0.002, digits=3)] = 0.0
    out_white: Annotated[Level, Shown(title="white becomes", step=0.002, digits=3)] = 1.0

    @property
    def is_neutral(self) -> bool:
        """Whether display values stay as they are."""
        return (self.black, self.white, self.gamma, self.out_black, self.out_white) == (0, 1, 1, 0, 1)

    def in_words(self) -> Iterable[str]:
        """From where to where."""
        return (f"{self.black:g} to {self.white:g}, gamma {self.gamma:g}",)

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): pixel by pixel."""
        span = np.float32(max(self.white - self.black, NARROWEST))
        t = ((picture.rgba[:3] - np.float32(self.black)) / span).clip(0, 1)
        if self.gamma != 1:
            t **= np.float32(1 / self.gamma)
        t *= np.float32(self.out_white - self.out_black)
        t += np.float32(self.out_black)
        return np.concatenate([t, picture.rgba[3:]])
