"""Three-vectors as tuples of float64 inside compiled code: the compiler keeps them in registers."""

import math

from prism.compiled import compiled, inlined


@inlined
def add(a, b):
    """a + b."""
    return (a[0] + b[0], a[1] + b[1], a[2] + b[2])


@inlined
def sub(a, b):
    """a - b."""
    return (a[0] - b[0], a[1] - b[1], a[2] - b[2])


@inlined
def mul(a, b):
    """Product by component, as light by a colour."""
    return (a[0] * b[0], a[1] * b[1], a[2] * b[2])


@inlined
def scale(a, k):
    """a times a number."""
    return (a[0] * k, a[1] * k, a[2] * k)


@inlined
def along(origin, direction, t):
    """The point of a ray at distance t."""
    return (origin[0] + t * direction[0], origin[1] + t * direction[1], origin[2] + t * direction[2])


@inlined
def dot(a, b):
    """Scalar product."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@inlined
def cross(a, b):
    """Vector product, right-handed."""
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


@inlined
def normalize(a):
    """a with length 1; a must not be 0."""
    return scale(a, 1.0 / math.sqrt(dot(a, a)))


@inlined
def largest(a):
    """The largest component."""
    return max(a[0], max(a[1], a[2]))


@inlined
def vec(a):
    """An array of three numbers as a tuple."""
    return (a[0], a[1], a[2])


@inlined
def row(table, i):
    """Row i of an (N, 3) table as a tuple."""
    return (table[i, 0], table[i, 1], table[i, 2])


@compiled
def basis(n):
    """Two unit vectors that make a right-handed frame with the unit vector n.

    Source: Duff et al., "Building an Orthonormal Basis, Revisited", JCGT 6(1), 2017.
    """
    sign = math.copysign(1.0, n[2])
    a = -1.0 / (sign + n[2])
    b = n[0] * n[1] * a
    return (1.0 + sign * n[0] * n[0] * a, sign * b, -sign * n[0]), (b, sign + n[1] * n[1] * a, -n[1])


@inlined
def to_world(local, x, y, z):
    """local x, y, z in the frame of three vectors."""
    return (
        local[0] * x[0] + local[1] * y[0] + local[2] * z[0],
        local[0] * x[1] + local[1] * y[1] + local[2] * z[1],
        local[0] * x[2] + local[1] * y[2] + local[2] * z[2],
    )
