"""Trims: what is done to the colour of a row before it joins, as it stands in a document and at one frame.

In this order: gains (2^exposure gain tint warmth), offset, saturation and hue, contrast, gamma, curves, clamp. Gains,
saturation and hue are linear and work on premultiplied colour as it is. The others are meant for whole colour: it is
divided by alpha for them and multiplied again, and where alpha is 0 they do nothing. A trim that is neutral is left
out, so it costs and changes nothing.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from prism.colour.grading import turning
from prism.colour.temperature import COOLEST, WARMEST, warm_gains
from prism.curves import Curve, CurvePoint
from prism.documents import Value
from prism.fields import DEGREES, RGB, Shown
from prism.keyed import Number, Within, at

Triple = tuple[float, float, float]
Points = tuple[CurvePoint, ...]
LINEAR: tuple[Points, ...] = ((), (), (), ())
Tint = Annotated[Number, Within(0, 100)]
Offset = Annotated[Number, Within(-100, 100)]


class Curves(Value):
    """One curve for all channels, and then one for each."""

    all: Curve = Curve()
    red: Curve = Curve()
    green: Curve = Curve()
    blue: Curve = Curve()


class Trims(Value):
    """The trims of a row, each a number or keys for it: exposure in stops, warmth in mired, hue in degrees from red
    towards green."""

    exposure: Annotated[Number, Within(-24, 24), Shown(title="exposure", unit="st", step=0.05)] = 0.0
    gain: Annotated[Number, Within(0, 10_000), Shown(title="gain")] = 1.0
    warmth: Annotated[Number, Within(COOLEST, WARMEST), Shown(title="warmth", unit="mired", step=2, digits=0)] = 0.0
    tint: Annotated[tuple[Tint, Tint, Tint], Shown(title="tint", parts=RGB)] = (1.0, 1.0, 1.0)
    offset: Annotated[tuple[Offset, Offset, Offset], Shown(title="offset", step=0.002, digits=3, parts=RGB)] = (
        0.0,
        0.0,
        0.0,
    )
    saturation: Annotated[Number, Within(0, 10), Shown(title="saturation")] = 1.0
    hue: Annotated[Number, Within(-360, 360), Shown(title="hue", **DEGREES)] = 0.0
    contrast: Annotated[Number, Within(0, 10), Shown(title="contrast")] = 1.0
    pivot: Annotated[Number, Within(0.001, 100), Shown(title="pivot", step=0.005, digits=3)] = 0.18
    gamma: Annotated[Number, Within(0.05, 20), Shown(title="gamma")] = 1.0
    curves: Curves = Curves()
    clamp: Annotated[bool, Shown(title="clamp to 0..1")] = False


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameTrims:
    """Trims at one frame: plain numbers. curves: points for all channels, then for R, G, B."""

    gains: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    saturation: float = 1.0
    hue: float = 0.0
    contrast: float = 1.0
    pivot: float = 0.18
    gamma: float = 1.0
    curves: tuple[Points, ...] = LINEAR
    clamp: bool = False
    space: str = "lin_rec709"

    @property
    def is_gains(self) -> bool:
        """Whether there is nothing but gains."""
        return not self.turns and self.is_linear

    @property
    def is_neutral(self) -> bool:
        """Whether it changes nothing."""
        return self.is_gains and self.gains == (1.0, 1.0, 1.0)

    @property
    def turns(self) -> bool:
        """Whether saturation or hue differ from neutral."""
        return self.saturation != 1 or self.hue % 360 != 0

    @property
    def is_linear(self) -> bool:
        """Whether it works on premultiplied colour as it is."""
        still = (self.offset, self.contrast, self.gamma, self.curves) == ((0.0, 0.0, 0.0), 1.0, 1.0, LINEAR)
        return still and not self.clamp

    def turning(self) -> NDArray[np.float32]:
        """The (3, 3) matrix of saturation and hue."""
        return turning(self.saturation, self.hue, self.space)


def trims_at(row: Trims, frame: int, space: str) -> FrameTrims:
    """The trims of a row at a frame. space: the working space of its source."""
    factor = at(row.gain, frame) * 2.0 ** at(row.exposure, frame)
    warm = warm_gains(at(row.warmth, frame), space)
    bends, (red, green, blue) = row.curves, row.offset
    return FrameTrims(
        gains=tuple(at(tint, frame) * factor * light for tint, light in zip(row.tint, warm, strict=True)),
        offset=(at(red, frame), at(green, frame), at(blue, frame)),
        saturation=at(row.saturation, frame),
        hue=at(row.hue, frame),
        contrast=at(row.contrast, frame),
        pivot=at(row.pivot, frame),
        gamma=at(row.gamma, frame),
        curves=tuple(curve.points for curve in (bends.all, bends.red, bends.green, bends.blue)),
        clamp=row.clamp,
        space=space,
    )
