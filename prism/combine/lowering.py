"""Steps of a program written down as instructions on the planes they need.

Most rows are plain (a pass, gains, one weight): they are read and joined in one go. All others are read into slots of their own,
trimmed, and joined with a slot of weights.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from prism.combine import machine as m
from prism.combine.behind import laid_behind
from prism.combine.machine import Code, Machine
from prism.combine.placing import across, outwards, placed, ramp
from prism.combine.program import BackgroundStep, FogStep, GroupStep, OverlayStep, PassStep, Step
from prism.combine.trims import FrameTrims
from prism.curves import pieces
from prism.elements.pixels import Frame, Pixels
from prism.errors import BadArgument, UnknownSource
from prism.ledger import operators as op
from prism.mattes.plan import MattePlan
from prism.mattes.planes import alpha_of, matte_plane


def bind(steps: tuple[Step, ...], frame: Frame, step: int) -> Machine:
    """Steps on their planes, every side divided by `step`. Raises UnknownSource naming the row, BadArgument, SizeMismatch."""
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
        if isinstance(step, GroupStep):
            has_alpha = self._group(step, b)
        elif isinstance(step, BackgroundStep):
            has_alpha = self._background(step, b)
        elif isinstance(step, FogStep):
            has_alpha = self._fog(step, b)
        else:
            has_alpha = self._pass(step, b)
        if step.grounds or step.operator.key == "add" or step.operator.family != "cover":
            return has_alpha
        return True

    def _pass(self, step: PassStep, b: int) -> bool:
        pixels = self._pixels(step.id, step.source)
        alpha = pixels.alpha if step.uses_alpha else None
        if isinstance(step, OverlayStep):
            pixels, alpha = self._placed(step, pixels, alpha)
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

    def _plain(self, step: PassStep, pixels: Pixels, alpha: NDArray | None, b: int) -> None:
        """Add, over or a factor, with gains and one weight."""
        key, amount = step.operator.key, np.float32(step.weight)
        kind = {"add": m.ADD, "over": m.OVER, "multiply": m.FACTOR}[key]
        cover = 0 if alpha is None else self.code.source(alpha)
        for index, (plane, gain) in enumerate(zip(pixels.planes, step.trims.gains, strict=True)):
            whole = np.float32(gain) if key == "multiply" else np.float32(gain) * amount
            self.code.add(kind, b + index, self.code.source(plane), cover, numbers=[whole, amount])
        if alpha is not None:
            self.code.add(kind, b + 3, cover, cover, numbers=[amount, amount])

    def _placed(self, step: OverlayStep, pixels: Pixels, alpha: NDArray | None) -> tuple[Pixels, NDArray | None]:
        """As it lies, where it was pushed, scaled or cropped."""
        if (step.x, step.y, step.scale, step.crop) == (0, 0, 1, (0, 0, 0, 0)):
            return pixels, alpha

        whole = self._frame.whole.pixels(step.source, step=self._size)

        def place(plane: NDArray) -> NDArray:
            laid = placed(
                plane, self._frame.whole, self._size, x=step.x, y=step.y, scale=step.scale, crop=step.crop
            )  # fmt: skip
            return self._frame.taken(laid)

        return Pixels(tuple(map(place, whole.planes)), None), None if alpha is None else place(whole.alpha)

    def _ramp(self, way: NDArray, begin: float, end: float, slot: int) -> None:
        """How far along a way of the whole frame the pixels lie, between two places, into a slot."""
        self.code.add(m.LOAD, slot, self.code.source(self._frame.taken(ramp(way, begin, end))), numbers=[1])

    def _background(self, step: BackgroundStep, b: int) -> bool:
        if step.fill == "picture":
            return self._picture(step, b)
        with self.code.slots(6) as s:
            if step.fill == "colour":
                for index, value in enumerate(step.colour):
                    self.code.add(m.FILL, s + index, numbers=[value * _gains(step)[index]])
            else:
                whole = self._frame.whole
                radial = step.fill == "radial"
                way = outwards(whole, self._size) if radial else across(whole, self._size, step.angle)
                self._ramp(way, step.begins, step.ends, s + 5)
                for index, gain in enumerate(_gains(step)):
                    ends = [step.colour[index] * gain, step.second[index] * gain]
                    self.code.add(m.BETWEEN, s + index, s + 5, numbers=ends)
            self.code.add(m.FILL, s + 3, numbers=[1])
            self._trim_and_join(step, b, s, has_alpha=True)
        return True

    def _picture(self, step: BackgroundStep, b: int) -> bool:
        laid = laid_behind(step, self._frame.whole, self._size)
        with self.code.slots(6) as s:
            for index in range(4):
                if laid is None:
                    self.code.add(m.FILL, s + index, numbers=[0])
                    continue
                plane, gain = (*laid.planes, laid.alpha)[index], (*_gains(step), 1)[index]
                self.code.add(m.LOAD, s + index, self.code.source(self._frame.taken(plane)), numbers=[gain])
            self._trim_and_join(step, b, s, has_alpha=True)
        return True

    def _fog(self, step: FogStep, b: int) -> bool:
        """A source of the fog's colour wherever the result covers, weighed with how much fog lies before it."""
        with self.code.slots(6) as s:
            for index, (value, gain) in enumerate(zip(step.colour, _gains(step), strict=True)):
                self.code.add(m.FILL, s + index, numbers=[value * gain])
                if not step.fills:
                    self.code.add(m.TIMES, s + index, b + 3)
            self.code.add(m.FILL, s + 3, numbers=[1])
            if not step.fills:
                self.code.add(m.TIMES, s + 3, b + 3)
            plane = self._pixels(step.id, step.source).planes[1 if step.through == "height" else 0]
            self.code.add(m.LOAD, s + 5, self.code.source(plane), numbers=[1])
            air = step.mode == "transmittance"
            self.code.add(m.HAZE, s + 5, flag=air, numbers=[step.near, step.far, step.falloff])
            self._trim_and_join(step, b, s, has_alpha=True, factor=s + 5)
        return True

    def _group(self, step: GroupStep, b: int) -> bool:
        with self.code.slots(5) as s:
            for index in range(3):
                self.code.add(m.FILL, s + index, numbers=[0])
            self._start(step, s + 3)
            has_alpha = any([step.alpha is not None, *(self.join(inner, s) for inner in step.steps)])
            self._scale(_gains(step), s)
            self._trim_and_join(step, b, s, has_alpha=has_alpha)
        return has_alpha

    def _start(self, step: GroupStep, slot: int) -> None:
        """The alpha that a group begins with: 1 of a source that has none."""
        cover = None if step.alpha is None else self._pixels(step.id, step.alpha).alpha
        if cover is None:
            self.code.add(m.FILL, slot, numbers=[0 if step.alpha is None else 1])
        else:
            self.code.add(m.LOAD, slot, self.code.source(cover), numbers=[1])

    def _scale(self, gains: tuple[float, float, float], s: int) -> None:
        for index, gain in enumerate(gains):
            if gain != 1:
                self.code.add(m.SCALE, s + index, numbers=[gain])

    def _trim_and_join(self, step: Step, b: int, s: int, *, has_alpha: bool, factor: int | None = None) -> None:
        """Trim a source in slots s to s + 3 that has its gains already, and join it; s + 4 is for its weight.

        factor: a slot that the weight is multiplied with.
        """
        if step.within:
            self._trim_within(step, s, has_alpha=has_alpha)
        else:
            self._trim(step.trims, s, has_alpha=has_alpha)
        operator = op.OPERATORS["copy"] if step.grounds else step.operator
        if not has_alpha:
            # Light covers nothing; anything else that has no alpha covers wholly.
            self.code.add(m.FILL, s + 3, numbers=[0 if step.grounds or operator.key == "add" else 1])
        self._weigh(step, s + 4)
        if factor is not None:
            self.code.add(m.TIMES, s + 4, factor)
        if isinstance(step, OverlayStep) and step.wipe < 1:
            self._wipe(step, s + 4, s + 5)
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
        how = {"w": s + 4, "which": operator.code, "flag": display}
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

    def _trim_within(self, step: Step, s: int, *, has_alpha: bool) -> None:
        """Trims where the matte is, gains as well; as it was elsewhere."""
        with self.code.slots(4) as plain:
            for index in range(3):
                self.code.add(m.COPY, plain + index, s + index)
            self._scale(step.trims.gains, s)
            self._trim(step.trims, s, has_alpha=has_alpha)
            self._load_matte(step, plain + 3)
            for index in range(3):
                self.code.add(m.MIX, s + index, plain + index, w=plain + 3)

    def _trim(self, trims: FrameTrims, s: int, *, has_alpha: bool) -> None:
        planes = range(s, s + 3)
        parted = has_alpha and not trims.is_linear
        if parted:
            for plane in planes:
                self.code.add(m.DIVIDE, plane, s + 3)
        for plane, offset in zip(planes, trims.offset, strict=True):
            if offset:
                self.code.add(m.SHIFT, plane, s + 3, flag=not has_alpha, numbers=[offset])
        if trims.turns:
            self.code.add(m.MATRIX, s, numbers=trims.turning().ravel())
        for index, plane in enumerate(planes):
            self._shape(trims, plane, index, s + 3, whole=not has_alpha)
        if parted:
            for plane in planes:
                self.code.add(m.MULTIPLY, plane, s + 3)

    def _shape(self, trims: FrameTrims, plane: int, index: int, alpha: int, *, whole: bool) -> None:
        if trims.contrast != 1 or trims.gamma != 1:
            # Contrast, then gamma: the power of a power is one power.
            pivot = trims.pivot if trims.contrast != 1 else 1.0
            numbers = [pivot ** (1 / trims.gamma), 1 / pivot, trims.contrast / trims.gamma]
            self.code.add(m.POWER, plane, alpha, flag=whole, numbers=numbers)
        for points in (trims.curves[0], trims.curves[index + 1]):
            if points:
                self.code.add(m.CURVE, plane, alpha, *self.code.table(pieces(points)), flag=whole)
        if trims.clamp:
            self.code.add(m.LIMIT, plane, alpha, flag=whole)

    def _weigh(self, step: Step, w: int) -> None:
        """Amount times matte into slot w."""
        if step.matte is None or step.within:
            self.code.add(m.FILL, w, numbers=[step.weight])
            return
        self._load_matte(step, w)
        if step.weight != 1:
            self.code.add(m.SCALE, w, numbers=[step.weight])

    def _load_matte(self, step: Step, slot: int) -> None:
        self.code.add(m.LOAD, slot, self.code.source(self._coverage(step, step.matte)), numbers=[1])

    def _wipe(self, step: OverlayStep, w: int, spare: int) -> None:
        """Nothing beyond how far the overlay is wiped across."""
        edge = step.wipe * (1 + step.wipe_soft)
        self._ramp(across(self._frame.whole, self._size, step.wipe_angle), edge - step.wipe_soft, edge, spare)
        self.code.add(m.INVERT, spare)
        self.code.add(m.TIMES, w, spare)

    def _pixels(self, row: str, source: str) -> Pixels:
        try:
            return self._frame.pixels(source, step=self._size)
        except UnknownSource as error:
            raise UnknownSource(error.what, where=f"row {row}", advice=error.advice) from None

    def _coverage(self, step: Step, matte: MattePlan) -> NDArray:
        try:
            if matte.alpha_of is not None:
                return self._frame.taken(alpha_of(matte.alpha_of, self._frame.whole, self._size))
            return self._frame.taken(matte_plane(matte, self._frame.whole, self._size))
        except (UnknownSource, BadArgument) as error:
            raise type(error)(error.what, where=f"matte of row {step.id}", advice=error.advice) from None


def _gains(step: Step) -> tuple[float, float, float]:
    """Those that a source is read with; trims within a matte come after."""
    return (1.0, 1.0, 1.0) if step.within else step.trims.gains


def _is_plain(step: PassStep, has_alpha: bool) -> bool:
    if isinstance(step, OverlayStep) and step.wipe < 1:
        return False
    if step.matte is not None or step.grounds or step.display or not step.trims.is_gains:
        return False
    key = step.operator.key
    return key == "add" or (key == "over" and has_alpha) or (key == "multiply" and not has_alpha)
