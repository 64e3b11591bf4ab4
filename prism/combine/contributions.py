"""What every row contributes: its running result small, and its share of the picture's light."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import luminance_weights
from prism.combine.evaluate import Stale, apply_rows, keys_of, never, start
from prism.combine.ledger import Ledger
from prism.elements.pixels import Frame


@dataclass(frozen=True, slots=True, eq=False)
class Contribution:
    """running: float32 (4, h, w) after the row. share: change of mean luminance over the final one; may be negative."""

    id: str
    running: NDArray[np.float32]
    share: float


def contributions(
    ledger: Ledger, sources: Frame, *, step: int, space: str = "lin_rec709", is_stale: Stale = never
) -> list[Contribution]:
    """One for each row, from pictures reduced by `step`. A row that is off changes nothing: share 0.

    space: the working colour of the passes, whose weights make luminance of them.
    """
    sources.read(keys_of(ledger), step=step)
    running = start(ledger, sources, step=step)
    light = [_mean_luminance(running, space)]
    pictures = []
    for row in ledger.rows:
        apply_rows(running, [row], sources, step=step, is_stale=is_stale)
        pictures.append(running.copy())
        light.append(_mean_luminance(running, space))
    total = abs(light[-1]) or 1.0
    return [
        Contribution(row.id, picture, (after - before) / total)
        for row, picture, before, after in zip(ledger.rows, pictures, light, light[1:], strict=False)
    ]


def _mean_luminance(rgba: NDArray[np.float32], space: str) -> float:
    finite = np.nan_to_num(rgba[:3], nan=0, posinf=0, neginf=0)
    return float(luminance_weights(space) @ finite.mean(axis=(1, 2), dtype=np.float64))
