"""The compiled loops brought in before someone waits for them: compiled on a machine that never ran them, else loaded.

`python -m prism.warming` compiles all of PARTS into the cache, for processes to come, the renderer's beside the others;
named, only those.
"""

from __future__ import annotations

import gc
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.combine.machine import ADD, RUNNING, Code
from prism.compiled import delete_unused, one_at_a_time
from prism.deep import operations
from prism.deep.samples import samples_of
from prism.finish.context import Context
from prism.finish.evaluate import finished
from prism.finish.kinds.defocus import DefocusStep
from prism.finish.kinds.fringe import FringeStep
from prism.finish.kinds.glow import GlowStep
from prism.finish.kinds.grain import GrainStep
from prism.finish.kinds.rays import RaysStep
from prism.finish.kinds.sharpen import SharpenStep
from prism.finish.kinds.smear import SmearStep
from prism.mattes.drawn import shape, strokes
from prism.mattes.morphing import blurred, grown
from prism.mattes.parts import ShapePart, StrokesPart
from prism.mattes.ranks import counted, gathered
from prism.pixels.picture import Picture
from prism.pixels.window import Window

CORNERS = ({"x": 0, "y": 0}, {"x": 2, "y": 0}, {"x": 0, "y": 2})


def warm() -> None:
    """What someone drags or presses with, on a few pixels each: loops of a ledger, of mattes, and of finishing
    steps."""
    for part in ("rebuild", "finish"):
        _warm_part(part)


def _warm_part(part: str) -> None:
    if part in LOCKED:
        with one_at_a_time(str(Path(__file__).parent / LOCKED[part])):
            PARTS[part]()
    else:
        PARTS[part]()


def _warm_rebuild() -> None:
    _warm_ledger()
    _warm_mattes()


def _warm_ledger() -> None:
    """One addition; the loops are one machine, so that brings in all of them."""
    code = Code()
    code.add(ADD, RUNNING, code.source(np.zeros((1, 1), np.float32)), numbers=[1])
    code.done().run(np.zeros((4, 1, 1), np.float32), 0, 1)


def _warm_mattes() -> None:
    plane, ids = np.ones((4, 4), np.float32), np.ones((4, 4), np.uint32)
    gathered([(ids, plane)], ids[0, :1], plane.shape)
    counted(ids, plane)
    blurred(grown(plane, 1), 1)
    strokes(StrokesPart(strokes=({"points": ((1, 1), (2, 2)), "size": 1},)), plane.shape, (0, 0), 1)
    shape(ShapePart(form="polygon", corners=CORNERS), plane.shape, (0, 0), 1)


def _warm_finish() -> None:
    """Every kind of step that has loops of its own, two of defocus: for blocks and without."""
    rgba = np.full((4, 24, 24), 0.5, np.float32)
    window = Window.of_size(24, 24)
    picture = Picture(rgba=rgba, window=window, display_window=window)
    context = _Passes()
    for step in (
        RaysStep(id="rays", threshold=0.1), SharpenStep(id="sharpen"), FringeStep(id="fringe"), GrainStep(id="grain"),
        SmearStep(id="smear", motion="m"), DefocusStep(id="near", depth="z", focus=3, opening=7, largest=9),
        GlowStep(id="glow", threshold=0.1, size=40),
    ):  # fmt: skip
        finished(picture, (step,), context)


class _Passes(Context):
    """A pass of a slope, whatever is asked for."""

    def pixels(self, key: str, picture: Picture) -> NDArray[np.float32]:
        """(3, H, W) float32: 1 at the left and 9 at the right."""
        return np.broadcast_to(np.linspace(1, 9, 24, dtype=np.float32), (3, 24, 24)).copy()

    def samples(self, key: str, picture: Picture) -> None:
        """None is deep."""


def _warm_stand_in() -> None:
    from standin.render import load_compiled

    load_compiled()


def _warm_deep() -> None:
    """A point in a volume, held out by itself, cut and thinned."""
    runs = {"Z": [1, 2], "ZBack": [3, 2], "A": [0.5, 0.5], "R": [0.5, 0.5]}
    window = Window(0, 0, 0, 0)
    counts, planes = np.array([[2]], np.int32), {name: np.array(run, np.float32) for name, run in runs.items()}
    samples = samples_of(counts, planes, window=window, display_window=window)
    merged = operations.merged([samples, samples])
    operations.flattened(operations.held_out(merged, samples))
    operations.flattened_among(merged, *[[plane] for plane in (np.full((1, 1), 1.5, np.float32),) * 3])
    operations.rounding_bound(merged, 1e-7)
    operations.thinned(operations.cut(merged, 0, 2.5), tolerance=1, most=1)


# By which file others wait for a part; the renderer has one of its own.
LOCKED = {"rebuild": "combine/machine.py", "finish": "finish/evaluate.py", "deep": "deep/operations.py"}
PARTS = {"rebuild": _warm_rebuild, "finish": _warm_finish, "stand-in": _warm_stand_in, "deep": _warm_deep}


def main(names: Sequence[str]) -> None:
    """Compile the parts that are named, or all side by side."""
    if not names:
        delete_unused()
        # The renderer's take as long as all others together, and its first frames wait for them.
        beside = (["stand-in"], LOCKED)
        for each in [subprocess.Popen([sys.executable, "-m", __spec__.name, *parts]) for parts in beside]:
            each.wait()
    gc.disable()  # compiling makes millions of small things that all live to the end
    for name in names:
        _warm_part(name)


if __name__ == "__main__":
    main(sys.argv[1:])
