"""The rows of a ledger one after another on the pixels that are looked at: what another row, or another source of one
row, would make of the sum, without evaluating the rows above it again, nor those below that only add."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from prism.balance.picked import Picked
from prism.combine.evaluate import apply_steps, start
from prism.combine.program import compile_ledger
from prism.ledger.document import Ledger
from prism.ledger.rows import Row
from prism.ledger.steps import Flat, Step

Running = NDArray[np.float32]  # (4, 1, N)


class ByRows:
    """A ledger on some pixels. What it answers is as exact as float32 sums are that are added in another order."""

    def __init__(self, ledger: Ledger, picked: Picked) -> None:
        self._ledger = ledger
        self._picked = picked
        self._program = compile_ledger(ledger, picked.number)
        self._stands: list[Running] = []  # above each step, as far as they were asked for

    def with_source(self, key: str, frame: Picked) -> Running | None:
        """By how much the sum changes if a source is that of another frame; None if more than one row of the ledger's
        own level takes it, or a row below does more than add."""
        steps = self._program.steps
        places = [place for place, step in enumerate(steps) if key in step.sources]
        if key == self._program.alpha or len(places) != 1:
            return None
        return self._joined(places[0], steps[places[0] : places[0] + 1], 1, frame)

    def with_ledger(self, ledger: Ledger) -> Running | None:
        """By how much the sum changes with a ledger that differs in one row of its own level; None if it differs in
        more, or a row below does more than add."""
        place, mine, theirs = _apart(self._ledger.rows, ledger.rows)
        if max(len(mine), len(theirs)) > 1 or any(row.solo for row in (*self._ledger.walk(), *ledger.walk())):
            return None
        above = {row.id for row in self._ledger.rows[:place]}
        first = sum(step.id in above for step in self._program.steps)
        replaced = sum(step.id == row.id for row in mine for step in self._program.steps)
        own = compile_ledger(ledger.replace(rows=theirs), self._picked.number).steps
        return self._joined(first, own, replaced, self._picked)

    def _joined(self, place: int, steps: Sequence[Step], count: int, frame: Picked) -> Running | None:
        """With other steps in the place of some."""
        if not all(map(_only_adds, self._program.steps[place + count :])):
            return None
        running = self._above(place).copy()
        apply_steps(running, tuple(steps), frame)
        return running - self._above(place + count)

    def _above(self, place: int) -> Running:
        if not self._stands:
            self._stands.append(start(self._program.alpha, self._picked))
        while len(self._stands) <= place:
            running = self._stands[-1].copy()
            at = len(self._stands) - 1
            apply_steps(running, self._program.steps[at : at + 1], self._picked)
            self._stands.append(running)
        return self._stands[place]


def _only_adds(step: Step) -> bool:
    """Whether what a step joins is the same whatever stands above it."""
    covered = isinstance(step.content, Flat) and step.content.where_covered
    return step.operator.key == "add" and not covered


def _apart(ours: Sequence[Row], theirs: Sequence[Row]) -> tuple[int, Sequence[Row], Sequence[Row]]:
    """How many rows two ledgers begin with alike, and what each has of its own before they end alike."""
    head = _alike(ours, theirs)
    tail = _alike(ours[head:][::-1], theirs[head:][::-1])
    return head, ours[head : len(ours) - tail], theirs[head : len(theirs) - tail]


def _alike(ours: Sequence[Row], theirs: Sequence[Row]) -> int:
    """With how many of the same rows both begin."""
    pairs = enumerate(zip(ours, theirs, strict=False))
    differ = (place for place, (one, other) in pairs if one is not other and one != other)
    return next(differ, min(len(ours), len(theirs)))
