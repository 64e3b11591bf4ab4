"""Prepared light, compiled: bounced light known at points of the scene, read between them instead of followed anew.

Each point holds the indirect light that arrives there, averaged by cosine over the hemisphere, for every light group. A
place reads the points nearest to it on surfaces that face the same way; how much each counts falls to nothing at the
farthest, so that nothing jumps where the nearest change. Sources: Ward, Rubinstein & Clear, "A Ray Tracing Solution for
Diffuse Interreflection", SIGGRAPH 1988, for the idea and for which points may serve; the weights are our own.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from prism.compiled import compiled
from standin.accumulation import DIFFUSE, add_light
from standin.vectors import dot, mul, row, sub

NEIGHBOURS = 6
FACING = 0.7  # least cosine between two normals that read from each other
REACH = 3.0  # spacings to the nearest point beyond which a place is not served
BESIDE = 0.6  # spacings a point may lie before or behind the surface of the place
INDIRECT = DIFFUSE + 1
CLOSE = 0.4  # spacings within which what was read for one sample of a pixel holds for the next
ALIKE = 0.98  # least cosine between their normals
KNOWN, NEARBY, PLACE, NORMAL, LIGHT = 0, 1, 2, 5, 8  # columns of the memory


class Points(NamedTuple):
    """A balanced tree of points: the middle of every range parts it along an axis."""

    places: NDArray[np.float64]  # (N, 3)
    normals: NDArray[np.float64]  # (N, 3)
    spacing: NDArray[np.float64]  # (N,) to their neighbours, about
    light: NDArray[np.float64]  # (N, groups, 3)
    axes: NDArray[np.int8]  # (N,)


class Prepared(NamedTuple):
    """Points of the prepared frames before and after, and how far on the way between them a frame is."""

    on: int
    before: Points
    after: Points
    share: float
    found: NDArray[np.int32]  # scratch: the nearest points
    gaps: NDArray[np.float64]  # scratch: their squared distances, then weights
    stack: NDArray[np.int32]  # scratch: ranges of the tree
    memory: NDArray[np.float64]  # (2, LIGHT + 3 groups) scratch: what was read last of either, in this pixel


def no_points(groups: int) -> Points:
    """An empty set, with the types the compiler expects."""
    return Points(
        np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0), np.zeros((0, groups, 3)), np.zeros(0, np.int8)
    )  # fmt: skip


def prepared_of(before: Points, after: Points, share: float, *, on: bool = True) -> Prepared:
    """With scratch space of its own: one for each thread."""
    return Prepared(
        int(on),
        before,
        after,
        share,
        np.zeros(NEIGHBOURS, np.int32),
        np.zeros(NEIGHBOURS),
        np.zeros(128, np.int32),
        np.zeros((2, LIGHT + 3 * before.light.shape[1])),
    )


def not_prepared(groups: int) -> Prepared:
    """For frames whose light is all traced."""
    return prepared_of(no_points(groups), no_points(groups), 0.0, on=False)


def tree_of(places: NDArray, normals: NDArray, spacing: NDArray, light: NDArray) -> Points:
    """Put points (N, 3) in the order of a balanced tree, each range parted along its widest axis."""
    order, axes = np.arange(len(places)), np.zeros(len(places), np.int8)
    ranges = [(0, len(places))]
    while ranges:
        low, high = ranges.pop()
        if high - low < 2:
            continue
        inside = places[order[low:high]]
        axis = int(np.argmax(inside.max(axis=0) - inside.min(axis=0)))
        middle = (low + high) // 2
        order[low:high] = order[low:high][np.argpartition(inside[:, axis], middle - low)]
        axes[middle] = axis
        ranges += [(low, middle), (middle + 1, high)]
    ordered = (np.ascontiguousarray(array[order], np.float64) for array in (places, normals, spacing, light))
    return Points._make((*ordered, axes))


@compiled
def nearest_points(points, place, found, gaps, stack):
    """The NEIGHBOURS points nearest to a place, in any order, with their squared distances. Returns how many."""
    count = 0
    worst = 0  # place of the farthest of those found
    stack[0] = 0
    stack[1] = points.places.shape[0]
    top = 2
    while top > 0:
        top -= 2
        low = stack[top]
        high = stack[top + 1]
        if low >= high:
            continue
        middle = (low + high) // 2
        away = sub(place, row(points.places, middle))
        gap = dot(away, away)
        if count < NEIGHBOURS:
            found[count] = middle
            gaps[count] = gap
            if gap > gaps[worst]:
                worst = count
            count += 1
        elif gap < gaps[worst]:
            found[worst] = middle
            gaps[worst] = gap
            for k in range(NEIGHBOURS):
                if gaps[k] > gaps[worst]:
                    worst = k
        if high - low == 1:
            continue
        axis = points.axes[middle]
        across = place[0] - points.places[middle, 0]
        if axis == 1:
            across = place[1] - points.places[middle, 1]
        elif axis == 2:
            across = place[2] - points.places[middle, 2]
        # The nearer side goes on top; the farther only if it can hold something nearer than what was found.
        if across < 0.0:
            if count < NEIGHBOURS or across * across < gaps[worst]:
                stack[top] = middle + 1
                stack[top + 1] = high
                top += 2
            stack[top] = low
            stack[top + 1] = middle
        else:
            if count < NEIGHBOURS or across * across < gaps[worst]:
                stack[top] = low
                stack[top + 1] = middle
                top += 2
            stack[top] = middle + 1
            stack[top + 1] = high
        top += 2
    return count


@compiled
def weigh(points, place, normal, found, gaps, count):
    """Turn squared distances into weights that sum to 1. Returns whether the points may serve the place at all."""
    least = 0
    most = 0
    for k in range(count):
        if gaps[k] < gaps[least]:
            least = k
        if gaps[k] > gaps[most]:
            most = k
    if count < 2 or gaps[least] > (REACH * points.spacing[found[least]]) ** 2:
        return False
    far = max(1e-30, math.sqrt(gaps[most]))  # not 0, where all lie on one spot
    total = 0.0
    for k in range(count):
        facing = dot(normal, row(points.normals, found[k]))
        aside = abs(dot(sub(place, row(points.places, found[k])), normal))
        weight = 0.0
        if facing > FACING and aside < BESIDE * points.spacing[found[k]]:
            weight = (1.0 - math.sqrt(gaps[k]) / far) ** 2 * (facing - FACING)
        gaps[k] = weight
        total += weight
    if total < 1e-6:
        return False
    for k in range(count):
        gaps[k] /= total
    return True


@compiled
def recalls(memory, place, normal):
    """Whether what was read last in this pixel holds here too: close by, on a surface that faces the same way."""
    if memory[KNOWN] == 0.0:
        return False
    aside = sub(place, (memory[PLACE], memory[PLACE + 1], memory[PLACE + 2]))
    facing = dot(normal, (memory[NORMAL], memory[NORMAL + 1], memory[NORMAL + 2]))
    return dot(aside, aside) < memory[NEARBY] and facing > ALIKE


@compiled
def read_points(settings, prepared, points, memory, place, normal):
    """Read the light near a place into memory; False if none of the points may serve it."""
    count = nearest_points(points, place, prepared.found, prepared.gaps, prepared.stack)
    if not weigh(points, place, normal, prepared.found, prepared.gaps, count):
        return False
    least = points.spacing[prepared.found[0]]
    for k in range(1, count):
        least = min(least, points.spacing[prepared.found[k]])
    memory[KNOWN] = 1.0
    memory[NEARBY] = (CLOSE * least) ** 2
    for c in range(3):
        memory[PLACE + c] = place[c]
        memory[NORMAL + c] = normal[c]
    for group in range(settings.groups):
        for c in range(3):
            total = 0.0
            for k in range(count):
                total += prepared.gaps[k] * points.light[prepared.found[k], group, c]
            memory[LIGHT + 3 * group + c] = total
    return True


@compiled
def book_points(settings, prepared, points, memory, account, place, normal, throughput):
    """Add the light of the points near a place; False, with nothing added, if none of them may serve it."""
    if not recalls(memory, place, normal) and not read_points(settings, prepared, points, memory, place, normal):
        return False
    for group in range(settings.groups):
        at = LIGHT + 3 * group
        value = mul(throughput, (memory[at], memory[at + 1], memory[at + 2]))
        add_light(account, settings.groups, INDIRECT, group, value)
    return True


@compiled
def gather_prepared(settings, prepared, account, place, normal, throughput, choice):
    """Add the bounced light that is known at a place; False, with nothing added, if no points may serve it.

    choice: random number in 0..1. By it one of the two frames about is read, the nearer one more often, so that over
    the samples of a pixel they blend as the camera goes on; the other where that has no points.
    """
    sets = (prepared.before, prepared.after)
    first = 1 if choice < prepared.share else 0
    for which in (first, 1 - first):
        points = sets[which]
        memory = prepared.memory[which]
        if book_points(settings, prepared, points, memory, account, place, normal, throughput):
            return True
    return False


@compiled
def forget(prepared):
    """Begin a new pixel: what was read for the last one is not recalled."""
    prepared.memory[0, KNOWN] = 0.0
    prepared.memory[1, KNOWN] = 0.0
