"""Sharpen: what a blur would take away is laid on once more."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.fields import Shown
from prism.finish.base import Domain, FinishStep, Number
from prism.finish.context import Context
from prism.finish.planes import blurred, brightness, finite, in_bands
from prism.keyed import Within
from prism.pixels.blur import REACH
from prism.pixels.picture import Picture


class SharpenStep(FinishStep):
    """out = v + amount (v - blur of v), where the difference is taken less the threshold. radius: standard deviation
    of the Gaussian, which mirrors the picture at its border. on: luminance, so that no edge changes colour, or each
    channel of the colour."""

    title: ClassVar[str] = "sharpen"
    meaning: ClassVar[str] = "finer edges: the difference to a blur is laid on once more"
    domains: ClassVar[tuple[Domain, ...]] = ("display", "light")

    kind: Literal["sharpen"] = "sharpen"
    works_on: Annotated[Domain, Shown(title="works on")] = "display"
    amount: Annotated[Number, Within(0, 5), Shown(title="amount")] = 0.5
    radius: Annotated[Number, Within(0.3, 200), Shown(title="radius", unit="px", step=0.02)] = 0.8
    threshold: Annotated[Number, Within(0, 10), Shown(title="threshold", step=0.001, digits=3)] = 0.0
    on: Annotated[Literal["luminance", "colour"], Shown(title="sharpens")] = "luminance"

    def reach(self, picture: Picture) -> float:
        """Of the Gaussian."""
        return self.radius * (REACH + 1) + picture.step

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): at an amount of 1; the evaluator lays on more or less of it."""
        planes = rgb = finite(picture.rgba[:3])
        if self.on == "luminance":
            planes = in_bands(lambda part: brightness(part, picture.space), 1, rgb)
        blur = blurred(planes, self.radius, picture, edge="reflect")

        def sharper(
            rgba: NDArray[np.float32], planes: NDArray[np.float32], blur: NDArray[np.float32]
        ) -> NDArray[np.float32]:
            apart = planes - blur
            if self.threshold:
                apart = np.sign(apart) * np.maximum(np.abs(apart) - np.float32(self.threshold), 0)
            return np.concatenate([rgba[:3] + apart, rgba[3:]])

        return in_bands(sharper, 4, picture.rgba, planes, blur)
