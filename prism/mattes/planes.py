"""Planes of mattes: every part taken, shaped, and joined with those before it.

What follows passes is taken at full size and then made smaller, so that a preview shows the edges that are delivered;
what is drawn is drawn at the size that is asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.curves import bent
from prism.errors import BadArgument
from prism.limits import current
from prism.mattes import drawn, measured, ranks
from prism.mattes.morphing import blurred, grown
from prism.mattes.parts import (
    AlphaPart,
    BoxPart,
    ColourPart,
    DirectionPart,
    NamesPart,
    Part,
    RangePart,
    ShapePart,
    StrokesPart,
)
from prism.mattes.plan import MattePlan, PartPlan
from prism.pixels.resize import averaged
from prism.sources.pixels import Frame
from prism.sources.store import CachedArray


def matte_plane(plan: MattePlan, frame: Frame, step: int = 1) -> NDArray[np.float32]:
    """(H, W) float32, 0..1, read-only: a matte over the window of a whole frame, every side divided by `step`. It is
    kept with the frame's pixels for the next time. Raises UnknownSource, BadArgument."""
    return _Planes(frame, step).of(plan)


class _Planes:
    """The planes that one matte is made of, each made once, even where nothing is kept with the frame."""

    def __init__(self, frame: Frame, step: int) -> None:
        self._frame, self._step = frame, step
        self._made: dict[MattePlan, NDArray[np.float32]] = {}

    def of(self, plan: MattePlan) -> NDArray[np.float32]:
        if plan not in self._made:
            key = ("matte", plan, self._step)
            self._made[plan] = self._frame.cached(
                key, lambda: CachedArray(_made(plan, self._frame, self._step, self))
            ).array
        return self._made[plan]


def _made(plan: MattePlan, frame: Frame, step: int, others: _Planes) -> NDArray[np.float32]:
    made = np.zeros(frame.shape(step), np.float32)
    for each in plan.parts:
        current().require()
        amount = each.part.amount
        if amount != 0:
            made = _joined(each.part.how, made, _shaped(each, plan, frame, step, others) * np.float32(amount))
    made.setflags(write=False)
    return made


def _joined(how: str, made: NDArray[np.float32], part: NDArray[np.float32]) -> NDArray[np.float32]:
    """Coverage adds up, since the parts of a pixel that two objects cover are not the same; what is common is a
    product."""
    if how == "add":
        return np.minimum(made + part, 1)
    if how == "subtract":
        return np.maximum(made - part, 0)
    if how == "intersect":
        return made * part
    return made + part - 2 * made * part


def _shaped(each: PartPlan, plan: MattePlan, frame: Frame, step: int, others: _Planes) -> NDArray[np.float32]:
    part = each.part
    plane = others.of(each.other) if each.other is not None else _taken(part, plan, frame, step)
    if part.grow:
        plane = grown(plane, part.grow / step)
    plane = blurred(plane, part.blur / 2 / step)
    if part.curve.points:
        plane = bent(plane, part.curve.points).clip(0, 1)
    return 1 - plane if part.inverted else plane


def _taken(part: Part, plan: MattePlan, frame: Frame, step: int) -> NDArray[np.float32]:
    if type(part) in DRAWN:
        window, display = frame.window, frame.display_window
        origin = window.x0 - display.x0, window.y0 - display.y0
        return DRAWN[type(part)](part, frame.shape(step), origin, step)
    follow = FOLLOWING[type(part)]
    whole = frame.cached(("part", _bare(part), plan.space), lambda: CachedArray(follow(part, frame, plan.space))).array
    return averaged(whole, step)


def _bare(part: Part) -> Part:
    """What it takes, whatever is done with that afterwards."""
    plain = type(part).model_fields
    common = ("how", "grow", "blur", "curve", "inverted", "amount")
    return part.model_copy(update={name: plain[name].default for name in common})


def _alpha(part: AlphaPart, frame: Frame, space: str) -> NDArray[np.float32]:
    return np.nan_to_num(alpha_of(part.source, frame).astype(np.float32)).clip(0, 1)


def _names(part: NamesPart, frame: Frame, space: str) -> NDArray[np.float32]:
    return np.minimum(ranks.coverage(frame, part), 1)


def alpha_of(source: str, frame: Frame, step: int = 1) -> NDArray:
    """The alpha of a source as it is, (H, W) 0..1, half or float; of a pass of one channel, that. Raises UnknownSource,
    BadArgument without."""
    pixels = frame.pixels(source, step=step)
    alpha = pixels.planes[0] if pixels.alpha is None and len(frame.source(source).colour) == 1 else pixels.alpha
    if alpha is None:
        raise BadArgument(
            f"{frame.source(source).title} has no alpha.",
            where="matte",
            advice="Take the matte from a pass that has one.",
        )
    return alpha


FOLLOWING: Mapping[type, Callable[[Any, Frame, str], NDArray[np.float32]]] = {
    AlphaPart: _alpha,
    NamesPart: _names,
    ColourPart: measured.of_colour,
    RangePart: measured.of_range,
    DirectionPart: measured.of_direction,
    BoxPart: measured.of_box,
}
"""What follows a pass: of a part, a frame and the working colour, the plane (H, W) float32, 0..1, at full size."""

DRAWN: Mapping[type, Callable[[Any, tuple[int, int], tuple[float, float], int], NDArray[np.float32]]] = {
    StrokesPart: drawn.strokes,
    ShapePart: drawn.shape,
}
"""What is drawn: of a part, the size to draw at, where that begins on the full picture, and the step, the plane (h, w)
float32, 0..1."""
