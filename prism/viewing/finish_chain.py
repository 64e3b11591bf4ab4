"""A finished picture as something a viewer shows: any stage of its steps, and the chain as thumbnails."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from prism.combine.costs import seconds_of
from prism.combine.evaluate import Evaluator, identity
from prism.combine.program import compile_ledger
from prism.errors import BadArgument
from prism.finish.context import Context
from prism.finish.display import as_display, on_display_values
from prism.finish.evaluate import Finisher, finished, reach_of
from prism.finish.planes import DISPLAY
from prism.ledger.document import Ledger
from prism.ledger.finishing import Finishing
from prism.limits import Stale, never
from prism.pixels.picture import Picture
from prism.pixels.window import Window
from prism.sources.pixels import Frame, Region
from prism.sources.store import PixelStore
from prism.viewing.picture import AfterView, Look, developed_quickly, to_screen
from prism.viewing.reading import Line, codes_of_values, probe_ledger, region_of
from prism.viewing.remap import Remap
from prism.viewing.subjects import Shown

STAGES = ("finished", "rebuilt", "after", "before")


@dataclass(frozen=True, slots=True, kw_only=True)
class FinishSubject:
    """A stage of a finish. show: one of STAGES; after and before are those of the step `key`. edited: id of the step
    being changed."""

    ledger: Ledger
    show: str = "finished"
    key: str = ""
    edited: str | None = None
    evaluator: Evaluator = field(default_factory=lambda: Evaluator(PixelStore()))
    finisher: Finisher = field(default_factory=lambda: Finisher(PixelStore()))

    def shown(self, frame: Frame, *, step: int = 1, remap: Remap = Remap(), is_stale: Stale = never) -> Shown:
        """The stage at that frame: its light, and what is done to it after the view."""
        finish = self._finish(frame)
        wide = _with_apron(frame, self._reach(frame, finish))
        finish = finish.on(wide)
        bare = self.ledger.replace(finish=())
        rebuilt = self.evaluator.unchanged(bare, wide, step=step, is_stale=is_stale)
        # Places are those of the picture, also in a part of it.
        rebuilt = replace(rebuilt, display_window=frame.whole.display_window)
        light = self.finisher.finished(
            rebuilt, finish.in_light, finish.context, of=identity(compile_ledger(bare, frame.number), wide),
            settled=self._settled(finish), is_stale=is_stale,
        )  # fmt: skip
        picture = _cut(light, frame)
        after_view = _after_view(finish, picture)
        return Shown(picture, data=False, planes=list(picture.rgba[:3]), names="RGB", after_view=after_view)

    def seconds(self, frame: Frame, *, step: int = 1) -> float:
        """The seconds of the ledger, and of every step by its pixels."""
        small = math.prod(frame.shape()) / step**2
        cost = sum(each.cost(step) for each in self._finish(frame).steps) * small * 1e-9
        return cost + seconds_of(self.ledger, frame.shape(), step=step, frame=frame.number)

    def lines(self, frame: Frame, box: Window, look: Look) -> list[Line]:
        """The finished light, with the codes that the display gets; then all that its ledger reads."""
        shown = self.shown(region_of(frame, box))
        values = developed_quickly(shown.picture.rgba, replace(look, channel="rgb", ground="black"))
        values = (shown.after_view or np.asarray)(values).mean(axis=(1, 2), dtype=np.float64)
        rgb = tuple(float(plane.mean(dtype=np.float64)) for plane in shown.picture.rgba[:3])
        alpha = float(shown.picture.rgba[3].mean(dtype=np.float64))
        own = Line("finished", "finished", tuple("RGB"), rgb, alpha, codes_of_values(values, look.gamma))
        return [own, *probe_ledger(self.ledger, frame, box, look)]

    def _finish(self, frame: Frame) -> Finishing:
        finish = Finishing.of(self.ledger, frame)
        if self.show == "finished":
            return finish
        if self.show == "rebuilt":
            return replace(finish, steps=())
        if self.show not in STAGES:
            raise BadArgument(f"Unknown picture {self.show}.", advice=f"Use {', '.join(STAGES)}.")
        ids = [step.id for step in self.ledger.finish]
        if self.key not in ids:
            raise BadArgument(f"There is no step {self.key}.", where="finish")
        above = ids[: ids.index(self.key) + (self.show == "after")]
        return replace(finish, steps=tuple(step for step in finish.steps if step.id in above))

    def _settled(self, finish: Finishing) -> int:
        """How many of the steps on light stay as they are while one step is changed."""
        ids = [step.id for step in finish.in_light]
        if self.edited is None:
            return 0
        return ids.index(self.edited) if self.edited in ids else len(ids)

    def _reach(self, frame: Frame, finish: Finishing) -> float:
        if frame.whole is frame:
            return 0
        return reach_of(_nowhere(frame), finish.steps)


def chain_thumbnails(
    ledger: Ledger, frame: Frame, look: Look, *, step: int, evaluator: Evaluator
) -> list[NDArray[np.uint8]]:
    """Display bytes (h, w, 3) of the rebuilt picture, and after each of the ledger's steps; one that is off changes
    nothing."""
    finish = Finishing.of(ledger, frame)
    bare = ledger.replace(finish=())
    light = evaluator.unchanged(bare, frame, step=step)
    stages = [to_screen(light.on_display, look)]
    by_id = {each.id: each for each in finish.steps}
    screen: Picture | None = None  # display values, once a step has worked on them; cut to 0..1 only to be shown
    for each in ledger.finish:
        own = by_id.get(each.id)
        if own is None:
            stages.append(stages[-1])
            continue
        if own.domain == "display":
            screen = screen or _on_screen(light, developed_quickly(light.on_display, look))
            screen = finished(screen, (own,), finish.context)
        else:
            light = replace(finish, steps=(own,)).light(light)
        stages.append(to_screen(light.on_display, look, after_view=None if screen is None else _always(screen)))
    return stages


def _after_view(finish: Finishing, light: Picture) -> AfterView | None:
    """The steps that work on display values, as a function of those (3, h, w) of the display window; None for a picture
    without any step."""
    if not finish.steps:
        return None

    def after_view(values: NDArray[np.float32]) -> NDArray[np.float32]:
        return finish.display(_on_screen(light, values)).rgba[:3]

    return after_view


def _on_screen(light: Picture, values: NDArray[np.float32]) -> Picture:
    """Display values (3, h, w) that were made of light, with nothing to be seen through them."""
    return as_display(light, np.concatenate([values, np.ones_like(values[:1])]))


def _always(screen: Picture) -> AfterView:
    """These display values, whatever the view makes of the light."""
    shown = on_display_values(screen, (), Context()).rgba[:3]
    return lambda values: shown


def _with_apron(frame: Frame, reach: float) -> Frame:
    """A part of a frame with all about it that has a part in its pixels; a whole frame as it is."""
    whole = frame.whole
    if whole is frame or reach == 0:
        return frame
    if math.isinf(reach):
        return whole
    more = math.ceil(reach)
    window = frame.window
    around = Window(window.x0 - more, window.y0 - more, window.x1 + more, window.y1 + more).intersection(whole.window)
    return frame if around is None else Region(whole, around)


def _cut(picture: Picture, frame: Frame) -> Picture:
    """The part of a picture that is that frame's, where that is a part of another."""
    if frame.whole is frame:
        return picture
    rgba = picture.rgba
    if picture.window != frame.window:
        rgba = rgba[:, *frame.window.slices_in(picture.window)]
    return replace(picture, rgba=np.ascontiguousarray(rgba), window=frame.window, display_window=frame.window)


def _nowhere(frame: Frame) -> Picture:
    """A picture without pixels, for what only asks where things would lie."""
    return Picture(
        rgba=np.zeros((4, 0, 0), np.float32), window=frame.window, display_window=frame.whole.display_window,
        pixel_aspect=frame.pixel_aspect, space=DISPLAY,
    )  # fmt: skip
