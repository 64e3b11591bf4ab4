"""How often values come: of what a row's curves bend, and of what fog is measured by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.combine.evaluate import evaluate
from prism.errors import BadArgument
from prism.ledger.document import Ledger
from prism.ledger.trims import Curves
from prism.mattes.measured import measure
from prism.sources.pixels import Frame

BINS = 96
BRIGHTEST = 4.0  # of light on the axis of a curve; a sun would push all else into its first bin
EMPTY = 1e9  # what measures more is no surface; common practice, no source


@dataclass(frozen=True, slots=True)
class Histogram:
    """Counts in BINS equal bins from low to high, of each channel; the first and the last hold what lies beyond as
    well."""

    low: float
    high: float
    counts: tuple[tuple[int, ...], ...]


def of_row(ledger: Ledger, key: str, frame: Frame, *, step: int = 1) -> Histogram:
    """What the curves of a row get: its colour, divided by alpha, with all trims that come before them. From 0 or below
    to 1 or above.

    Raises BadArgument without such a row, UnknownSource.
    """
    row = ledger.row(key)
    alone = row.replace(
        on=True, solo=False, amount=1.0, matte=None, operator="add", display=False, curves=Curves(), clamp=False
    )
    rgba = evaluate(ledger.replace(rows=(alone,), alpha=None), frame, step=step).rgba
    covered = rgba[3] > 0
    with np.errstate(all="ignore"):
        values = np.where(covered, rgba[:3] / np.where(covered, rgba[3], 1), rgba[:3]).reshape(3, -1)
    seen = _finite(values)
    high = float(np.percentile(seen, 99.9)) if seen.size else 1.0
    low = float(np.percentile(seen, 0.1)) if seen.size else 0.0
    return _counted(values, min(0.0, low), min(max(1.0, high), BRIGHTEST))


def of_measure(ledger: Ledger, key: str, frame: Frame, *, step: int = 1) -> Histogram:
    """What a row measures by, without what is no surface. Raises BadArgument if it measures nothing, UnknownSource."""
    measured = ledger.row(key).measures
    if measured is None:
        raise BadArgument(f"Row {key} measures nothing.", advice="Ask for a row of fog.")
    source, channel = measured
    return _of_surface(frame.pixels(source, step=step).planes[channel].astype(np.float32))


def of_source(frame: Frame, source: str, what: str, space: str, *, step: int = 1) -> Histogram:
    """What a pass measures, for a range. what: as of a part of a matte. Raises UnknownSource."""
    with np.errstate(all="ignore"):
        return _of_surface(measure(what, frame.pixels(source, step=step), space))


def _of_surface(plane: NDArray[np.float32]) -> Histogram:
    values = plane.reshape(1, -1)
    surface = _finite(values)
    surface = surface[np.abs(surface) < EMPTY]
    low, high = (float(v) for v in np.percentile(surface, (0.2, 99.8))) if surface.size else (0.0, 1.0)
    return _counted(values, low, high if high > low else low + 1)


def _finite(values: NDArray) -> NDArray:
    return values[np.isfinite(values)]


def _counted(values: NDArray[np.float32], low: float, high: float) -> Histogram:
    counts = [np.histogram(_finite(channel).clip(low, high), BINS, (low, high))[0] for channel in values]
    return Histogram(low, high, tuple(tuple(int(n) for n in channel) for channel in counts))
