"""Reading stored pixels in compiled loops, and the short loops of plain rows: one channel plane at a time.

b: running result, (N,) float32, changed in place. a: source, (N,) float32 or half as its bits in uint16. gain: trims
times weight.
"""

from __future__ import annotations

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic, overload

from prism.compiled import compiled


@intrinsic
def _half_to_float(typing_context, bits):
    """The float32 value of a half given by its bits; one instruction for several pixels on current processors."""

    def generate(context, builder, signature, args):
        return builder.fpext(builder.bitcast(args[0], ir.HalfType()), ir.FloatType())

    return types.float32(types.uint16), generate


def value(stored):
    """float32 value of a stored pixel: half as its bits, or float32 itself. Only for compiled code."""
    raise NotImplementedError


@overload(value, inline="always")
def _value(stored):
    if stored == types.uint16:
        return lambda stored: _half_to_float(stored)
    return lambda stored: stored


@compiled
def load_plane(out, a, gain):
    """out = gain a."""
    for i in range(out.size):
        out[i] = gain * value(a[i])


@compiled
def add_plane(b, a, gain):
    """b + gain a."""
    for i in range(b.size):
        b[i] += gain * value(a[i])


@compiled
def over_plane(b, a, alpha, gain, amount):
    """gain a + b (1 - amount alpha); where nothing of b is left it does not matter what it was."""
    for i in range(b.size):
        left = np.float32(1) - amount * value(alpha[i])
        b[i] = gain * value(a[i]) + (b[i] * left if left != 0 else np.float32(0))


@compiled
def factor_plane(b, a, gain, amount):
    """b (1 - amount + amount gain a): a source without alpha as a factor."""
    for i in range(b.size):
        # Not 1 + amount * (factor - 1): that would lose the last bits of small factors.
        b[i] *= (np.float32(1) - amount) + amount * (gain * value(a[i]))
