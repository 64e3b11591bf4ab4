"""Grade: exposure, white balance, then slope, offset, power and saturation."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import luminance_weights
from prism.colour.temperature import COOLEST, WARMEST, warm_gains
from prism.fields import RGB, Shown
from prism.finish.base import WORKS_ON, Domain, FinishStep, Number
from prism.finish.context import Context
from prism.finish.planes import DISPLAY, REC709_LUMA, by_channel, on_straight
from prism.keyed import Within
from prism.pixels.picture import Picture

Slope = Annotated[Number, Within(0, 100)]
Offset = Annotated[Number, Within(-10, 10)]
Power = Annotated[Number, Within(0.05, 20)]
ONES, ZEROS = (1.0, 1.0, 1.0), (0.0, 0.0, 0.0)


class GradeStep(FinishStep):
    """v = in 2^exposure balance; v = v slope + offset; v = v^power above 0; then saturation about its luma. Nothing is
    clamped. The last four are those of ASC CDL v1.2 in its form without clamps, luma with the weights it names.

    warmth: mired warmer, green: stops more green; both keep the luminance of neutral light.
    """

    title: ClassVar[str] = "grade"
    meaning: ClassVar[str] = "exposure, white balance, slope, offset, power and saturation"
    domains: ClassVar[tuple[Domain, ...]] = ("light", "display")

    kind: Literal["grade"] = "grade"
    works_on: Annotated[Domain, WORKS_ON] = "light"
    exposure: Annotated[Number, Within(-20, 20), Shown(title="exposure", unit="st", step=0.02)] = 0.0
    warmth: Annotated[Number, Within(COOLEST, WARMEST), Shown(title="warmth", unit="mired", step=1, digits=0)] = 0.0
    green: Annotated[Number, Within(-2, 2), Shown(title="green", unit="st")] = 0.0
    slope: Annotated[tuple[Slope, Slope, Slope], Shown(title="slope", parts=RGB)] = ONES
    offset: Annotated[tuple[Offset, Offset, Offset], Shown(title="offset", step=0.002, digits=3, parts=RGB)] = ZEROS
    power: Annotated[tuple[Power, Power, Power], Shown(title="power", parts=RGB)] = ONES
    saturation: Annotated[Number, Within(0, 10), Shown(title="saturation")] = 1.0

    @property
    def is_neutral(self) -> bool:
        """Whether all of it is."""
        numbers = (self.exposure, self.warmth, self.green, self.slope, self.offset, self.power, self.saturation)
        return numbers == (0, 0, 0, ONES, ZEROS, ONES, 1)

    def in_words(self) -> Iterable[str]:
        """What it does to exposure, warmth and saturation."""
        if self.exposure:
            yield f"{self.exposure:+.2f} st"
        if self.warmth:
            yield "warmer" if self.warmth > 0 else "cooler"
        if self.saturation != 1:
            yield f"saturation {self.saturation:.2f}"

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): pixel by pixel."""
        gains = by_channel(self._balance(picture.space)) * by_channel(self.slope) * np.float32(2.0**self.exposure)
        return on_straight(picture, lambda rgb: self._graded(rgb, gains))

    def _graded(self, rgb: NDArray[np.float32], gains: NDArray[np.float32]) -> NDArray[np.float32]:
        v = rgb * gains
        for plane, offset, power in zip(v, self.offset, self.power, strict=True):
            if offset:
                plane += np.float32(offset)
            if power != 1:
                np.power(plane, np.float32(power), out=plane, where=plane > 0)
        if self.saturation != 1:
            luma = np.tensordot(REC709_LUMA, v, axes=1)
            v -= luma
            v *= np.float32(self.saturation)
            v += luma
        return v

    def _balance(self, space: str) -> NDArray[np.float32]:
        """(3,): factors of white balance."""
        working = "lin_rec709" if space == DISPLAY else space
        gains = np.array(warm_gains(self.warmth, working))
        if self.green:
            gains *= (1, 2.0**self.green, 1)
            gains /= luminance_weights(working) @ gains
        return gains.astype(np.float32)
