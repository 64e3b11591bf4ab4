"""The loops of trims and weights, one plane (N,) float32 at a time, in place.

covered: alpha of the source; where it is not above 0 there is no whole colour to work on, unless `whole` says that all of it is.
"""

from __future__ import annotations

import numpy as np

from prism.compiled import compiled

ZERO, ONE = np.float32(0), np.float32(1)


@compiled
def fill(plane, value):
    """The same value everywhere."""
    for i in range(plane.size):
        plane[i] = value


@compiled
def invert(plane):
    """1 less the plane."""
    for i in range(plane.size):
        plane[i] = ONE - plane[i]


@compiled
def scale(plane, factor):
    """Times a factor."""
    for i in range(plane.size):
        plane[i] *= factor


@compiled
def divide(plane, alpha):
    """Whole colour of premultiplied, where alpha is above 0."""
    for i in range(plane.size):
        if alpha[i] > ZERO:
            plane[i] /= alpha[i]


@compiled
def multiply(plane, alpha):
    """Premultiplied colour of whole, where alpha is above 0."""
    for i in range(plane.size):
        if alpha[i] > ZERO:
            plane[i] *= alpha[i]


@compiled
def shift(plane, offset, covered, whole):
    """plane + offset."""
    for i in range(plane.size):
        if whole or covered[i] > ZERO:
            plane[i] += offset


@compiled
def turn(r, g, b, matrix):
    """A matrix on colour. matrix: (9,), row by row."""
    for i in range(r.size):
        x, y, z = r[i], g[i], b[i]
        r[i] = matrix[0] * x + matrix[1] * y + matrix[2] * z
        g[i] = matrix[3] * x + matrix[4] * y + matrix[5] * z
        b[i] = matrix[6] * x + matrix[7] * y + matrix[8] * z


@compiled
def bend(plane, table, covered, whole):
    """A curve. table: of `curves.pieces`."""
    last = len(table) - 1
    for i in range(plane.size):
        if not (whole or covered[i] > ZERO):
            continue
        at = 0
        while at < last and plane[i] >= table[at + 1, 0]:
            at += 1
        t = plane[i] - table[at, 0]
        if table[at, 3] == ZERO and table[at, 4] == ZERO:  # straight on beyond its ends, for infinity as well
            plane[i] = table[at, 1] + (t * table[at, 2] if table[at, 2] != ZERO else ZERO)
        else:
            plane[i] = table[at, 1] + t * (table[at, 2] + t * (table[at, 3] + t * table[at, 4]))


@compiled
def limit(plane, covered, whole):
    """Clamp to 0..1."""
    for i in range(plane.size):
        if (whole or covered[i] > ZERO) and plane[i] == plane[i]:
            plane[i] = min(max(plane[i], ZERO), ONE)


@compiled
def times(plane, other):
    """Times another plane."""
    for i in range(plane.size):
        plane[i] *= other[i]


@compiled
def between(plane, way, begin, end):
    """The value that far on the way from begin to end."""
    for i in range(plane.size):
        plane[i] = begin + (end - begin) * way[i]


@compiled
def copy(plane, other):
    """Another plane."""
    for i in range(plane.size):
        plane[i] = other[i]


@compiled
def mix(plane, other, weight):
    """The plane where the weight is 1, the other where it is 0, to the bit, and between them in proportion."""
    for i in range(plane.size):
        w = weight[i]
        if w == ZERO:
            plane[i] = other[i]
        elif w != ONE:
            plane[i] = other[i] + w * (plane[i] - other[i])


@compiled
def haze(plane, near, far, falloff, as_air):
    """From what a pass measures to how much fog lies before it, 0..1. What is no number is clear.

    as_air: 1 - exp(-ln 50 x^falloff) of x = (v - near) / (far - near), which leaves 2 % of the light at far (Koschmieder's
    visual range); otherwise x^falloff, x within 0..1.
    """
    for i in range(plane.size):
        x = (plane[i] - near) / (far - near)
        if not x > ZERO:
            plane[i] = ZERO
        elif as_air:
            plane[i] = ONE - np.exp(-np.float32(3.912023) * x**falloff)
        else:
            plane[i] = min(x, ONE) ** falloff
