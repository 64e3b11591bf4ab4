"""Film: a shoulder, a toe and colours that run into each other, as of a print."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from types import MappingProxyType
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.curves import bent
from prism.fields import Shown
from prism.finish.base import Domain, FinishStep
from prism.finish.context import Context
from prism.pixels.picture import Picture

Look = Literal["gentle", "dense", "evening", "pale"]
_CURVES: Mapping[Look, tuple[tuple[tuple[float, float], ...], ...]] = MappingProxyType(
    {
        "gentle": (((0.0, 0.012), (0.2, 0.185), (0.5, 0.515), (0.8, 0.83), (1.0, 0.975)),) * 3,
        "dense": (((0.0, 0.0), (0.2, 0.13), (0.5, 0.49), (0.8, 0.84), (1.0, 0.985)),) * 3,
        "evening": (
            ((0.0, 0.015), (0.2, 0.175), (0.5, 0.53), (0.8, 0.85), (1.0, 0.99)),
            ((0.0, 0.018), (0.2, 0.18), (0.5, 0.505), (0.8, 0.82), (1.0, 0.965)),
            ((0.0, 0.04), (0.2, 0.205), (0.5, 0.49), (0.8, 0.77), (1.0, 0.92)),
        ),
        "pale": (((0.0, 0.05), (0.2, 0.25), (0.5, 0.55), (0.8, 0.8), (1.0, 0.95)),) * 3,
    }
)
_CROSSTALK: Mapping[Look, float] = MappingProxyType({"gentle": 0.05, "dense": 0.03, "evening": 0.06, "pale": 0.16})
"""Of each channel, the share that is that of the two others, half of each."""


class FilmStep(FinishStep):
    """Every channel takes a share of the two others and goes through a monotone curve of its own. The curves are ours
    and follow no stock."""

    title: ClassVar[str] = "film"
    meaning: ClassVar[str] = "a soft shoulder and toe, and colours that run a little into each other"
    domains: ClassVar[tuple[Domain, ...]] = ("display",)

    kind: Literal["film"] = "film"
    look: Annotated[Look, Shown(title="response")] = "gentle"

    def cost(self, step: int) -> float:
        """The cost of three curves."""
        return 60

    def in_words(self) -> Iterable[str]:
        """Which response."""
        return (self.look,)

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): pixel by pixel."""
        rgb = picture.rgba[:3]
        share = np.float32(_CROSSTALK[self.look])
        mixed = rgb * (1 - 1.5 * share) + rgb.sum(axis=0) * (share / 2)
        curves = _CURVES[self.look]
        shaped = [bent(plane, points) for plane, points in zip(mixed, curves, strict=True)]
        return np.concatenate([np.stack(shaped), picture.rgba[3:]])
