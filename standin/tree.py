"""A tree of boxes around shapes, which tells a ray what it may meet.

Every branch holds up to four boxes side by side: a ray is held against all of them at once, and comes by fewer
branches than in a tree of pairs.
Source: Dammertz, Hanika & Keller, "Shallow Bounding Volume Hierarchies", EGSR 2008.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Table = NDArray[np.float64]

WIDE = 4  # boxes in a branch
NOWHERE = (1e30, 1e30, 1e30, -1e30, -1e30, -1e30)  # a box that no ray enters
LOPSIDED = 24  # splits one below the other by surface; below them shapes are halved, which keeps every tree shallow
MOST_WAITING = 256  # branches that wait while a ray goes through any tree of fewer than 2^40 shapes


class Tree(NamedTuple):
    """What the compiled loops read. boxes: (B, 6, WIDE), low x, y, z and high x, y, z of what lies in each place of a
    branch, the root first. inside: (B, WIDE), the branch there, or ~shape, the shape alone."""

    boxes: Table
    inside: NDArray[np.int32]


class Walk(NamedTuple):
    """Scratch for one way through a tree; one per thread."""

    branches: NDArray[np.int32]  # that wait
    entries: Table  # distances at which the ray enters them
    places: Table  # (WIDE,) the same for the places of the branch it is in


def new_walk() -> Walk:
    """Room for the way of a ray through any tree."""
    return Walk(np.zeros(MOST_WAITING, np.int32), np.zeros(MOST_WAITING), np.zeros(WIDE))


@dataclass(frozen=True, slots=True, eq=False)
class _Part:
    """Some shapes, the box around them, and their halves; no halves for a shape alone."""

    members: NDArray[np.intp]
    around: Table
    halves: tuple[_Part, ...]

    @property
    def surface(self) -> float:
        return float(_surfaces(self.around[np.newaxis])[0])


def grow(bounds: Table) -> tuple[Tree, list[int]]:
    """A tree over the boxes (N, 6) of shapes, and the order it puts them in."""
    boxes: list[Table] = []
    inside: list[list[int]] = []
    order: list[int] = []

    def branch(parts: list[_Part]) -> int:
        here = len(boxes)
        boxes.append(np.array([*(part.around for part in parts), *[NOWHERE] * (WIDE - len(parts))]).T)
        inside.append([0] * WIDE)
        for place, part in enumerate(parts):
            if part.halves:
                inside[here][place] = branch(_opened(part))
            else:
                inside[here][place] = ~len(order)
                order.append(int(part.members[0]))
        return here

    branch(_opened(_split(bounds, np.arange(len(bounds)), 0)) if len(bounds) else [])
    return Tree(np.ascontiguousarray(boxes), np.array(inside, np.int32)), order


def _opened(part: _Part) -> list[_Part]:
    """A part as up to WIDE of its parts: the largest is opened again and again."""
    parts = [part]
    while len(parts) < WIDE and (whole := [part for part in parts if part.halves]):
        largest = max(whole, key=lambda part: part.surface)
        place = parts.index(largest)
        parts[place : place + 1] = largest.halves
    return parts


def _split(bounds: Table, members: NDArray[np.intp], depth: int) -> _Part:
    around = np.concatenate([bounds[members, :3].min(axis=0), bounds[members, 3:].max(axis=0)])
    if len(members) == 1:
        return _Part(members, around, ())
    halves = _best_split(bounds, members) if depth < LOPSIDED else np.array_split(members, 2)
    return _Part(members, around, tuple(_split(bounds, half, depth + 1) for half in halves))


def _best_split(bounds: Table, members: NDArray[np.intp]) -> list[NDArray[np.intp]]:
    """Surface area heuristic over all places on all three axes (Goldsmith & Salmon, 1987)."""
    least, best = math.inf, [members[:1], members[1:]]
    counts = np.arange(1, len(members))
    for axis in range(3):
        ranked = members[np.argsort(bounds[members, axis] + bounds[members, axis + 3], kind="stable")]
        costs = _surfaces(_running(bounds[ranked]))[:-1] * counts
        costs += (_surfaces(_running(bounds[ranked[::-1]]))[:-1] * counts)[::-1]
        cut = int(costs.argmin())
        if costs[cut] < least:
            least, best = costs[cut], [ranked[: cut + 1], ranked[cut + 1 :]]
    return best


def _running(bounds: Table) -> Table:
    """(N, 6) boxes around the first 1, 2, ... N of the boxes."""
    return np.hstack([np.minimum.accumulate(bounds[:, :3]), np.maximum.accumulate(bounds[:, 3:])])


def _surfaces(bounds: Table) -> Table:
    """(N,) half the surface of each box."""
    sides = bounds[:, 3:] - bounds[:, :3]
    return (sides * np.roll(sides, 1, axis=1)).sum(axis=1)
