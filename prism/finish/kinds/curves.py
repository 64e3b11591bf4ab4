"""Curves: drawn through points, for all channels, each of them, and luminance."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.curves import Curve, bent
from prism.finish.base import WORKS_ON, Domain, FinishStep
from prism.finish.context import Context
from prism.finish.planes import brightness, on_straight
from prism.pixels.picture import Picture


class CurvesStep(FinishStep):
    """Monotone curves: `all` and then that of the channel; then luminance, which lifts or lowers all three channels by
    as much as it moves their luminance."""

    title: ClassVar[str] = "curves"
    meaning: ClassVar[str] = "curves for all channels, each of them, and luminance"
    domains: ClassVar[tuple[Domain, ...]] = ("display", "light")
    curve_fields: ClassVar[tuple[str, ...]] = ("all", "red", "green", "blue", "luminance")

    kind: Literal["curves"] = "curves"
    works_on: Annotated[Domain, WORKS_ON] = "display"
    all: Curve = Curve()
    red: Curve = Curve()
    green: Curve = Curve()
    blue: Curve = Curve()
    luminance: Curve = Curve()

    @property
    def is_neutral(self) -> bool:
        """Without points."""
        return not any(getattr(self, name).points for name in self.curve_fields)

    def cost(self, step: int) -> float:
        """The cost of up to seven curves."""
        return 80

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): pixel by pixel."""
        return on_straight(picture, lambda rgb: self._bent(rgb, picture.space))

    def _bent(self, rgb: NDArray[np.float32], space: str) -> NDArray[np.float32]:
        v = rgb.copy()
        for channel, own in enumerate((self.red, self.green, self.blue)):
            for curve in (self.all, own):
                if curve.points:
                    v[channel] = bent(v[channel], curve.points)
        if self.luminance.points:
            light = brightness(v, space)
            v += bent(light, self.luminance.points) - light
        return v
