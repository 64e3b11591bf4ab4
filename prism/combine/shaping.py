"""The loops of trims and weights, one plane (N,) float32 at a time, in place.

covered: alpha of the source; where it is not above 0 there is no whole colour to work on, unless `whole` says that all
of it is.
"""

from __future__ import annotations

import numpy as np
from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic
from numba.np.arrayobj import make_array, populate_array

from prism.compiled import compiled

ZERO, ONE = np.float32(0), np.float32(1)
RUN = 512  # pixels that a curve bends at a time
_FLOATS = types.Array(types.float32, 1, "C")


@intrinsic
def _scratch(typing_context):
    """An array (RUN,) on the stack of the loop that asks for it: nothing is allocated."""

    def generate(context, builder, signature, args):
        made = make_array(_FLOATS)(context, builder)
        data = cgutils.alloca_once(builder, ir.FloatType(), size=RUN)
        shape, width = context.get_constant(types.intp, RUN), context.get_constant(types.intp, 4)
        populate_array(made, data=data, shape=[shape], strides=[width], itemsize=width, meminfo=None)
        return made._getvalue()

    return _FLOATS(), generate


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
def apply_matrix(r, g, b, matrix):
    """A matrix on colour. matrix: (9,), row by row."""
    for i in range(r.size):
        x, y, z = r[i], g[i], b[i]
        r[i] = matrix[0] * x + matrix[1] * y + matrix[2] * z
        g[i] = matrix[3] * x + matrix[4] * y + matrix[5] * z
        b[i] = matrix[6] * x + matrix[7] * y + matrix[8] * z


@compiled
def apply_curve(plane, table, covered, whole):
    """A curve. table: of `curves.pieces`.

    Every piece is worked out for a run of pixels and kept where it begins at or below them: a search for the piece of
    each pixel branches, and took four times as long for a curve of five points.
    """
    bent = _scratch()
    for first in range(0, plane.size, RUN):
        count = min(RUN, plane.size - first)
        values = plane[first : first + count]
        for i in range(count):
            value = values[i]
            straight = table[0, 1] + (value - table[0, 0]) * table[0, 2]
            bent[i] = straight if table[0, 2] != ZERO or value != value else table[0, 1]
        for at in range(1, len(table)):
            _piece(bent, values, table[at])
        for i in range(count):
            if whole or covered[first + i] > ZERO:
                plane[first + i] = bent[i]


@compiled
def _piece(bent, values, piece):
    """One piece of a curve, laid where values are not below its beginning."""
    begin, c0, c1, c2, c3 = piece[0], piece[1], piece[2], piece[3], piece[4]
    if c1 == ZERO and c2 == ZERO and c3 == ZERO:  # level, for infinity as well
        for i in range(values.size):
            bent[i] = c0 if values[i] >= begin else bent[i]
    elif c2 == ZERO and c3 == ZERO:  # straight on, for infinity as well
        for i in range(values.size):
            bent[i] = c0 + (values[i] - begin) * c1 if values[i] >= begin else bent[i]
    else:
        for i in range(values.size):
            t = values[i] - begin
            bent[i] = c0 + t * (c1 + t * (c2 + t * c3)) if values[i] >= begin else bent[i]


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

    as_air: 1 - exp(-ln 50 x^falloff) of x = (v - near) / (far - near), which leaves 2 % of the light at far
    (Koschmieder's visual range); otherwise x^falloff, x within 0..1.
    """
    for i in range(plane.size):
        x = (plane[i] - near) / (far - near)
        if not x > ZERO:
            plane[i] = ZERO
        elif as_air:
            plane[i] = ONE - np.exp(-np.float32(3.912023) * x**falloff)
        else:
            plane[i] = min(x, ONE) ** falloff
