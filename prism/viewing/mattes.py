"""A matte of a ledger to look at: as a tint over the picture, alone in grey, as what it cuts out, or by its edge."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import decode_srgb
from prism.combine.costs import mattes_seconds, seconds_of
from prism.combine.evaluate import Evaluator
from prism.errors import BadArgument
from prism.ledger.document import Ledger
from prism.limits import Stale, never
from prism.mattes import ranks
from prism.mattes.document import within
from prism.mattes.plan import plans
from prism.mattes.planes import matte_plane
from prism.pixels.picture import Picture
from prism.pixels.window import Window
from prism.sources.pixels import Frame, picture_of
from prism.sources.store import PixelStore
from prism.viewing.picture import Look
from prism.viewing.reading import Line, region_of
from prism.viewing.remap import Remap
from prism.viewing.subjects import Shown

WAYS = ("tint", "alone", "checker", "edge")
STRENGTH = 0.65  # of the tint where the matte is 1
NAMES_READ = 6  # of one pixel or box


@dataclass(frozen=True, slots=True, kw_only=True)
class MatteSubject:
    """way: one of WAYS. colour: of the tint, three display values 0..1."""

    ledger: Ledger
    matte: str
    way: str = "tint"
    colour: tuple[float, float, float] = (0.1, 0.9, 0.4)
    evaluator: Evaluator = field(default_factory=lambda: Evaluator(PixelStore()))

    def shown(self, frame: Frame, *, step: int = 1, remap: Remap = Remap(), is_stale: Stale = never) -> Shown:
        """The matte as plane, and the picture that shows it."""
        cover = self._plane(frame, step)
        if self.way not in WAYS:
            raise BadArgument(f"Unknown look {self.way}.", where="way", advice=f"Use {', '.join(WAYS)}.")
        if self.way in ("alone", "edge"):
            grey = cover if self.way == "alone" else 4 * cover * (1 - cover)
            alone = picture_of(frame, _opaque(np.stack([grey] * 3)), step=step, space=self.ledger.space)
            return Shown(alone, True, (grey,), ("matte",))
        rebuilt = self._rebuilt(frame, step, is_stale)
        if self.way == "checker":
            return Shown(rebuilt.with_rgba(rebuilt.rgba * cover), False, (cover,), ("matte",))
        light = decode_srgb(np.array(self.colour, np.float32)).astype(np.float32)[:, np.newaxis, np.newaxis]
        share = np.float32(STRENGTH) * cover
        tinted = np.nan_to_num(rebuilt.rgba[:3]) * (1 - share) + light * share
        return Shown(rebuilt.with_rgba(_opaque(tinted)), False, (cover,), ("matte",))

    def seconds(self, frame: Frame, *, step: int = 1) -> float:
        """The seconds of the rebuilt picture, and of the matte with all that it is made of."""
        own = within(self.ledger.mattes, {self.matte})
        size = frame.shape()
        return seconds_of(self.ledger, size, step=step, frame=frame.number) + mattes_seconds(
            own, size, step=step, frame=frame.number
        )

    def lines(self, frame: Frame, box: Window, look: Look) -> list[Line]:
        """How much of the matte is there, and which names."""
        region = region_of(frame, box)
        cover = region.cut(self._plane(frame, 1))
        found = [Line("matte", self.matte, ("matte",), (float(cover.mean()),), None, None)]
        for source in ranks.first_ranks(frame):
            for share in ranks.shares(region, source.key)[:NAMES_READ]:
                if share.pixels > 0:
                    part = share.pixels / cover.size
                    key = f"name/{source.key}/{share.id}"
                    found.append(Line(key, share.name or share.id, ("covers",), (part,), None, None))
        return found

    def _rebuilt(self, frame: Frame, step: int, is_stale: Stale) -> Picture:
        """What the matte is laid over. While it is worked on, what lies above the first row that it limits stays."""
        limited = next((row.id for row in self.ledger.walk() if row.matte == self.matte), None)
        if limited is None:
            return self.evaluator.unchanged(self.ledger, frame, step=step, is_stale=is_stale)
        return self.evaluator.evaluate(self.ledger, frame, step=step, edited=limited, is_stale=is_stale)

    def _plane(self, frame: Frame, step: int) -> NDArray[np.float32]:
        ready = plans(self.ledger.mattes, frame.number, self.ledger.space)
        if self.matte not in ready:
            raise BadArgument(
                f"There is no matte {self.matte}.", advice=f"The ledger has {', '.join(ready) or 'none'}."
            )
        return matte_plane(ready[self.matte], frame, step)


def _opaque(rgb: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.concatenate([rgb, np.ones_like(rgb[:1])]).astype(np.float32)
