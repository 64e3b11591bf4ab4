"""Steps of a program written down as instructions on the planes they need.

Most rows are plain (a pass, gains, one weight): they are read and joined in one go. All others are read into slots of
their own, trimmed, and joined with a slot of weights.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.combine import machine as m
from prism.combine import trimming
from prism.combine.behind import laid_behind
from prism.combine.in_depth import group_of, laid_in_depth
from prism.combine.machine import Code, Machine
from prism.combine.placing import across, outwards, placed, ramp
from prism.errors import BadArgument, UnknownSource
from prism.ledger import operators as op
from prism.ledger.steps import Behind, Card, Deep, Depths, Flat, Gradient, Haze, Placed, Step, Stored, Sum, Wipe
from prism.mattes.plan import MattePlan
from prism.mattes.planes import alpha_of, matte_plane
from prism.sources.pixels import Frame, Pixels


def bind(steps: tuple[Step, ...], frame: Frame, step: int) -> Machine:
    """Steps on their planes, every side divided by `step`. Raises UnknownSource naming the row, BadArgument,
    SizeMismatch."""
    writer = _Writer(frame, step)
    for each in steps:
        writer.join(each, m.RUNNING)
    machine = writer.code.done()
    height, width = frame.shape(step)
    machine.require_size(height * width)
    return machine


class _Writer:
    def __init__(self, frame: Frame, size: int) -> None:
        self.code = Code()
        self._frame = frame
        self._size = size

    def join(self, step: Step, b: int) -> bool:
        """Join a step to the four slots from b on. Returns whether it covers anything, as a part of a group."""
        if isinstance(step.content, Stored):
            has_alpha = self._stored(step, step.content, b)
        else:
            fill: Any = _FILLED[type(step.content)]
            with self.code.slots(6) as s:
                has_alpha = fill(self, step, step.content, b, s)
                self._trim_and_join(step, b, s, has_alpha=has_alpha)
        if step.grounds or step.operator.key == "add" or step.operator.family != "cover":
            return has_alpha
        return True

    def _stored(self, step: Step, stored: Stored, b: int) -> bool:
        """A pass, read and joined in one go where it is plain."""
        pixels = self._pixels(step.id, stored.source)
        alpha = pixels.alpha if stored.uses_alpha else None
        if isinstance(stored, Placed) and not stored.is_in_place:
            pixels, alpha = self._placed(stored, has_alpha=alpha is not None)
        if _is_plain(step, alpha is not None):
            self._plain(step, pixels, alpha, b)
            return alpha is not None
        with self.code.slots(6) as s:
            for index, (plane, gain) in enumerate(zip(pixels.planes, _gains(step), strict=True)):
                self.code.add(m.LOAD, s + index, self.code.source(plane), numbers=[gain])
            if alpha is not None:
                self.code.add(m.LOAD, s + 3, self.code.source(alpha), numbers=[1])
            self._trim_and_join(step, b, s, has_alpha=alpha is not None)
        return alpha is not None

    def _plain(self, step: Step, pixels: Pixels, alpha: NDArray | None, b: int) -> None:
        """Add, over or a factor, with gains and one weight."""
        key, amount = step.operator.key, np.float32(step.weight)
        kind = {"add": m.ADD, "over": m.OVER, "multiply": m.FACTOR}[key]
        cover = 0 if alpha is None else self.code.source(alpha)
        for index, (plane, gain) in enumerate(zip(pixels.planes, step.trims.gains, strict=True)):
            whole = np.float32(gain) * (np.float32(1) if key == "multiply" else amount)
            self.code.add(kind, b + index, self.code.source(plane), cover, numbers=[float(whole), float(amount)])
        if alpha is not None:
            self.code.add(kind, b + 3, cover, cover, numbers=[float(amount), float(amount)])

    def _placed(self, stored: Placed, *, has_alpha: bool) -> tuple[Pixels, NDArray | None]:
        """A pass where it was pushed, scaled or cropped."""
        whole = self._frame.whole.pixels(stored.source, step=self._size)

        def place(plane: NDArray) -> NDArray:
            laid = placed(
                plane, self._frame.whole, self._size, x=stored.x, y=stored.y, scale=stored.scale, crop=stored.crop
            )
            return self._frame.cut(laid)

        alpha = whole.alpha if has_alpha else None
        return Pixels(tuple(map(place, whole.planes)), None), None if alpha is None else place(alpha)

    # ---- Contents that fill slots s to s + 3 with colour, gains and all, and say whether the fourth is an alpha ----
    def _flat(self, step: Step, flat: Flat, b: int, s: int) -> bool:
        for index, (value, gain) in enumerate(zip((*flat.colour, 1), (*_gains(step), 1), strict=True)):
            self.code.add(m.FILL, s + index, numbers=[value * gain])
            if flat.where_covered:
                self.code.add(m.TIMES, s + index, b + 3)
        return True

    def _gradient(self, step: Step, gradient: Gradient, b: int, s: int) -> bool:
        whole, along = self._frame.whole, gradient.way == "along"
        way = across(whole, self._size, gradient.angle) if along else outwards(whole, self._size)
        self._ramp(way, gradient.begins, gradient.ends, s + 5)
        for index, gain in enumerate(_gains(step)):
            ends = [gradient.colour[index] * gain, gradient.second[index] * gain]
            self.code.add(m.BETWEEN, s + index, s + 5, numbers=ends)
        self.code.add(m.FILL, s + 3, numbers=[1])
        return True

    def _behind(self, step: Step, behind: Behind, b: int, s: int) -> bool:
        try:
            laid = laid_behind(behind, self._frame.whole, self._size)
        except UnknownSource as error:
            raise UnknownSource(error.what, where=f"row {step.id}", advice=error.advice) from None
        if laid is None:
            for index in range(4):
                self.code.add(m.FILL, s + index, numbers=[0])
        else:
            self._load_laid(step, laid, s)
        return True

    def _depths(self, step: Step, content: Deep | Card | Depths, b: int, s: int) -> bool:
        self._load_laid(step, laid_in_depth(group_of(step), self._frame.whole, self._size), s)
        return True

    def _load_laid(self, step: Step, laid: Pixels, s: int) -> None:
        """Colour and alpha of the whole frame, which are both there."""
        planes = [plane for plane in (*laid.planes, laid.alpha) if plane is not None]
        for index, (plane, gain) in enumerate(zip(planes, (*_gains(step), 1), strict=True)):
            self.code.add(m.LOAD, s + index, self.code.source(self._frame.cut(plane)), numbers=[gain])

    def _sum(self, step: Step, total: Sum, b: int, s: int) -> bool:
        for index in range(3):
            self.code.add(m.FILL, s + index, numbers=[0])
        self._start(step, total.alpha, s + 3)
        has_alpha = any([total.alpha is not None, *(self.join(inner, s) for inner in total.steps)])
        trimming.write_gains(self.code, _gains(step), s)
        return has_alpha

    # ---- Factors of the weight ----
    def _wipe(self, step: Step, wipe: Wipe, slot: int) -> None:
        """Nothing beyond how far the step is wiped across."""
        edge = wipe.share * (1 + wipe.soft)
        self._ramp(across(self._frame.whole, self._size, wipe.angle), edge - wipe.soft, edge, slot)
        self.code.add(m.INVERT, slot)

    def _haze(self, step: Step, haze: Haze, slot: int) -> None:
        """How much air lies before what a source measures."""
        plane = self._pixels(step.id, haze.source).planes[haze.channel]
        self.code.add(m.LOAD, slot, self.code.source(plane), numbers=[1])
        self.code.add(m.HAZE, slot, flag=haze.air, numbers=[haze.near, haze.far, haze.falloff])

    def _ramp(self, way: NDArray, begin: float, end: float, slot: int) -> None:
        """How far along a way of the whole frame the pixels lie, between two places, into a slot."""
        self.code.add(m.LOAD, slot, self.code.source(self._frame.cut(ramp(way, begin, end))), numbers=[1])

    def _start(self, step: Step, alpha: str | None, slot: int) -> None:
        """The alpha that a sum begins with: 1 of a source that has none."""
        cover = None if alpha is None else self._pixels(step.id, alpha).alpha
        if cover is None:
            self.code.add(m.FILL, slot, numbers=[0 if alpha is None else 1])
        else:
            self.code.add(m.LOAD, slot, self.code.source(cover), numbers=[1])

    def _trim_and_join(self, step: Step, b: int, s: int, *, has_alpha: bool) -> None:
        """Trim a source in slots s to s + 3 that has its gains already, and join it; s + 4 is for its weight, s + 5 for
        a factor."""
        if step.within and step.matte is not None:
            self._trim_within(step, step.matte, s, has_alpha=has_alpha)
        else:
            trimming.write(self.code, step.trims, s, has_alpha=has_alpha)
        operator = op.OPERATORS["copy"] if step.grounds else step.operator
        if not has_alpha:
            # Light covers nothing; anything else that has no alpha covers wholly.
            self.code.add(m.FILL, s + 3, numbers=[0 if step.grounds or operator.key == "add" else 1])
        self._weigh(step, s + 4)
        for factor in step.factors:
            load: Any = _FACTORS[type(factor)]
            load(self, step, factor, s + 5)
            self.code.add(m.TIMES, s + 4, s + 5)
        if operator.family == "cover":
            self.code.add(m.COVER, b, s, w=s + 4, numbers=operator.factors)
        elif operator.key == "shade":
            self.code.add(m.SHADE, b, s, w=s + 4)
        elif operator.family == "sum":
            for index in range(4 if has_alpha and operator.code in (op.MINIMUM, op.MAXIMUM) else 3):
                self.code.add(m.SUM, b + index, s + index, w=s + 4, which=operator.code)
        else:
            self._blend(operator, b, s, display=step.display, has_alpha=has_alpha)

    def _blend(self, operator: op.Operator, b: int, s: int, *, display: bool, has_alpha: bool) -> None:
        how: dict[str, Any] = {"w": s + 4, "which": operator.code, "flag": display}
        if operator.code >= op.HUE:
            # Without an alpha both count as opaque: slot s + 3 is 1 everywhere then.
            self.code.add(m.BLEND_WHOLE, b, s, b + 3 if has_alpha else s + 3, **how)
        else:
            for index in range(3):
                if has_alpha:
                    self.code.add(m.BLEND, b + index, s + index, b + 3, **how)
                else:
                    self.code.add(m.BLEND_OPAQUE, b + index, s + index, **how)
        if has_alpha:
            self.code.add(m.UNITE, b + 3, s + 3, w=s + 4)

    def _trim_within(self, step: Step, matte: MattePlan, s: int, *, has_alpha: bool) -> None:
        """Trims where the matte is, gains as well; as it was elsewhere."""
        with self.code.slots(4) as plain:
            for index in range(3):
                self.code.add(m.COPY, plain + index, s + index)
            trimming.write_gains(self.code, step.trims.gains, s)
            trimming.write(self.code, step.trims, s, has_alpha=has_alpha)
            self._load_matte(step, matte, plain + 3)
            for index in range(3):
                self.code.add(m.MIX, s + index, plain + index, w=plain + 3)

    def _weigh(self, step: Step, w: int) -> None:
        """Amount times matte into slot w."""
        if step.matte is None or step.within:
            self.code.add(m.FILL, w, numbers=[step.weight])
            return
        self._load_matte(step, step.matte, w)
        if step.weight != 1:
            self.code.add(m.SCALE, w, numbers=[step.weight])

    def _load_matte(self, step: Step, matte: MattePlan, slot: int) -> None:
        self.code.add(m.LOAD, slot, self.code.source(self._coverage(step, matte)), numbers=[1])

    def _pixels(self, row: str, source: str) -> Pixels:
        try:
            return self._frame.pixels(source, step=self._size)
        except UnknownSource as error:
            raise UnknownSource(error.what, where=f"row {row}", advice=error.advice) from None

    def _coverage(self, step: Step, matte: MattePlan) -> NDArray:
        try:
            if matte.alpha_of is not None:
                return self._frame.cut(alpha_of(matte.alpha_of, self._frame.whole, self._size))
            return self._frame.cut(matte_plane(matte, self._frame.whole, self._size))
        except (UnknownSource, BadArgument) as error:
            raise type(error)(error.what, where=f"matte of row {step.id}", advice=error.advice) from None


def _gains(step: Step) -> tuple[float, float, float]:
    """The gains that a source is read with; trims within a matte come after."""
    return (1.0, 1.0, 1.0) if step.within else step.trims.gains


def _is_plain(step: Step, has_alpha: bool) -> bool:
    if step.factors or step.matte is not None or step.grounds or step.display or not step.trims.is_gains:
        return False
    key = step.operator.key
    return key == "add" or (key == "over" and has_alpha) or (key == "multiply" and not has_alpha)


_FILLED = {
    Flat: _Writer._flat, Gradient: _Writer._gradient, Behind: _Writer._behind, Sum: _Writer._sum,
    Deep: _Writer._depths, Card: _Writer._depths, Depths: _Writer._depths,
}  # fmt: skip
_FACTORS = {Wipe: _Writer._wipe, Haze: _Writer._haze}
