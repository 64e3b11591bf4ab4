"""Vignette: darker towards the corners, as lenses are or as it is drawn."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.fields import DEGREES, PIXELS, Shown
from prism.finish.base import WORKS_ON, Coordinate, Domain, FinishStep, Number, Share
from prism.finish.context import Context
from prism.finish.planes import places
from prism.keyed import Within
from prism.pixels.picture import Picture

_DRAWN = ("form", ("drawn",))
_COS4 = ("form", ("cos4",))


class VignetteStep(FinishStep):
    """cos4: light falls with the fourth power of the cosine of the angle from the axis, which is what a lens without
    stops in its way does; field_of_view is across the width of the picture.

    drawn: an ellipse about a point x, y from the middle, as wide and high as these shares of the picture. From there
    inwards to (1 - soft) of it brightness rises from `level` to 1, along 3 t^2 - 2 t^3.
    """

    title: ClassVar[str] = "vignette"
    meaning: ClassVar[str] = "darker towards the corners"
    domains: ClassVar[tuple[Domain, ...]] = ("light", "display")
    handles: ClassVar[tuple[str, str] | None] = ("x", "y")
    ellipse: ClassVar[tuple[str, str, str] | None] = ("width", "height", "soft")

    kind: Literal["vignette"] = "vignette"
    works_on: Annotated[Domain, WORKS_ON] = "light"
    form: Annotated[Literal["cos4", "drawn"], Shown(title="form")] = "cos4"
    field_of_view: Annotated[Number, Within(1, 170), Shown(title="field of view", **DEGREES, when=_COS4)] = 50.0
    x: Annotated[Coordinate, Shown(title="right", **PIXELS, when=_DRAWN)] = 0.0
    y: Annotated[Coordinate, Shown(title="down", **PIXELS, when=_DRAWN)] = 0.0
    width: Annotated[Number, Within(0.01, 10), Shown(title="width", when=_DRAWN)] = 1.2
    height: Annotated[Number, Within(0.01, 10), Shown(title="height", when=_DRAWN)] = 1.2
    soft: Annotated[Share, Shown(title="softness", when=_DRAWN)] = 0.6
    level: Annotated[Share, Shown(title="brightness outside", when=_DRAWN)] = 0.3

    def in_words(self) -> Iterable[str]:
        """How dark."""
        return (f"cos⁴ of {self.field_of_view:g}°" if self.form == "cos4" else f"down to {self.level:.0%}",)

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): alpha stays as it is."""
        factor = self._cos4(picture) if self.form == "cos4" else self._drawn(picture)
        return np.concatenate([picture.rgba[:3] * factor, picture.rgba[3:]])

    def _cos4(self, picture: Picture) -> NDArray[np.float32]:
        """cos^4 = 1 / (1 + tan^2)^2, with the tangent in proportion to the distance from the middle."""
        display, aspect = picture.display_window, picture.pixel_aspect
        x, y = places(picture)
        across, down = (x - display.width / 2) * aspect, y - display.height / 2
        unit = math.tan(math.radians(self.field_of_view) / 2) / (display.width * aspect / 2)
        return np.float32(1) / (1 + (across**2 + down**2) * np.float32(unit**2)) ** 2

    def _drawn(self, picture: Picture) -> NDArray[np.float32]:
        display = picture.display_window
        x, y = places(picture)
        across = (x - display.width / 2 - self.x) / (display.width / 2 * self.width)
        down = (y - display.height / 2 - self.y) / (display.height / 2 * self.height)
        away = np.sqrt(across**2 + down**2)
        t = ((1 - away) / np.float32(max(self.soft, 1e-6))).clip(0, 1)
        return np.float32(self.level) + np.float32(1 - self.level) * t * t * (3 - 2 * t)
