"""Mattes at 1920 x 1080: a name chosen in a Cryptomatte of six levels, and grown and blurred ones by their radius."""

from __future__ import annotations

import itertools

import numpy as np
from scipy import ndimage

from bench.measure import in_turn
from prism.mattes import ranks
from prism.mattes.cryptomatte import name_floats
from prism.mattes.document import MadeMatte
from prism.mattes.morphing import blurred, grown
from prism.mattes.plan import plans
from prism.mattes.planes import matte_plane
from prism.tests.memory import MemoryFrame

HEIGHT, WIDTH = 1080, 1920
THINGS = 400
RADII = (10, 20, 40)


def named_frame() -> MemoryFrame:
    """Six levels in three passes: blocks of many things, each pixel shared by six."""
    ids = name_floats([f"thing_{number}" for number in range(THINGS)])
    rng = np.random.default_rng(1)
    base = np.kron(rng.integers(0, THINGS, (HEIGHT // 40, WIDTH // 40)), np.ones((40, 40), int))
    cover = np.float32([0.5, 0.2, 0.12, 0.1, 0.05, 0.03])
    planes = [(ids[(base + 7 * rank) % THINGS], np.full((HEIGHT, WIDTH), share)) for rank, share in enumerate(cover)]
    sources = {}
    for number, ((a, b), (c, d)) in enumerate(zip(planes[::2], planes[1::2], strict=True)):
        sources[f"ids{number:02}"] = (np.stack([a, b, c]), d)
    return MemoryFrame(sources)


def run() -> None:
    frame = named_frame()
    planes = [
        plane for key in ("ids00", "ids01", "ids02") for plane in (*frame.pixels(key).planes, frame.pixels(key).alpha)
    ]
    part = {"kind": "names", "source": "ids00", "names": [{"id": f"{int(i):08x}"} for i in name_bits_of(5)]}
    plan = plans((MadeMatte.model_validate({"id": "m", "kind": "made", "parts": [part]}),), 1)["m"]
    taken = in_turn({
        "read": lambda: [plane.view(np.uint32).max() for plane in planes],
        "matte at preview": lambda: matte_plane(plan, frame, 2),
        "matte at full size": lambda: matte_plane(plan, frame, 1),
        "list of names": lambda: ranks.shares(frame, "ids00"),
        "pixel": lambda: ranks.at_pixel(frame, "ids00", HEIGHT // 2, WIDTH // 2),
    }, runs=5)  # fmt: skip
    read = taken["read"].median
    for name, timing in taken.items():
        print(
            f"Cryptomatte of 6 levels, {name}: {timing.median * 1000:.0f} ms, {timing.median / read:.2f} of a bare read"
        )
    soft = np.random.default_rng(2).random((HEIGHT, WIDTH)).astype(np.float32)
    works = {f"grown by {r}": (lambda r=r: grown(soft, r)) for r in RADII}
    works |= {f"blurred by {r}": (lambda r=r: blurred(soft, r / 2)) for r in RADII}
    works["SciPy's blur by 20"] = lambda: ndimage.gaussian_filter(soft, 10, mode="nearest")
    times = in_turn(works, runs=3)
    for name, timing in times.items():
        print(f"{name}: {timing.median * 1000:.0f} ms")
    for what in ("grown", "blurred"):
        steps = [times[f"{what} by {b}"].median / times[f"{what} by {a}"].median for a, b in itertools.pairwise(RADII)]
        print(
            f"{what}: twice the radius costs {', '.join(f'{step:.2f}' for step in steps)} times as much (4 "
            "would be its square)"
        )


def name_bits_of(count: int) -> np.ndarray:
    return name_floats([f"thing_{number}" for number in range(count)]).view(np.uint32)
