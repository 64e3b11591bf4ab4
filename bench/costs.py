"""What pictures of heavy ledgers at 1920 x 1080 take, beside what `prism.combine.costs` says before."""

from __future__ import annotations

import time

import numpy as np

from prism.combine.costs import seconds_of
from prism.combine.evaluate import evaluate
from prism.ledger.document import Ledger
from prism.tests.memory import MemoryFrame

HEIGHT, WIDTH = 1080, 1920
CURVE = {"all": {"points": [[0, 0], [0.5, 0.6], [1, 1]]}}
TRIMS = {"contrast": 1.1, "gamma": 1.1, "saturation": 0.9, "offset": [0.1, 0, 0], "curves": CURVE}


def with_matte(parts: list[dict]) -> Ledger:
    """A row through a matte of these parts."""
    matte = {"id": "m", "kind": "made", "parts": parts}
    return Ledger(alpha=None, mattes=(matte,), rows=({"id": "a", "source": "p0", "matte": "m"},))


def ledgers(rng: np.random.Generator) -> dict[str, Ledger]:
    """By name; each repeats what costs something."""

    def places(count: int) -> list[tuple[float, float]]:
        return [(float(rng.uniform(0, WIDTH)), float(rng.uniform(0, HEIGHT))) for _ in range(count)]

    ranges = [{"kind": "range", "source": "p1", "high": 0.1 + number / 100, "soft_high": 0.1} for number in range(10)]
    corners = [{"x": x, "y": y} for x, y in places(100)]
    return {
        "ranges": with_matte(ranges),
        "narrow blurs": with_matte([part | {"blur": 8} for part in ranges]),
        "wide blurs": with_matte([part | {"blur": 200} for part in ranges]),
        "grown by 20": with_matte([part | {"grow": 20} for part in ranges[:3]]),
        "grown by 200": with_matte([part | {"grow": 200} for part in ranges[:5]]),
        "hard polygon": with_matte([{"kind": "shape", "form": "polygon", "corners": corners}]),
        "soft polygon": with_matte(
            [{"kind": "shape", "form": "polygon", "corners": [corner | {"soft": 5} for corner in corners]}]
        ),
        "strokes": with_matte(
            [{"kind": "strokes", "strokes": [{"points": places(50), "size": 40} for _ in range(10)]}]
        ),
        "a wide stroke": with_matte([{"kind": "strokes", "strokes": [{"points": places(50), "size": 2000}]}]),
        "trims": Ledger(alpha=None, rows=tuple({"id": f"r{n}", "source": f"p{n % 4}"} | TRIMS for n in range(20))),
    }


def run() -> None:
    rng = np.random.default_rng(0)
    sources = {f"p{n}": (rng.lognormal(-2, 1, (3, HEIGHT, WIDTH)).astype(np.float16), None) for n in range(4)}
    for name, ledger in ledgers(rng).items():
        for step in (1, 4):
            frame = MemoryFrame(sources)
            evaluate(Ledger(alpha=None, rows=tuple({"id": key, "source": key} for key in sources)), frame, step=step)
            begun = time.perf_counter()
            evaluate(ledger, frame, step=step)
            took = time.perf_counter() - begun
            said = seconds_of(ledger, (HEIGHT, WIDTH), step=step)
            print(f"costs, {name}, 1/{step}: took {took:.2f} s, {said / took:.2f} of it said before")
