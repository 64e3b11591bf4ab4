"""Trims at one frame: plain numbers.

In this order: gains (2^exposure gain tint warmth), offset, saturation and hue, contrast, gamma, curves, clamp. Gains, saturation and
hue are linear and work on premultiplied colour as it is. The others are meant for whole colour: it is divided by alpha for them and
multiplied again, and where alpha is 0 they do nothing. A trim that is neutral is left out, so it costs and changes nothing.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import luminance_weights
from prism.colour.temperature import warm_gains
from prism.curves import CurvePoint
from prism.keyed import at
from prism.ledger import rows

Triple = tuple[float, float, float]
Points = tuple[CurvePoint, ...]
LINEAR: tuple[Points, ...] = ((), (), (), ())


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameTrims:
    """What is done to a source. curves: points for all channels, then for R, G, B."""

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


def trims_at(row: rows.Trims, frame: int, space: str) -> FrameTrims:
    """The trims of a row at a frame. space: the working space of its source."""
    factor = at(row.gain, frame) * 2.0 ** at(row.exposure, frame)
    warm = warm_gains(at(row.warmth, frame), space)
    bends = row.curves
    return FrameTrims(
        gains=tuple(at(tint, frame) * factor * light for tint, light in zip(row.tint, warm, strict=True)),
        offset=tuple(at(offset, frame) for offset in row.offset),
        saturation=at(row.saturation, frame),
        hue=at(row.hue, frame),
        contrast=at(row.contrast, frame),
        pivot=at(row.pivot, frame),
        gamma=at(row.gamma, frame),
        curves=tuple(curve.points for curve in (bends.all, bends.red, bends.green, bends.blue)),
        clamp=row.clamp,
        space=space,
    )


def turning(saturation: float, hue: float, space: str) -> NDArray[np.float32]:
    """(3, 3): turn colour about the grey axis by `hue` degrees, red towards green, then scale its distance from its luminance.

    Luminance stays: v = y + c with y its luminance; c is seen along the grey axis, turned by Rodrigues' formula, and put back on
    the plane of luminance 0.
    """
    weights = luminance_weights(space)
    grey = np.outer(np.ones(3), weights)
    across = np.eye(3) - np.ones((3, 3)) / 3
    about = np.array([[0, -1, 1], [1, 0, -1], [-1, 1, 0]]) / np.sqrt(3)
    angle = np.radians(hue)
    turned = np.cos(angle) * across + np.sin(angle) * about
    return (grey + saturation * (np.eye(3) - grey) @ turned).astype(np.float32)
