"""Steps that lie about a point: where that is at a frame."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated, ClassVar

from prism.documents import Identity
from prism.fields import PIXELS, Shown
from prism.finish.base import Coordinate, FinishStep
from prism.finish.context import Context
from prism.pixels.picture import Picture


class PointStep(FinishStep):
    """x, y: pixels of the full picture from its middle; with `follow`, the id of a matte, from the middle of that."""

    handles: ClassVar[tuple[str, str] | None] = ("x", "y")
    matte_fields: ClassVar[Mapping[str, str]] = MappingProxyType({**FinishStep.matte_fields, "follow": "follows"})

    x: Annotated[Coordinate, Shown(title="right", **PIXELS)] = 0.0
    y: Annotated[Coordinate, Shown(title="down", **PIXELS)] = 0.0
    follow: Identity | None = None

    def point(self, picture: Picture, context: Context) -> tuple[float, float] | None:
        """In full pixels from the upper left corner of the display window; None while what it follows is not in the
        picture."""
        if self.follow is None:
            base = picture.display_window.width / 2, picture.display_window.height / 2
        else:
            found = context.middle(self.follow, picture.step)
            if found is None:
                return None
            base = found
        return base[0] + self.x, base[1] + self.y
