"""What is put in the order of its depths: deep passes and cards."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

from prism.documents import SourceName
from prism.fields import PIXELS, Shown
from prism.keyed import Within
from prism.ledger.kinds.base import LedgerRow, Number
from prism.ledger.kinds.overlays import Push, Scale
from prism.ledger.steps import Card, Deep, Step

Depth = Annotated[Number, Within(-1e9, 1e9)]
_RANGED = ("range_on", ("weight", "trims"))


class DeepRow(LedgerRow):
    """A deep pass: every pixel is many samples, each at its depth. add, times: its depths, moved and scaled.

    range_on: samples from near to far alone count (weight), or alone are trimmed (trims); off takes all alike. hides:
    it is a holdout, which covers what is behind it and shows nothing itself.
    """

    has_depth: ClassVar[bool] = True

    kind: Literal["deep"] = "deep"
    operator: str = "over"
    source: SourceName
    add: Annotated[Depth, Shown(title="depth moved by", digits=3)] = 0.0
    times: Annotated[Number, Within(0.001, 1000), Shown(title="depth scaled by", digits=3)] = 1.0
    range_on: Annotated[
        Literal["off", "weight", "trims"],
        Shown(title="range of depth", notes={"weight": "Samples outside of it are cut.", "trims": "It limits trims."}),
    ] = "off"
    near: Annotated[Depth, Shown(title="from", digits=3, when=_RANGED)] = 0.0
    far: Annotated[Depth, Shown(title="up to", digits=3, when=_RANGED)] = 1000.0
    hides: Annotated[bool, Shown(title="holdout")] = False

    def content(self, inner: tuple[Step, ...]) -> Deep:
        """Its samples."""
        return Deep(
            source=self.source, add=self.add, times=self.times, near=self.near, far=self.far, range_on=self.range_on,
            hides=self.hides,
        )  # fmt: skip

    def neutral(self) -> Self:
        """At the depths that were rendered, all of it."""
        return super().neutral().replace(add=0.0, times=1.0, range_on="off")


class CardRow(LedgerRow):
    """A flat picture at a depth, so that some things are in front of it and some behind.

    source, fit, x, y, scale, delay, beyond: as of a background. depth: where it stands; with depth_from, a pass of the
    same picture, every pixel stands where that says, moved by depth.
    """

    source_fields_beside: ClassVar[tuple[str, ...]] = ("depth_from",)
    has_own_frames: ClassVar[bool] = True
    taken_as: ClassVar[str] = "card"
    has_depth: ClassVar[bool] = True

    kind: Literal["card"] = "card"
    operator: str = "over"
    in_balance: bool = False
    source: Annotated[SourceName, Shown(title="picture")]
    uses_alpha: Annotated[bool, Shown(title="its alpha counts", needs_alpha=True)] = True
    depth: Annotated[Depth, Shown(title="depth", digits=3)] = 1.0
    depth_from: Annotated[SourceName | None, Shown(title="depth pass", lists="depths")] = None
    hides: Annotated[bool, Shown(title="holdout")] = False
    fit: Annotated[Literal["fill", "inside", "stretch", "as-is"], Shown(title="fit")] = "as-is"
    x: Annotated[Push, Shown(title="right", **PIXELS)] = 0.0
    y: Annotated[Push, Shown(title="down", **PIXELS)] = 0.0
    scale: Annotated[Scale, Shown(title="scale", step=0.001, digits=3)] = 1.0
    delay: Annotated[
        int, Within(-1_000_000, 1_000_000), Shown(title="starts later", unit="frames", step=1, digits=0)
    ] = 0
    beyond: Annotated[Literal["hold", "loop", "nothing"], Shown(title="before, after")] = "hold"

    def content(self, inner: tuple[Step, ...]) -> Card:
        """The picture and where it stands."""
        return Card(
            source=self.source, uses_alpha=self.uses_alpha, fit=self.fit, x=self.x, y=self.y, scale=self.scale,
            delay=self.delay, beyond=self.beyond, depth=self.depth, depth_from=self.depth_from, hides=self.hides,
        )  # fmt: skip
