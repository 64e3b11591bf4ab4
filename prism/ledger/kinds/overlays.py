"""A pass laid on top with a place of its own."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from prism.documents import SourceName
from prism.fields import DEGREES, PIXELS, Shown
from prism.keyed import Within
from prism.ledger.kinds.base import LedgerRow, Number, Share
from prism.ledger.steps import Placed, Step, Wipe

Push = Annotated[Number, Within(-100_000, 100_000)]
Scale = Annotated[Number, Within(0.01, 100)]
Angle = Annotated[Number, Within(-360, 360)]
SIDES = ("left", "top", "right", "bottom")


class OverlayRow(LedgerRow):
    """A pass laid on top with a place of its own: graphics, wires. It is no part of the rebuild.

    x, y: pixels of the full picture that it is pushed right and down. scale: about the middle of the picture. crop:
    what is cut off at the left, top, right and bottom, as shares of the picture. wipe: share of the way across the
    picture up to which it shows, along wipe_angle (degrees; 0 from left to right, 90 from top to bottom), its edge
    wipe_soft wide.
    """

    has_place: ClassVar[bool] = True

    kind: Literal["overlay"] = "overlay"
    source: SourceName
    uses_alpha: Annotated[bool, Shown(title="its alpha counts", needs_alpha=True)] = True
    in_balance: bool = False
    x: Annotated[Push, Shown(title="right", **PIXELS)] = 0.0
    y: Annotated[Push, Shown(title="down", **PIXELS)] = 0.0
    scale: Annotated[Scale, Shown(title="scale", step=0.001, digits=3)] = 1.0
    wipe: Annotated[Share, Shown(title="wipe")] = 1.0
    wipe_angle: Annotated[Angle, Shown(title="angle", **DEGREES)] = 0.0
    wipe_soft: Annotated[Share, Shown(title="softness")] = 0.0
    crop: Annotated[tuple[Share, Share, Share, Share], Shown(title="crop", step=0.005, parts=SIDES)] = (
        0.0,
        0.0,
        0.0,
        0.0,
    )

    def content(self, inner: tuple[Step, ...]) -> Placed:
        """The pass where it was put."""
        return Placed(
            source=self.source, uses_alpha=self.uses_alpha, x=self.x, y=self.y, scale=self.scale, crop=self.crop
        )

    def factors(self) -> tuple[Wipe, ...]:
        """Nothing beyond how far it is wiped across."""
        return (Wipe(angle=self.wipe_angle, share=self.wipe, soft=self.wipe_soft),) if self.wipe < 1 else ()
