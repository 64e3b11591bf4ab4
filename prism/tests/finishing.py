"""Pictures, frames and steps that the tests of the finish run on."""

import math
from dataclasses import replace
from types import MappingProxyType

import numpy as np
from scipy import ndimage

from prism.finish.context import Context
from prism.finish.document import Finish
from prism.finish.evaluate import finished
from prism.finish.planes import DISPLAY
from prism.finish.steps import KINDS, STEPS, active
from prism.mattes.plan import plans
from prism.pixels.picture import Picture
from prism.pixels.window import Window
from prism.tests.memory import MemoryFrame

FRAME = 1012
HALF = {"id": "half", "kind": "made", "parts": [{"kind": "shape", "form": "rectangle", "x": 9, "y": 12, "width": 16,
                                                  "height": 30, "soft": 6}]}  # fmt: skip
EMPTY = {"id": "empty", "kind": "made", "parts": []}
SPOT = {"id": "spot", "kind": "made", "parts": [{"kind": "shape", "form": "ellipse", "x": 30, "y": 10, "width": 6,
                                                  "height": 8}]}  # fmt: skip
MIDDLE = {"id": "middle", "kind": "made", "parts": [{"kind": "shape", "form": "rectangle", "x": 85, "y": 80,
                                                    "width": 15, "height": 30, "soft": 6}]}  # fmt: skip
MATTES = [HALF, EMPTY, SPOT, MIDDLE]
NEEDED = MappingProxyType({"defocus": {"depth": "depth"}, "smear": {"motion": "motion"}})
# Of every kind a step that changes the picture, with numbers of its own.
STRONG = {
    "grade": {"exposure": 0.4, "warmth": 20, "green": 0.1, "slope": [1.2, 1, 0.9], "offset": [0.02, 0, -0.05],
              "power": [1.1, 1, 0.9], "saturation": 0.8},
    "glow": {"threshold": 0.4, "size": 9, "widths": 2, "tint": [1, 0.8, 0.5]},
    "rays": {"threshold": 0.5, "length": 9, "falloff": 1.5, "x": 3.5, "y": -4},
    "flare": {"size": 30, "x": 5, "y": 2, "turn": 20, "seed": 3, "hidden_by": "half", "light_size": 9},
    "defocus": {"focus": 4, "opening": 7, "largest": 9},
    "smear": {"shutter": 0.8},
    "vignette": {"form": "drawn", "x": 4, "y": -2, "level": 0.2},
    "fringe": {"red": 1.4, "blue": -0.8},
    "levels": {"black": 0.1, "white": 0.8, "gamma": 1.3, "out_black": 0.05, "out_white": 0.9},
    "curves": {"all": {"points": [[0, 0.05], [0.5, 0.6], [1, 0.95]]}, "red": {"points": [[0, 0], [1, 0.8]]},
               "luminance": {"points": [[0, 0], [0.3, 0.2], [1, 1]]}},
    "balance": {"shadows": [0.1, 0, -0.1], "mids": [0, 0.05, 0], "highlights": [-0.1, 0, 0.1]},
    "vibrance": {"vibrance": 0.7},
    "film": {"look": "evening"},
    "sharpen": {"amount": 1.7, "radius": 1.3, "threshold": 0.01},
    "grain": {"amount": 0.2, "size": 1.8, "seed": 4},
}  # fmt: skip


def picture(rgba, **facts):
    height, width = rgba.shape[1:]
    window = Window.of_size(width, height)
    return Picture(rgba=np.float32(rgba), window=window, display_window=window, **facts)


def light(seed=1, shape=(27, 38), *, alpha=True):
    """Premultiplied, most of it below 1 and some far above, some transparent, some glowing without coverage."""
    rng = np.random.default_rng(seed)
    rgba = np.empty((4, *shape), np.float32)
    rgba[3] = np.where(rng.random(shape) < 0.2, 0, np.where(rng.random(shape) < 0.5, 1, rng.random(shape)))
    if not alpha:
        rgba[3] = 1
    rgba[:3] = rng.lognormal(-1.2, 1.1, (3, *shape)) * np.maximum(rgba[3], 0.1)
    return rgba


def display(seed=1, shape=(27, 38)):
    rng = np.random.default_rng(seed)
    return np.concatenate([rng.random((3, *shape)), np.ones((1, *shape))]).astype(np.float32)


def frame_for(shape=(27, 38), seed=2):
    rng = np.random.default_rng(seed)
    depth = ndimage.gaussian_filter(rng.uniform(1, 30, shape), 3)
    motion = np.stack([rng.uniform(-5, 5, shape), rng.uniform(-3, 3, shape), np.zeros(shape)])
    motion[:, :5] = 0
    sources = {"depth": (np.float32([depth] * 3), None), "motion": (np.float32(motion), None)}
    return MemoryFrame(sources, FRAME)


def steps_of(*given):
    named = [{"id": f"{number}", **NEEDED.get(step["kind"], {}), **step} for number, step in enumerate(given)]
    return Finish.from_json({"mattes": MATTES, "steps": named})


def context_for(frame):
    mattes = Finish.from_json({"mattes": MATTES}).mattes
    return Context(FRAME, frame, plans(mattes, FRAME))


def run(rgba, *given, frame=None, number=FRAME, space="lin_rec709", step=1, whole=None):
    """The picture after steps. whole: the frame that a smaller picture is of."""
    frame = frame or frame_for(rgba.shape[1:])
    made = picture(rgba, space=space) if whole is None else replace(whole, rgba=rgba, space=space, step=step)
    context = replace(context_for(frame), number=number)
    return finished(made, active(steps_of(*given).steps, number), context).rgba


def domain_of(kind):
    return STEPS[KINDS.index(kind)].domains[0]


def suited(kind, **more):
    """Values and space that a step of a kind works on."""
    return (light(**more), "lin_rec709") if domain_of(kind) == "light" else (display(), DISPLAY)


def disc_of(radius, blades, turn, side, fine=20):
    """(side, side): how far a disc about the middle covers every pixel; its first corner at `turn`, clockwise."""
    along = (np.arange(side * fine) + 0.5) / fine - side / 2
    x, y = np.meshgrid(along, along)
    inside = x**2 + y**2 <= radius**2
    if blades:
        corner = radius * math.sqrt(2 * math.pi / (blades * math.sin(2 * math.pi / blades)))
        inside = np.ones_like(x, bool)
        for blade in range(blades):
            normal = math.radians(turn) + (blade + 0.5) * 2 * math.pi / blades
            inside &= x * math.cos(normal) + y * math.sin(normal) <= corner * math.cos(math.pi / blades)
    covered = inside.reshape(side, fine, side, fine).mean((1, 3))
    return covered / covered.sum()
