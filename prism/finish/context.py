"""What a step may ask for beside the picture: the frame's passes and mattes, at the picture's own place and size."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from prism.deep.samples import Samples
from prism.errors import BadArgument, UnknownSource
from prism.mattes.plan import MattePlan
from prism.pixels.picture import Picture, on_display
from prism.sources.pixels import Frame, Grid, Pixels


def _matte_plane(plan: MattePlan, frame: Frame, step: int) -> NDArray[np.float32]:
    from prism.mattes.planes import matte_plane  # late: a document of steps is read without what mattes take to be made

    return matte_plane(plan, frame, step)


@dataclass(frozen=True, slots=True, eq=False)
class Context:
    """sources: None for a picture without passes. number: of the frame. mattes: by id, at that frame."""

    number: int = 0
    sources: Frame | None = None
    mattes: Mapping[str, MattePlan] = field(default_factory=dict)

    def middle(self, key: str, step: int) -> tuple[float, float] | None:
        """Where the middle of a matte lies, weighted by it, in full pixels from the upper left corner of the display
        window; None if it is empty at this frame."""
        whole = self._frame(f"matte {key}").whole
        plane = _matte_plane(self._plan(key), whole, step)
        total = float(plane.sum(dtype=np.float64))
        if total == 0:
            return None
        rows, columns = (np.arange(side) + 0.5 for side in plane.shape)
        x = float(plane.sum(axis=0, dtype=np.float64) @ columns) / total * step
        y = float(plane.sum(axis=1, dtype=np.float64) @ rows) / total * step
        window, display = whole.window, whole.display_window
        return x + window.x0 - display.x0, y + window.y0 - display.y0

    def matte(self, key: str, picture: Picture) -> NDArray[np.float32]:
        """(H, W) float32, 0..1, as the picture lies. Raises BadArgument, UnknownSource."""
        frame = self._frame(f"matte {key}")
        whole = _matte_plane(self._plan(key), frame.whole, picture.step)
        return self._placed(frame.cut(whole)[np.newaxis], picture)[0]

    def around(
        self, place: tuple[float, float], radius: float, step: int, *, matte: str = "", source: str = ""
    ) -> NDArray[np.float32]:
        """(N,): a matte, or the first channel of a pass, at those pixels of the whole frame that lie within a radius
        of a place, both in full pixels; at the nearest one if none does. Empty outside of the frame."""
        whole = self._frame(matte or source).whole
        if matte:
            plane = _matte_plane(self._plan(matte), whole, step)
        else:
            plane = self._pass(source).whole.pixels(source, step=step).planes[0].astype(np.float32)
        window, display = whole.window, whole.display_window
        x, y = (place[0] + display.x0 - window.x0) / step - 0.5, (place[1] + display.y0 - window.y0) / step - 0.5
        reach = max(radius / step, 0.5)
        rows = np.arange(max(0, math.ceil(y - reach)), min(plane.shape[0], math.floor(y + reach) + 1))
        columns = np.arange(max(0, math.ceil(x - reach)), min(plane.shape[1], math.floor(x + reach) + 1))
        inside = np.hypot(rows[:, np.newaxis] - y, columns - x) <= max(reach, math.sqrt(0.5))
        return plane[np.ix_(rows, columns)][inside]

    def pixels(self, key: str, picture: Picture) -> NDArray[np.float32]:
        """(3, H, W) float32: the planes of a pass as the picture lies, data as it is. Raises UnknownSource."""
        pixels: Pixels = self._pass(key).pixels(key, step=picture.step)
        return self._placed(np.stack(pixels.planes).astype(np.float32), picture)

    def samples(self, key: str, picture: Picture) -> Samples | None:
        """The samples of a deep pass as they are stored, what is hidden among them, and those of one pixel of each
        block of a smaller picture; None if the pass is flat. Raises UnknownSource."""
        frame = self._pass(key)
        if not frame.source(key).is_deep:
            return None
        return (frame if picture.step == 1 else Grid(frame, picture.step)).samples(key)

    def _pass(self, key: str) -> Frame:
        """The frame that has a pass."""
        frame = self._frame(key)
        if key not in frame:
            found = ", ".join(source.key.rpartition("/")[2] for source in frame)
            raise UnknownSource(
                f"There is no pass {key}.", where="finish",
                advice=f"These files have {found}. Choose another pass, or turn the step off.",
            )  # fmt: skip
        return frame

    def _plan(self, key: str) -> MattePlan:
        if key not in self.mattes:
            known = ", ".join(self.mattes) or "none"
            raise BadArgument(f"There is no matte {key}.", where="finish", advice=f"Those there are: {known}.")
        return self.mattes[key]

    def _frame(self, what: str) -> Frame:
        if self.sources is None:
            raise BadArgument(
                f"A picture without passes has no {what}.", where="finish", advice="Turn off what asks for it."
            )
        return self.sources

    def _placed(self, planes: NDArray[np.float32], picture: Picture) -> NDArray[np.float32]:
        """Planes of the frame's window where the picture is; a picture cut to its display window, or a part, lies
        elsewhere."""
        assert self.sources is not None
        return on_display(planes, self.sources.window, picture.window, picture.step)
