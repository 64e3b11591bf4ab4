"""What a viewer can show: a pass, or any stage of a ledger. All answer in one form, so that any can be compared with
any."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from prism.balance.balance import difference_picture
from prism.combine.costs import seconds_of
from prism.combine.evaluate import Evaluator
from prism.errors import BadArgument, SizeMismatch
from prism.ledger.document import Ledger
from prism.limits import Stale, never
from prism.pixels.picture import Picture, on_display
from prism.pixels.window import Window
from prism.sources.pixels import Frame
from prism.sources.store import PixelStore
from prism.viewing.picture import AfterView, Look, source_picture
from prism.viewing.reading import Line, probe_ledger, probe_passes
from prism.viewing.remap import Remap, component_names, found_range, way_for

STAGES = ("rebuilt", "untrimmed", "rendered", "difference", "row", "source")


@dataclass(frozen=True, slots=True, eq=False)
class Shown:
    """data: whether the picture takes no view transform. planes: the values behind it, one (H, W) for each of names.
    ends: nearest and farthest surface, where it is shown as a range. after_view: what is done to its display values."""

    picture: Picture
    data: bool
    planes: Sequence[NDArray]
    names: Sequence[str]
    ends: tuple[float, float] | None = None
    after_view: AfterView | None = None

    @property
    def values_on_display(self) -> NDArray[np.float32]:
        """float32 (C, h, w): the values behind the part in the display window."""
        picture = self.picture
        stored = np.stack(self.planes).astype(np.float32)
        return on_display(stored, picture.window, picture.display_window, picture.step)


class Subject(Protocol):
    """Something to be shown of a frame."""

    def shown(self, frame: Frame, *, step: int = 1, remap: Remap = Remap(), is_stale: Stale = never) -> Shown:
        """Its picture, every side divided by `step`. Raises BadArgument, UnknownSource, UnreadableFile, Superseded."""

    def seconds(self, frame: Frame, *, step: int = 1) -> float:
        """About how long that takes: see `prism.combine.costs`."""

    def lines(self, frame: Frame, box: Window, look: Look) -> list[Line]:
        """What a probe reads of it at a pixel or over a box. Raises BadArgument outside of the picture."""


@dataclass(frozen=True, slots=True)
class PassSubject:
    """One pass by its key."""

    key: str

    def shown(self, frame: Frame, *, step: int = 1, remap: Remap = Remap(), is_stale: Stale = never) -> Shown:
        """The pass, remapped if it is data."""
        source = frame.source(self.key)
        picture, data = source_picture(frame, self.key, step=step, remap=remap)
        planes = frame.pixels(self.key, step=step).planes
        names = component_names(source)[:3] or ("",)
        ends = found_range(planes[0]) if way_for(source, remap) == "range" else None
        return Shown(picture, data, planes[: len(names)], names, ends)

    def seconds(self, frame: Frame, *, step: int = 1) -> float:
        """Next to nothing."""
        return 0.0

    def lines(self, frame: Frame, box: Window, look: Look) -> list[Line]:
        """Every pass of the frame."""
        return probe_passes(frame, box, look)


@dataclass(frozen=True, slots=True, kw_only=True)
class LedgerSubject:
    """A stage of a ledger. show: one of STAGES. key: the row or source. edited: id of a row being dragged."""

    ledger: Ledger
    show: str = "rebuilt"
    key: str = ""
    edited: str | None = None
    evaluator: Evaluator = field(default_factory=lambda: Evaluator(PixelStore()))

    def shown(self, frame: Frame, *, step: int = 1, remap: Remap = Remap(), is_stale: Stale = never) -> Shown:
        """The stage at that frame."""
        if self.show == "source":
            return PassSubject(self.key).shown(frame, step=step, remap=remap)
        if self.show == "difference":
            picture = difference_picture(self.ledger, frame, step=step)
        else:
            picture = self.evaluator.evaluate(self._stage(), frame, step=step, edited=self.edited, is_stale=is_stale)
        return Shown(picture, data=False, planes=tuple(picture.rgba[:3]), names="RGB")

    def seconds(self, frame: Frame, *, step: int = 1) -> float:
        """The seconds of the rows that are shown, and their mattes."""
        if self.show == "source":
            return 0.0
        stage = self.ledger if self.show == "difference" else self._stage()
        return seconds_of(stage, frame.shape(), step=step, frame=frame.number)

    def _stage(self) -> Ledger:
        if self.show == "rebuilt":
            return self.ledger
        if self.show == "rendered":
            return self.ledger.rendered
        if self.show == "untrimmed":
            return self.ledger.untrimmed()
        if self.show == "row":
            return self.ledger.down_to(self.key)
        raise BadArgument(f"Unknown picture {self.show}.", advice=f"Use {', '.join(STAGES)}.")

    def lines(self, frame: Frame, box: Window, look: Look) -> list[Line]:
        """The sources of its rows, what it sums to after each, and the whole against the rendered beauty."""
        return probe_ledger(self.ledger, frame, box, look)


def gap(first: Shown, second: Shown, *, gain: float = 1.0) -> Picture:
    """|first - second| times gain with alpha 1, where the first lies; values that are the same infinity are no gap.

    Raises SizeMismatch.
    """
    a, b = (_three(shown) for shown in (first, second))
    if a.shape != b.shape:
        raise SizeMismatch(
            f"The pictures have {a.shape[2]} x {a.shape[1]} and {b.shape[2]} x {b.shape[1]} pixels.",
            advice="Compare pictures of one size.",
        )
    with np.errstate(invalid="ignore"):
        apart = np.where(a == b, 0, np.abs(a - b))
    return first.picture.with_rgba(
        np.concatenate([np.nan_to_num(apart, nan=1, posinf=1) * np.float32(gain), np.ones_like(apart[:1])])
    )


def _three(shown: Shown) -> NDArray[np.float32]:
    planes = [*shown.planes, *[shown.planes[-1]] * (3 - len(shown.planes))]
    return np.stack(planes).astype(np.float32)
