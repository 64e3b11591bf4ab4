"""Timing by the best and the middle of several runs, after one that does not count."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Timing:
    best: float  # seconds
    median: float


def measure(work: Callable[[], object], *, runs: int = 9) -> Timing:
    work()
    seconds = []
    for _ in range(runs):
        begun = time.perf_counter()
        work()
        seconds.append(time.perf_counter() - begun)
    return Timing(min(seconds), statistics.median(seconds))


def in_turn(works: dict[str, Callable[[], object]], *, runs: int = 9) -> dict[str, Timing]:
    """Several works one after another in every round, so that a busy moment of the machine falls on all alike."""
    for work in works.values():
        work()
    seconds: dict[str, list[float]] = {name: [] for name in works}
    for _ in range(runs):
        for name, work in works.items():
            begun = time.perf_counter()
            work()
            seconds[name].append(time.perf_counter() - begun)
    return {name: Timing(min(taken), statistics.median(taken)) for name, taken in seconds.items()}
