"""Rays: light drawn out along lines through a point."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only
from prism.fields import RGB, Shown
from prism.finish.base import WHOLE, Light, Number
from prism.finish.context import Context
from prism.finish.highlights import edges, highlights
from prism.finish.planes import by_channel, in_bands
from prism.finish.point import PointStep
from prism.keyed import Within
from prism.pixels.picture import Picture
from prism.pixels.resize import averaged

FINEST = 700  # pixels of the way from the point to the farthest corner that rays are drawn at
BAND_ROWS = 32


class RaysStep(PointStep):
    """What is brighter than the threshold, drawn out over `length` towards the point or away from it: the mean along
    that way, with weights e^(-falloff t / length) at a distance t. It never goes past the point. Laid on the picture,
    times brightness and tint.

    of: highlights, or edges, which are the slope of luminance by pixel. most: what of a highlight counts, so that a
    lamp does not outshine a window. The lines are drawn on a wheel about the point, of at most FINEST steps outwards.
    NaN and infinity throw no rays.
    """

    title: ClassVar[str] = "rays"
    meaning: ClassVar[str] = "light drawn out along lines through a point"

    kind: Literal["rays"] = "rays"
    of: Annotated[Literal["highlights", "edges"], Shown(title="from")] = "highlights"
    way: Annotated[Literal["towards", "away"], Shown(title="the point")] = "towards"
    threshold: Annotated[Light, Shown(title="threshold", step=0.02)] = 1.0
    most: Annotated[Light, Shown(title="counts at most", step=0.02)] = 100.0
    length: Annotated[Number, Within(1, 8000), Shown(title="length", unit="px", step=1, digits=0)] = 400.0
    falloff: Annotated[Number, Within(0, 20), Shown(title="falloff")] = 3.0
    brightness: Annotated[Light, Shown(title="brightness", step=0.02)] = 2.0
    tint: Annotated[tuple[Light, Light, Light], Shown(title="tint", parts=RGB)] = (1.0, 1.0, 1.0)

    def reach(self, picture: Picture) -> float:
        """All of it: the wheel is laid about the point."""
        return WHOLE

    def cost(self, step: int) -> float:
        """The cost of the wheel, which is about as large as the picture."""
        return 110

    def in_words(self) -> Iterable[str]:
        """Which way and how far."""
        return "towards the point" if self.way == "towards" else "away from the point", f"{self.length:g} px"

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): alpha stays as it is."""
        point = self.point(picture, context)
        if point is None:
            return picture.rgba.copy()
        if self.of == "edges":
            thrown = edges(picture, self.threshold)
        else:
            thrown = highlights(picture, self.threshold, self.most)
        gains = by_channel(self.tint) * np.float32(self.brightness)
        drawn = self._drawn_out(thrown, picture, point)
        return in_bands(lambda rgba, rays: np.concatenate([rgba[:3] + gains * rays, rgba[3:]]), 4, picture.rgba, drawn)

    def _drawn_out(
        self, thrown: NDArray[np.float32], picture: Picture, point: tuple[float, float]
    ) -> NDArray[np.float32]:
        display, window = picture.display_window, picture.window
        x, y = (point[0] + display.x0 - window.x0) / picture.step, (point[1] + display.y0 - window.y0) / picture.step
        height, width = thrown.shape[1:]
        farthest = max(math.hypot(x - a, y - b) for a in (0, width) for b in (0, height))
        coarse = max(1, math.ceil(farthest / FINEST))
        steps = math.ceil(farthest / coarse) + 1
        count = max(16, math.ceil(2 * math.pi * steps))
        turns = np.arange(count) * (2 * math.pi / count)
        directions = np.stack([np.cos(turns), np.sin(turns)]).astype(np.float32)
        length = max(1.0, self.length / picture.step / coarse)
        small = read_only(np.stack([averaged(plane, coarse) for plane in thrown]))
        wheel, rays = np.zeros((2, 3, count, steps), np.float32)
        drawn = np.empty_like(thrown)
        spot = np.float32(x), np.float32(y)

        def draw(begin: int, end: int) -> None:
            _onto_wheel(wheel, small, spot[0] / coarse, spot[1] / coarse, directions, begin, end)
            _along(rays, wheel, length, self.falloff, self.way == "towards", begin, end)

        run_bands(draw, count, 4 * BAND_ROWS)
        scale = np.float32(1 / coarse)
        run_bands(lambda begin, end: _off_wheel(drawn, rays, *spot, scale, begin, end), height, BAND_ROWS)
        return drawn


@compiled
def _onto_wheel(wheel, planes, x, y, directions, begin, end):
    """Spokes begin..end: planes (3, H, W) read between pixels, every step outwards from x, y; 0 outside of them."""
    height, width = planes.shape[1:]
    half = np.float32(0.5)
    for spoke in range(begin, end):
        first, last = _inside(x - half, directions[0, spoke], width, 0, wheel.shape[2])
        first, last = _inside(y - half, directions[1, spoke], height, first, last)
        for step in range(first, last):
            u = x + np.float32(step) * directions[0, spoke] - half
            v = y + np.float32(step) * directions[1, spoke] - half
            if u <= -1 or v <= -1 or u >= width or v >= height:
                continue
            left, top = int(np.floor(u)), int(np.floor(v))
            s, t = u - np.float32(left), v - np.float32(top)
            for channel in range(3):
                total = np.float32(0)
                if top >= 0:
                    if left >= 0:
                        total += (1 - s) * (1 - t) * planes[channel, top, left]
                    if left + 1 < width:
                        total += s * (1 - t) * planes[channel, top, left + 1]
                if top + 1 < height:
                    if left >= 0:
                        total += (1 - s) * t * planes[channel, top + 1, left]
                    if left + 1 < width:
                        total += s * t * planes[channel, top + 1, left + 1]
                wheel[channel, spoke, step] = total


@compiled
def _inside(start, way, size, first, last):
    """The steps first..last at which start + step way is within a pixel of 0..size."""
    if abs(way) < 1e-6:
        return (first, last) if -1 <= start <= size else (0, 0)
    near, far = (-1 - start) / way, (size - start) / way
    return max(first, int(min(near, far))), min(last, int(max(near, far, 0)) + 2)


@compiled
def _along(out, wheel, length, falloff, towards, begin, end):
    """Spokes begin..end: of every step the weighted mean over the way that its light comes from. A recursion, so a
    longer way costs no more."""
    steps = wheel.shape[2]
    keep = np.exp(-falloff / length)
    count = int(length)
    last = np.exp(-falloff * (count + 1) / length)  # weight of the step that falls off the end
    weights = count + 1.0 if falloff == 0 else (1 - last) / (1 - keep)
    way = -1 if towards else 1
    for channel in range(3):
        for spoke in range(begin, end):
            total = 0.0
            for number in range(steps):
                at = steps - 1 - number if towards else number
                total = keep * total + wheel[channel, spoke, at]
                if number > count:
                    total -= last * wheel[channel, spoke, at - way * (count + 1)]
                out[channel, spoke, at] = total / weights


@compiled
def _off_wheel(out, wheel, x, y, scale, begin, end):
    """Rows begin..end of a picture (3, H, W), read from the wheel between spokes and steps."""
    spokes, steps = wheel.shape[1:]
    half = np.float32(0.5)
    to_spokes = np.float32(spokes / (2 * np.pi))
    for row in range(begin, end):
        down = np.float32(row) + half - y
        for column in range(out.shape[2]):
            across = np.float32(column) + half - x
            away = np.sqrt(across * across + down * down) * scale
            turn = np.arctan2(down, across) * to_spokes
            if turn < 0:
                turn += np.float32(spokes)
            first, near = int(turn), int(away)
            s, t = turn - np.float32(first), away - np.float32(near)
            first %= spokes
            second = (first + 1) % spokes
            far = min(near + 1, steps - 1)
            near = min(near, steps - 1)
            for channel in range(3):
                one = (1 - t) * wheel[channel, first, near] + t * wheel[channel, first, far]
                other = (1 - t) * wheel[channel, second, near] + t * wheel[channel, second, far]
                out[channel, row, column] = (1 - s) * one + s * other
