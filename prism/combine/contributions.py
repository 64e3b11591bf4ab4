"""What every row contributes: its running result small, and its share of the picture's light."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import luminance_weights
from prism.combine.evaluate import apply_steps, require_sources, start
from prism.combine.program import compile_ledger
from prism.ledger.document import Ledger
from prism.ledger.rows import Row
from prism.ledger.steps import Step
from prism.limits import Stale, never
from prism.sources.pixels import Frame


@dataclass(frozen=True, slots=True, eq=False)
class Contribution:
    """running: float32 (4, h, w) after the row. share: change of mean luminance over the final one; may be negative."""

    id: str
    running: NDArray[np.float32]
    share: float


def contributions(ledger: Ledger, sources: Frame, *, step: int, is_stale: Stale = never) -> list[Contribution]:
    """One for each row, a group before what is in it, from pictures reduced by `step`. A row that is off changes
    nothing: share 0."""
    program = compile_ledger(ledger, sources.number)
    require_sources(program, sources)
    sources.read(program.sources, step=step)
    running = start(program.alpha, sources, step=step)
    found = list(_followed(ledger.rows, program.steps, running, sources, step, is_stale))
    lights = [
        (_mean_luminance(before, ledger.space), _mean_luminance(after, ledger.space)) for _, before, after in found
    ]
    total = abs(_mean_luminance(running, ledger.space)) or 1.0
    return [
        Contribution(row.id, after, (light - dark) / total)
        for (row, _, after), (dark, light) in zip(found, lights, strict=True)
    ]


def _followed(
    rows: tuple[Row, ...], steps: tuple[Step, ...], running: NDArray, sources: Frame, step: int, is_stale: Stale
) -> Iterator[tuple[Row, NDArray, NDArray]]:
    """Every row with the running result before and after it; of rows in a group, the group's own, from where that
    begins."""
    by_id = {each.id: each for each in steps}
    for row in rows:
        own = by_id.get(row.id)
        before = running.copy()
        if own is not None:
            apply_steps(running, (own,), sources, step=step, is_stale=is_stale)
        yield row, before, running.copy()
        if row.holds_rows:
            inner = own.inner if own is not None else ()
            begun = start(row.source_taken if inner else None, sources, step=step)
            yield from _followed(row.inner, inner, begun, sources, step, is_stale)


def _mean_luminance(rgba: NDArray[np.float32], space: str) -> float:
    finite = np.nan_to_num(rgba[:3], nan=0, posinf=0, neginf=0)
    return float(luminance_weights(space) @ finite.mean(axis=(1, 2), dtype=np.float64))
