"""Running a ledger: row after row, in bands that stay in the processor's cache, on all cores.

Preview, full size and delivery use this one evaluator; only the size differs. Float32 inside, nothing clamped unless a
row asks.
"""

from __future__ import annotations

from collections.abc import Hashable

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.combine.behind import frame_behind
from prism.combine.lowering import bind
from prism.combine.program import Program, compile_ledger
from prism.errors import UnknownSource
from prism.ledger.document import Ledger
from prism.ledger.rows import walk
from prism.ledger.steps import Step, flat
from prism.limits import Stale, never
from prism.pixels.picture import Picture
from prism.sources.pixels import Frame, picture_of
from prism.sources.store import CachedArray, PixelStore

BAND_PIXELS = 1 << 15  # running result of a band: 512 KiB, half a current core's second cache
SMALL = 6  # bands that one thread works off sooner than several can share them out


def evaluate(ledger: Ledger, sources: Frame, *, step: int = 1, is_stale: Stale = never) -> Picture:
    """The rebuilt picture of a frame.

    step: divides both sides, for previews. Raises UnknownSource, BadArgument, or Superseded once `is_stale` answers
    True.
    """
    rgba = run(compile_ledger(ledger, sources.number), sources, step=step, is_stale=is_stale)
    return picture_of(sources, rgba, step=step, space=ledger.space)


def run(program: Program, sources: Frame, *, step: int = 1, is_stale: Stale = never) -> NDArray[np.float32]:
    """The values of a program's picture: float32 (4, H, W), premultiplied R G B A over the frame's window. Raises as
    `evaluate`."""
    require_sources(program, sources)
    sources.read(program.sources, step=step)
    running = start(program.alpha, sources, step=step)
    apply_steps(running, program.steps, sources, step=step, is_stale=is_stale)
    return running


def require_sources(program: Program, sources: Frame) -> None:
    """Raises UnknownSource naming all that a program asks for in vain, at once."""
    missing = [key for key in program.sources if key not in sources]
    missing += [behind.source for behind in program.pictures if sources.clip(behind.source) is None]
    if missing:
        found = ", ".join(dict.fromkeys(source.key.rpartition("/")[2] for source in sources))
        raise UnknownSource(
            f"There {'is' if len(missing) == 1 else 'are'} no source{'' if len(missing) == 1 else 's'} "
            f"{', '.join(missing)}.",
            where=_asking(program.steps, missing),
            advice=f"These files have {found}. Remove the rows, or apply the ledger to other files.",
        )


def _asking(steps: tuple[Step, ...], missing: list[str]) -> str:
    asked = ((step.id, each) for step in flat(steps) for each in (step.content, *step.factors))
    rows = list(dict.fromkeys(row for row, each in asked if getattr(each, "source", None) in missing))
    return f"row{'' if len(rows) == 1 else 's'} {', '.join(rows)}" if rows else "start"


def identity(program: Program, sources: Frame) -> Hashable:
    """Changes whenever the picture of the same program may have: with any file of the frame, or of a background."""
    behind = (frame_behind(picture, sources) for picture in program.pictures)
    return sources.identity(), tuple(frame and frame.identity() for frame in behind)


def start(alpha: str | None, sources: Frame, *, step: int = 1) -> NDArray[np.float32]:
    """float32 (4, H, W): black, with the alpha of a source: 1 if that has none, 0 without a source."""
    running = np.zeros((4, *sources.shape(step)), np.float32)
    if alpha is not None:
        covered = sources.pixels(alpha, step=step).alpha
        running[3] = 1 if covered is None else covered
    return running


def apply_steps(
    running: NDArray[np.float32],
    steps: tuple[Step, ...],
    sources: Frame,
    *,
    step: int = 1,
    is_stale: Stale = never,
) -> None:
    """Apply steps to a running result, float32 (4, H, W), in place."""
    if not steps:
        return
    machine = bind(steps, sources, step)
    height, width = running.shape[1:]
    machine.require_size(height * width)
    run_bands(
        lambda first, end: machine.run(running, first, end), height * width, BAND_PIXELS, alone=SMALL, is_stale=is_stale
    )


class Evaluator:
    """Evaluates ledgers one after another and starts from the last row that did not change.

    While one row is dragged, everything above it is cached from the first time; only what follows is computed.
    """

    def __init__(self, store: PixelStore) -> None:
        self._store = store

    def evaluate(
        self,
        ledger: Ledger,
        sources: Frame,
        *,
        step: int = 1,
        edited: str | None = None,
        is_stale: Stale = never,
    ) -> Picture:
        """Like `evaluate`. edited: id of the row being changed; the result above it is cached for the next call."""
        program = compile_ledger(ledger, sources.number)
        row = next((row.id for row in ledger.rows if any(edited == inner.id for inner in walk((row,)))), None)
        if row is None:
            return evaluate(ledger, sources, step=step, is_stale=is_stale)
        running = self._result(program.above(row), sources, step, is_stale).copy()
        sources.read(program.sources, step=step)
        apply_steps(running, program.from_row(row), sources, step=step, is_stale=is_stale)
        return picture_of(sources, running, step=step, space=ledger.space)

    def unchanged(self, ledger: Ledger, sources: Frame, *, step: int = 1, is_stale: Stale = never) -> Picture:
        """Like `evaluate`, read-only, and all of it cached: for what is laid over a picture that stays."""
        rgba = self._result(compile_ledger(ledger, sources.number), sources, step, is_stale)
        return picture_of(sources, rgba, step=step, space=ledger.space)

    def _result(self, program: Program, sources: Frame, step: int, is_stale: Stale) -> NDArray[np.float32]:
        key = ("result", identity(program, sources), step, program)
        return self._store.get(key, lambda: _kept(program, sources, step, is_stale)).array


def _kept(program: Program, sources: Frame, step: int, is_stale: Stale) -> CachedArray:
    rgba = run(program, sources, step=step, is_stale=is_stale)
    rgba.setflags(write=False)
    return CachedArray(rgba)
