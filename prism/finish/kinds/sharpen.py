"""Sharpen: what a blur would take away is laid on once more."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only
from prism.fields import Shown
from prism.finish.base import WORKS_ON, Domain, FinishStep, Number
from prism.finish.context import Context
from prism.finish.planes import blurred, brightness, finite, in_bands
from prism.keyed import Within
from prism.pixels.blur import REACH, sharpened
from prism.pixels.picture import Picture

BAND_ROWS = 32


class SharpenStep(FinishStep):
    """out = v + amount (v - blur of v), where the difference is taken less the threshold. radius: standard deviation
    of the Gaussian, which mirrors the picture at its border. on: luminance, so that no edge changes colour, or each
    channel of the colour."""

    title: ClassVar[str] = "sharpen"
    meaning: ClassVar[str] = "finer edges: the difference to a blur is laid on once more"
    says_amount: ClassVar[bool] = True
    domains: ClassVar[tuple[Domain, ...]] = ("display", "light")

    kind: Literal["sharpen"] = "sharpen"
    works_on: Annotated[Domain, WORKS_ON] = "display"
    amount: Annotated[Number, Within(0, 5), Shown(title="amount")] = 0.5
    radius: Annotated[Number, Within(0.3, 200), Shown(title="radius", unit="px", step=0.02)] = 0.8
    threshold: Annotated[Number, Within(0, 10), Shown(title="threshold", step=0.001, digits=3)] = 0.0
    on: Annotated[Literal["luminance", "colour"], Shown(title="sharpens")] = "luminance"

    def reach(self, picture: Picture) -> float:
        """The reach of the Gaussian."""
        return self.radius * (REACH + 1) + picture.step

    def in_words(self) -> Iterable[str]:
        """How much, and how fine."""
        return f"{self.amount:.0%}", f"{self.radius:g} px"

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): at an amount of 1; the evaluator lays on more or less of it."""
        planes = rgb = finite(picture.rgba)[:3]
        if self.on == "colour" and self.threshold == 0:
            return self._plainly(picture, rgb)
        if self.on == "luminance":
            planes = in_bands(lambda part: brightness(part, picture.space), 1, rgb)
        blur = blurred(planes, self.radius, picture, edge="reflect")
        out = np.empty_like(picture.rgba)
        threshold = np.float32(self.threshold)
        given = picture.rgba, read_only(planes), blur, threshold
        run_bands(lambda a, b: _sharper(out, *given, a, b), out.shape[1], BAND_ROWS)
        return out

    def _plainly(self, picture: Picture, rgb: NDArray[np.float32]) -> NDArray[np.float32]:
        """(4, H, W): every channel in one go; nothing but the blur has to be known."""
        out = np.empty_like(picture.rgba)
        out[3] = picture.rgba[3]
        origin = picture.window.y0 // picture.step, picture.window.x0 // picture.step
        for plane, target in zip(rgb, out[:3], strict=True):
            sharpened(plane, self.radius / picture.step, edge="reflect", out=target, origin=origin)
        return out


@compiled
def _sharper(out, rgba, planes, blur, threshold, begin, end):
    """Rows begin..end: each channel and what it, or their luminance, differs from its blur by, less the threshold."""
    width = out.shape[2]
    for row in range(begin, end):
        for column in range(width):
            out[3, row, column] = rgba[3, row, column]
        for channel in range(3):
            target, given = out[channel, row], rgba[channel, row]
            own = min(channel, planes.shape[0] - 1)
            plane, soft = planes[own, row], blur[own, row]
            if threshold == 0:
                for column in range(width):
                    target[column] = given[column] + (plane[column] - soft[column])
                continue
            for column in range(width):
                apart = plane[column] - soft[column]
                away = max(abs(apart) - threshold, np.float32(0))
                target[column] = given[column] + (away if apart > 0 else -away)
