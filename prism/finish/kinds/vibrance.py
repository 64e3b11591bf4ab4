"""Vibrance: more saturation where there is little of it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.fields import Shown
from prism.finish.base import Domain, FinishStep, Number, Share
from prism.finish.context import Context
from prism.finish.planes import brightness, finite
from prism.keyed import Within
from prism.pixels.picture import Picture

SKIN_HUE, SKIN_WIDTH = 25.0, 30.0  # degrees; common practice, no source


class VibranceStep(FinishStep):
    """y + (v - y) (1 + vibrance (1 - s) (1 - skin k)): y the luma, s = (max - min) / max the saturation that there is,
    k how near the hue is to that of skin: 1 at 25 degrees, 0 from 30 degrees off."""

    title: ClassVar[str] = "vibrance"
    meaning: ClassVar[str] = "more colour where there is little, sparing what is saturated already, and skin"
    domains: ClassVar[tuple[Domain, ...]] = ("display",)

    kind: Literal["vibrance"] = "vibrance"
    vibrance: Annotated[Number, Within(-1, 4), Shown(title="vibrance")] = 0.4
    skin: Annotated[Share, Shown(title="spares skin")] = 0.6

    @property
    def is_neutral(self) -> bool:
        """At 0."""
        return self.vibrance == 0

    def in_words(self) -> Iterable[str]:
        """How much."""
        return (f"{self.vibrance:+.2f}",)

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): pixel by pixel."""
        rgb = finite(picture.rgba)[:3]
        luma = brightness(rgb, picture.space)
        most, least = rgb.max(axis=0), rgb.min(axis=0)
        span = most - least
        saturation = np.divide(span, most, out=np.zeros_like(most), where=most > 0).clip(0, 1)
        gain = 1 + np.float32(self.vibrance) * (1 - saturation) * (1 - np.float32(self.skin) * _skin(rgb, most, span))
        return np.concatenate([luma + (rgb - luma) * gain, picture.rgba[3:]])


def _skin(rgb: NDArray[np.float32], most: NDArray[np.float32], span: NDArray[np.float32]) -> NDArray[np.float32]:
    """(H, W), 0..1. The hue of red to yellow and of red to magenta is all that can be near: 60 (g - b) / span degrees
    where red is most."""
    hue = np.divide(60 * (rgb[1] - rgb[2]), span, out=np.full_like(span, 360), where=(span > 0) & (rgb[0] == most))
    return (1 - np.abs(hue - np.float32(SKIN_HUE)) / np.float32(SKIN_WIDTH)).clip(0, 1)
