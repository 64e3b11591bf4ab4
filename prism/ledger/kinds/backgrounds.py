"""A colour, two, or a picture under everything."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

from pydantic import model_validator

from prism.documents import SourceName
from prism.fields import DEGREES, PIXELS, RGB, Shown
from prism.keyed import Within
from prism.ledger.kinds.base import Label, LedgerRow, Light, Number
from prism.ledger.kinds.overlays import Angle, Push, Scale
from prism.ledger.steps import Behind, Flat, Gradient, Step

_COLOURED = ("fill", ("colour", "linear", "radial"))
_TWO_COLOURED = ("fill", ("linear", "radial"))
_PICTURED = ("fill", ("picture",))


class BackgroundRow(LedgerRow):
    """A colour, one that goes over into a second (along angle from side to side, or from the middle of the picture
    outwards), or a picture, still or moving.

    begins, ends: shares of the way where the first colour ends and the second begins. source: of the picture, in its
    own size. fit: it fills the frame (what is too much is cut off), lies whole inside, is stretched to it, or keeps its
    pixels. x, y, scale: as of an overlay, after that. delay: frames by which it starts later than its numbers say.
    beyond: what shows before its first and after its last frame.
    """

    label: ClassVar[Label] = Label(
        by="fill", words={"colour": "background", "linear": "gradient", "radial": "gradient", "picture": ""}
    )

    meaning: ClassVar[str] = "A background: it goes under everything that has an alpha."
    has_own_frames: ClassVar[bool] = True
    taken_as: ClassVar[str] = "behind"

    kind: Literal["background"] = "background"
    operator: str = "under"
    in_balance: bool = False
    fill: Annotated[Literal["colour", "linear", "radial", "picture"], Shown(title="fill")] = "colour"
    colour: Annotated[tuple[Light, Light, Light], Shown(title="colour", digits=3, parts=RGB, when=_COLOURED)] = (
        0.18,
        0.18,
        0.18,
    )
    second: Annotated[tuple[Light, Light, Light], Shown(title="second", digits=3, parts=RGB, when=_TWO_COLOURED)] = (
        0.0,
        0.0,
        0.0,
    )
    angle: Annotated[Angle, Shown(title="angle", **DEGREES, when=("fill", ("linear",)))] = 90.0
    begins: Annotated[Number, Within(-10, 10), Shown(title="begins", when=_TWO_COLOURED)] = 0.0
    ends: Annotated[Number, Within(-10, 10), Shown(title="ends", when=_TWO_COLOURED)] = 1.0
    source: Annotated[SourceName | None, Shown(title="picture", when=_PICTURED)] = None
    uses_alpha: Annotated[bool, Shown(title="its alpha counts", needs_alpha=True, when=_PICTURED)] = True
    fit: Annotated[Literal["fill", "inside", "stretch", "as-is"], Shown(title="fit", when=_PICTURED)] = "fill"
    x: Annotated[Push, Shown(title="right", **PIXELS, when=_PICTURED)] = 0.0
    y: Annotated[Push, Shown(title="down", **PIXELS, when=_PICTURED)] = 0.0
    scale: Annotated[Scale, Shown(title="scale", step=0.001, digits=3, when=_PICTURED)] = 1.0
    delay: Annotated[
        int,
        Within(-1_000_000, 1_000_000),
        Shown(title="starts later", unit="frames", step=1, digits=0, when=_PICTURED),
    ] = 0
    beyond: Annotated[Literal["hold", "loop", "nothing"], Shown(title="before, after", when=_PICTURED)] = "hold"

    @model_validator(mode="after")
    def _picture_is_named(self) -> Self:
        if self.fill == "picture" and self.source is None:
            raise ValueError("A background of the fill picture names the source that it shows")
        return self

    @property
    def source_taken(self) -> str | None:
        """The source of its picture, where it shows one."""
        return self.source if self.fill == "picture" else None

    def content(self, inner: tuple[Step, ...]) -> Flat | Gradient | Behind:
        """What its fill says."""
        if self.source is not None and self.fill == "picture":
            return Behind(
                source=self.source, uses_alpha=self.uses_alpha, fit=self.fit, x=self.x, y=self.y, scale=self.scale,
                delay=self.delay, beyond=self.beyond,
            )  # fmt: skip
        if self.fill == "colour":
            return Flat(colour=self.colour)
        way: Literal["along", "outwards"] = "along" if self.fill == "linear" else "outwards"
        return Gradient(
            colour=self.colour, second=self.second, way=way, angle=self.angle, begins=self.begins, ends=self.ends
        )
