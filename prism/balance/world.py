"""A ledger on the pixels that are looked at, and what a changed source would make of the gap.

Most rows take the colour of their source in proportion: what a change of it does follows from the change itself,
without evaluating the ledger again. Where a source is not taken in proportion (blend modes made for display values, for
one) the ledger is evaluated.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.balance.by_rows import ByRows
from prism.balance.picked import Change, Picked, mapped
from prism.combine.evaluate import evaluate
from prism.ledger.document import Ledger
from prism.sources.pixels import Frame, Pixels, Source

NEAR_WHOLE = 1e-3  # by which a slope may differ from a whole number that it is
NO_SLOPE = 1e-6  # below which the picture does not follow a source


@dataclass(frozen=True, slots=True, eq=False)
class Residue:
    """What is wrong, on picked pixels. bound: of rounding, (4, 1, N). wrong: (1, N). channels: how many of them count.
    count, strange: pixels that are wrong in all, and of these no numbers. places: number of each pixel picked, the
    wrong ones first."""

    bound: NDArray[np.float32]
    wrong: NDArray[np.bool_]
    channels: int
    count: int
    strange: int
    places: NDArray[np.int64]

    @classmethod
    def everywhere(cls, bound: NDArray[np.float32], places: NDArray[np.int64]) -> Residue:
        """The residue of all pixels of a box, in colour, whichever are wrong."""
        count = len(places)
        return cls(bound, np.ones((1, count), bool), 3, count, 0, places)

    def beyond(self, gap: NDArray[np.float32], slack: NDArray | float = 0.0) -> NDArray[np.float32]:
        """Light beyond rounding, (C, 1, N); what is not finite is left to another cause."""
        with np.errstate(invalid="ignore", over="ignore"):
            apart = np.abs(gap)[: self.channels]
            return np.where((apart > (self.bound + slack)[: self.channels]) & (apart < np.inf), apart, 0)


def finite(values: NDArray) -> NDArray:
    """What is no number, or infinite, counts as nothing."""
    return np.where(np.isfinite(values), values, values.dtype.type(0))


def gap_of(ledger: Ledger, frame: Frame) -> NDArray[np.float32]:
    """Rendered less rebuilt, (4, H, W)."""
    with np.errstate(invalid="ignore", over="ignore"):
        return evaluate(ledger.rendered, frame).rgba - evaluate(ledger, frame).rgba


@dataclass(frozen=True, slots=True)
class _Lift:
    """More light by so much."""

    by: int

    def __call__(self, light: NDArray[np.float32]) -> NDArray[np.float32]:
        return light + np.float32(self.by)


class World:
    """A ledger and the pixels that are looked at. gap: what the sum lacks, (4, 1, N). before: of it, light beyond
    rounding."""

    def __init__(self, ledger: Ledger, picked: Picked, residue: Residue) -> None:
        self.ledger = ledger
        self.picked = picked
        self.residue = residue
        self._reference = set(ledger.rendered.sources)
        with np.errstate(invalid="ignore", over="ignore"):
            self.rendered = evaluate(ledger.rendered, picked).rgba
        self.gap = self.gap_in(ledger)
        self.before = residue.beyond(self.gap)
        self._before = float(self.before.sum(dtype=np.float64))
        self._rows = ByRows(ledger, picked)
        self._slopes: dict[str, NDArray[np.float32] | None] = {}
        self._stored: dict[str, NDArray[np.float32]] = {}
        self._wanted: dict[str, NDArray[np.float32]] = {}

    def gap_in(self, ledger: Ledger) -> NDArray[np.float32]:
        """The gap of a ledger with other rows and the same reference, (4, 1, N). Raises PrismError."""
        with np.errstate(invalid="ignore", over="ignore"):
            return self.rendered - evaluate(ledger, self.picked).rgba

    def gap_by_rows(self, ledger: Ledger) -> NDArray[np.float32]:
        """The same as `gap_in` but for rounding, by difference where one row was changed. Raises PrismError."""
        with np.errstate(invalid="ignore", over="ignore"):
            change = self._rows.with_ledger(ledger)
            return self.gap_in(ledger) if change is None else self.gap - change

    def with_ledger(self, ledger: Ledger, picked: Picked, key: str) -> World:
        """The same with one row or source changed: what is known of how the others are taken stays, where rows only
        add."""
        other = World(ledger, picked, self.residue)
        if all(row.operator == "add" for row in (*self.ledger.walk(), *ledger.walk())):
            sources = {row.source for row in (*self.ledger.passes, *ledger.passes) if key in (row.id, row.source)}
            other._slopes = {name: slope for name, slope in self._slopes.items() if name not in sources}
        return other

    def elsewhere(self, picked: Picked, bound: NDArray[np.float32], places: NDArray[np.int64]) -> World:
        """The same ledger on all pixels of a box; sources that are taken alike everywhere are taken so there."""
        other = World(self.ledger, picked, Residue.everywhere(bound, places))
        for key, _ in self.sources():
            slope = self.slope(key)
            if slope is not None and slope.size and slope.min() == slope.max():
                other._slopes[key] = np.full((3, 1, len(places)), slope.flat[0])
        return other

    def sources(self) -> list[tuple[str, Source]]:
        """The sources of rows, then what they should land on."""
        keys = dict.fromkeys((*(row.source for row in self.ledger.passes), *self.ledger.rendered.sources))
        return [(key, self.picked.source(key)) for key in keys]

    def stored(self, key: str) -> NDArray[np.float32]:
        """The colour of a source, (3, 1, N)."""
        if key not in self._stored:
            self._stored[key] = np.stack(self.picked.pixels(key).planes).astype(np.float32)
        return self._stored[key]

    def slope(self, key: str) -> NDArray[np.float32] | None:
        """How the gap follows a source, (3, 1, N), 0 where it does not; None if not in proportion."""
        if key not in self._slopes:
            with np.errstate(all="ignore"):
                once, twice = ((self._changed(key, mapped(_Lift(by))) - self.gap)[:3] for by in (1, 2))
                whole = np.round(once)
                slope = np.where(np.abs(once - whole) < NEAR_WHOLE, whole, once).astype(np.float32)
                in_proportion = np.abs(twice - 2 * once) <= 4 * NEAR_WHOLE * np.maximum(1, np.abs(once))
            known = np.isfinite(slope)
            self._slopes[key] = np.where(known, slope, 0) if in_proportion[known].all() else None
        return self._slopes[key]

    def gap_with(self, key: str, change: Change) -> NDArray[np.float32]:
        """The gap were a source changed so, (4, 1, N)."""
        slope = self.slope(key)
        if slope is None:
            return self._changed(key, change)
        gap = self.gap.copy()
        with np.errstate(invalid="ignore", over="ignore"):
            gap[:3] += slope * (changed(self.picked.pixels(key), change) - self.stored(key))
        return gap

    def evaluated(self, key: str, change: Change) -> NDArray[np.float32]:
        """The gap were a source changed, by evaluating what asks for it."""
        frame = self.picked.with_change(key, change)
        if key in self._reference:
            return gap_of(self.ledger, frame)
        with np.errstate(invalid="ignore", over="ignore"):
            return self.rendered - evaluate(self.ledger, frame).rgba

    def _changed(self, key: str, change: Change) -> NDArray[np.float32]:
        """The same as `evaluated` but for rounding, by difference where one row takes the source."""
        frame = self.picked.with_change(key, change)
        with np.errstate(invalid="ignore", over="ignore"):
            by_rows = None if key in self._reference else self._rows.with_source(key, frame)
        return self.evaluated(key, change) if by_rows is None else self.gap - by_rows

    def light_wanted(self, key: str) -> NDArray[np.float32]:
        """What a source would have to be for the sum to land, were it the only wrong one, (3, 1, N); NaN where the sum
        does not follow it."""
        if key not in self._wanted:
            stored, slope = self.stored(key), self.slope(key)
            with np.errstate(all="ignore"):
                followed = slope is not None and np.abs(slope) > NO_SLOPE
                light = stored - self.gap[:3] / slope if slope is not None else stored
            self._wanted[key] = np.where(followed, light, np.float32(np.nan))
        return self._wanted[key]

    def noise(self, key: str) -> NDArray[np.float32]:
        """How far rounding may take that, (3, 1, N)."""
        slope = self.slope(key)
        with np.errstate(all="ignore"):
            steep = np.maximum(np.abs(slope), np.float32(NO_SLOPE)) if slope is not None else np.float32(1)
            return self.residue.bound[:3] / steep

    def share(self, gap: NDArray, *, judged: NDArray | None = None, slack: NDArray | float = 0.0) -> float:
        """The share of the light that is off which is gone with another gap, 0..1. judged: pixels it can be judged on,
        (1, N), all if None; 0 if those hold too little of what is off."""
        within = ... if judged is None else np.broadcast_to(judged, self.before.shape)
        before = float(self.before[within].sum(dtype=np.float64))
        if before <= 0 or before < self._before / 4:
            return 0.0
        after = self.residue.beyond(gap, slack)[within]
        share = max(0.0, 1 - float(after.sum(dtype=np.float64)) / before)
        # A cause puts pixels right; one that leaves many a little wrong is not the whole of it.
        many = (after > 0).sum() > max(4, (self.before[within] > 0).sum() / 4)
        return min(0.9, share) if many else share


def changed(pixels: Pixels, change: Change) -> NDArray[np.float32]:
    """The colour of a source once changed, (3, H, W)."""
    return np.stack(change(pixels).planes).astype(np.float32, copy=False)
