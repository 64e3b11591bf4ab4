"""Glow: light above a threshold spread over its surroundings."""

from __future__ import annotations

import functools
from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.fields import RGB, Shown
from prism.finish.base import FinishStep, Light, Number
from prism.finish.context import Context
from prism.finish.highlights import highlights
from prism.finish.planes import blurred, by_channel, in_bands
from prism.keyed import Within
from prism.pixels.blur import REACH
from prism.pixels.picture import Picture


class GlowStep(FinishStep):
    """The part of every pixel's light above the threshold, under the mean of `widths` Gaussians whose deviations are
    size / 2, size / 4 and so on.

    keep: that part is taken from where it was, so that no energy is added; else it is laid on top. Beyond the border of
    the picture there is no light, and what falls there is lost. NaN and infinity do not glow.
    """

    title: ClassVar[str] = "glow"
    meaning: ClassVar[str] = "light above a threshold, spread over its surroundings"

    kind: Literal["glow"] = "glow"
    threshold: Annotated[Light, Shown(title="threshold", step=0.02)] = 1.0
    size: Annotated[Number, Within(0, 4000), Shown(title="size", unit="px", step=0.5, digits=1)] = 60.0
    widths: Annotated[int, Within(1, 6), Shown(title="widths", step=0.05, digits=0)] = 3
    keep: Annotated[bool, Shown(title="keeps energy")] = True
    tint: Annotated[tuple[Light, Light, Light], Shown(title="tint", parts=RGB)] = (1.0, 1.0, 1.0)

    def reach(self, picture: Picture) -> float:
        """The reach of the widest, and two blocks that wide ones are made of."""
        return self.size / 2 * (REACH + 1) + 2 * picture.step

    def cost(self, step: int) -> float:
        """The cost of every width."""
        return 20 + 30 * self.widths

    def in_words(self) -> Iterable[str]:
        """From where on, how far, and what becomes of the energy."""
        return f"above {self.threshold:g}, {self.size:g} px", "energy kept" if self.keep else "light added"

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): alpha stays as it is: light is no matter."""
        above = highlights(picture, self.threshold)
        widths = range(self.widths)
        spread = [blurred(above, self.size / 2 / 2**width, picture, edge="constant") for width in widths]
        gains = by_channel(self.tint) / np.float32(self.widths)

        def glowing(
            rgba: NDArray[np.float32], above: NDArray[np.float32], *spread: NDArray[np.float32]
        ) -> NDArray[np.float32]:
            total = functools.reduce(np.add, spread) * gains
            return np.concatenate([rgba[:3] + (total - above if self.keep else total), rgba[3:]])

        return in_bands(glowing, 4, picture.rgba, above, *spread)
