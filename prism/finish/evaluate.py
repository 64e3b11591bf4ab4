"""Running finishing steps, one after another: steps that work pixel by pixel together in bands that stay in the
processor's cache, those that reach further on the whole picture.

Preview, full size and delivery use this one evaluator; sizes are those of the full picture, so only the size differs.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only
from prism.errors import Superseded
from prism.finish.base import FinishStep
from prism.finish.context import Context
from prism.finish.planes import are_finite
from prism.limits import Stale, current, never
from prism.pixels.picture import Picture
from prism.pixels.window import Window
from prism.sources.store import CachedArray, PixelStore

BAND_PIXELS = 1 << 15  # of a band: its values and those of a step on it stay in the second cache


def finished(picture: Picture, steps: Sequence[FinishStep], context: Context, *, is_stale: Stale = never) -> Picture:
    """The picture after steps as `prism.finish.steps.active` gives them, in their order; the picture itself without
    any.

    A pixel of which a value is NaN or infinite stays as it is, and no step carries it into others. What a matte or an
    amount of 0 leaves out does not change in any bit. Raises Superseded once `is_stale` answers True, and what the
    steps raise.
    """
    whole = picture = _sealed(picture)
    for wide, group in groupby(steps, lambda step: step.reach(whole) > 0):
        for part in ((step,) for step in group) if wide else (tuple(group),):
            current().require()
            if is_stale():
                raise Superseded("A newer request took over.")
            picture = _wide(picture, part[0], context) if wide else _narrow(picture, part, context, is_stale)
    return picture


def reach_of(picture: Picture, steps: Sequence[FinishStep]) -> float:
    """How far away, in full pixels, anything lies that has a part in a pixel of the finished picture."""
    return sum(step.reach(picture) for step in steps)


def _wide(picture: Picture, step: FinishStep, context: Context) -> Picture:
    after = step.effect(picture, context)
    if step.matte is None and step.amount == 1 and are_finite(picture.rgba):
        return _sealed(picture.with_rgba(after))
    weights = None if step.matte is None else context.matte(step.matte, picture)
    height = after.shape[1]
    run_bands(lambda a, b: _lay(picture.rgba, after, weights, step.amount, a, b), height, _rows(picture))
    return _sealed(picture.with_rgba(after))


def _narrow(picture: Picture, steps: Sequence[FinishStep], context: Context, is_stale: Stale) -> Picture:
    """All of the steps on one band after the other."""
    mattes = {step.matte: context.matte(step.matte, picture) for step in steps if step.matte is not None}
    out = np.empty_like(picture.rgba)

    def work(first: int, end: int) -> None:
        band = rows_of(picture, first, end)
        for step in steps:
            after = np.ascontiguousarray(step.effect(band, context), np.float32)
            weights = None if step.matte is None else mattes[step.matte][first:end]
            _lay(band.rgba, after, weights, step.amount, 0, end - first)
            band = _sealed(band.with_rgba(after))
        out[:, first:end] = band.rgba

    run_bands(work, out.shape[1], _rows(picture), is_stale=is_stale)
    return _sealed(picture.with_rgba(out))


def _sealed(picture: Picture) -> Picture:
    """The picture so that no step can change it."""
    return picture.with_rgba(read_only(picture.rgba))


def _rows(picture: Picture) -> int:
    return max(1, BAND_PIXELS // picture.rgba.shape[2])


def rows_of(picture: Picture, first: int, end: int) -> Picture:
    """Rows first..end of a picture, as a picture at that place."""
    window, step = picture.window, picture.step
    top = window.y0 + first * step
    place = Window(window.x0, top, window.x1, min(window.y1, window.y0 + end * step - 1))
    rgba = read_only(np.ascontiguousarray(picture.rgba[:, first:end]))
    return Picture(
        rgba=rgba, window=place, display_window=picture.display_window,
        step=step, pixel_aspect=picture.pixel_aspect, space=picture.space,
    )  # fmt: skip


_NO_WEIGHTS = read_only(np.zeros((0, 0), np.float32))


def _lay(
    before: NDArray[np.float32], after: NDArray[np.float32], weights: NDArray[np.float32] | None, amount: float,
    first: int, end: int,
) -> None:  # fmt: skip
    """Leave in `after`, at rows first..end, as much of a step as amount and matte let through."""
    _blend(before, after, _NO_WEIGHTS if weights is None else read_only(weights), np.float32(amount), first, end)


@compiled
def _blend(before, after, weights, amount, first, end):
    """before + amount weight (after - before); before, to the bit, where the weight is 0 or a value is not finite, and
    after where both are 1."""
    width = after.shape[2]
    for row in range(first, end):
        for column in range(width):
            weight = amount * weights[row, column] if weights.size else amount
            a, b = before[0, row, column], before[1, row, column]
            c, d = before[2, row, column], before[3, row, column]
            if weight == 0 or not (np.isfinite(a) and np.isfinite(b) and np.isfinite(c) and np.isfinite(d)):
                after[0, row, column], after[1, row, column] = a, b
                after[2, row, column], after[3, row, column] = c, d
            elif weight != 1:
                for channel in range(4):
                    old = before[channel, row, column]
                    after[channel, row, column] = old + weight * (after[channel, row, column] - old)


class Finisher:
    """Finishes pictures one after another and starts from the last step that did not change.

    While one step is dragged, what the steps before it make is cached from the first time; only what follows is
    computed.
    """

    def __init__(self, store: PixelStore) -> None:
        self._store = store

    def finished(
        self,
        picture: Picture,
        steps: Sequence[FinishStep],
        context: Context,
        *,
        of: Hashable,
        settled: int = 0,
        is_stale: Stale = never,
    ) -> Picture:
        """Like `finished`. of: what the picture is a picture of, equal for equal values. settled: how many of the first
        steps stay as they are, so that what they make is worth to be cached."""
        if settled:
            above = tuple(steps[:settled])
            mattes = tuple(context.mattes.get(matte) for step in above for matte in step.mattes)
            key = ("finished", of, picture.step, picture.space, above, mattes)
            picture = picture.with_rgba(
                self._store.get(key, lambda: _kept(finished(picture, above, context, is_stale=is_stale))).array
            )
        return finished(picture, steps[settled:], context, is_stale=is_stale)


def _kept(picture: Picture) -> CachedArray:
    picture.rgba.setflags(write=False)
    return CachedArray(picture.rgba)
