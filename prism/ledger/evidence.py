"""What the pixels of a pass say of how it joins: passes on black add, passes on white multiply, a base colour covers.

Common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from prism.sources.pixels import Frame

MANY = 0.25  # share of the pixels that make a ground
AT_LEAST = 0.9  # share of the rest that must lie on the right side of it
STEP = 4


@dataclass(frozen=True, slots=True)
class Evidence:
    """operator: how it may join. text: why, with what was counted."""

    operator: str
    text: str


def lies_on(frame: Frame, key: str) -> Evidence:
    """Look at a pass reduced four times. Raises UnknownSource."""
    planes = np.stack(frame.pixels(key, step=STEP).planes).astype(np.float32)
    light = np.nan_to_num(planes, nan=0, posinf=0, neginf=0)
    black = float((light < 1e-4).all(axis=0).mean())
    white = float((np.abs(light - 1) < 5e-3).all(axis=0).mean())
    below = float((light <= 1.005).all(axis=0).mean())
    if white >= MANY and white > black and below >= AT_LEAST:
        return Evidence("multiply", f"It is on white ({white:.0%} of the pixels) and darkens, so it multiplies.")
    if black >= MANY:
        return Evidence("add", f"It is on black ({black:.0%} of the pixels), so it adds.")
    if below == 1.0 and light.min() >= 0:
        return Evidence(
            "over", "It stands on neither black nor white and stays within 0..1, as a base colour does: it covers."
        )
    return Evidence("add", "It has no ground of black or white, and light above 1, so it adds.")
