"""Finishing steps at 1920 x 1080: eight of them together, the wide ones alone, and blurs against SciPy."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy import ndimage

from bench.measure import measure
from prism.finish.context import Context
from prism.finish.document import Finish
from prism.finish.evaluate import finished
from prism.finish.planes import DISPLAY
from prism.finish.steps import active
from prism.pixels.blur import gaussian
from prism.pixels.picture import Picture
from prism.pixels.window import Window
from prism.tests.memory import MemoryFrame

HEIGHT, WIDTH = 1080, 1920
LIGHT = (
    {"kind": "grade", "exposure": 0.3, "slope": [1.1, 1, 0.9], "offset": [0.01, 0, 0], "saturation": 1.1},
    {"kind": "glow", "threshold": 0.8, "size": 60},
    {"kind": "vignette"},
    {"kind": "fringe"},
)
ON_DISPLAY = (
    {"kind": "balance", "shadows": [0.02, 0, -0.02]},
    {"kind": "vibrance"},
    {"kind": "sharpen", "radius": 0.8},
    {"kind": "grain"},
)
WIDE = (
    ({"kind": "glow", "size": 200}, "glow of 200 px"),
    ({"kind": "rays", "length": 500, "x": 200, "y": -150}, "rays of 500 px"),
    ({"kind": "defocus", "depth": "depth", "opening": 30, "largest": 30, "focus": 8}, "defocus of 30 px"),
)
EIGHT_AIM, WIDE_AIM, BLUR_AIM = 400, 250, 5


def _quickest(work: Callable[[], object]) -> float:
    """Milliseconds, of the best turn."""
    return measure(work).best * 1000


def run() -> None:
    height, width = HEIGHT, WIDTH
    rng = np.random.default_rng(1)
    rgba = (rng.random((4, height, width), np.float32) ** 3) * 2
    rgba[3] = 1
    depth = np.broadcast_to(np.linspace(60, 2, height, dtype=np.float32)[:, None], (height, width)).copy()
    depth[height // 4 : height // 2, width // 3 : width // 2] = 3
    frame = MemoryFrame({"depth": (np.stack([depth] * 3), None)})

    def steps(*given: dict, space: str) -> Callable[[], object]:
        window = Window.of_size(width, height)
        picture = Picture(rgba=rgba, window=window, display_window=window, space=space)
        document = Finish.from_json({"steps": [{"id": str(n), **step} for n, step in enumerate(given)]})
        ready = active(document.steps, 1)
        return lambda: finished(picture, ready, Context(1, frame))

    eight = _quickest(steps(*LIGHT, space="lin_rec709")) + _quickest(steps(*ON_DISPLAY, space=DISPLAY))
    print(f"eight steps: {eight:.0f} ms (aim: {EIGHT_AIM})")
    for step, name in WIDE:
        print(f"{name}: {_quickest(steps(step, space='lin_rec709')):.0f} ms (aim: {WIDE_AIM})")
    costs = [_quickest(lambda size=size: gaussian(rgba[0], size)) for size in (10, 20, 40, 80)]
    print(f"blurs of deviation 10, 20, 40 and 80: {', '.join(f'{cost / costs[0]:.2f}' for cost in costs)} of the first")
    for deviation in (0.8, 2, 8):
        ours = _quickest(lambda deviation=deviation: gaussian(rgba[0], deviation, edge="reflect"))
        theirs = _quickest(lambda deviation=deviation: ndimage.gaussian_filter(rgba[0], deviation, mode="reflect"))
        print(f"blur of deviation {deviation}: {theirs / ours:.1f} times as fast as SciPy (aim: {BLUR_AIM})")
    ours = _quickest(steps({"kind": "sharpen", "on": "colour", "radius": 0.8, "amount": 1}, space=DISPLAY))
    theirs = _quickest(lambda: [2 * plane - ndimage.gaussian_filter(plane, 0.8, mode="reflect") for plane in rgba[:3]])
    print(f"sharpening three channels: {theirs / ours:.1f} times as fast as SciPy and NumPy (aim: {BLUR_AIM})")
