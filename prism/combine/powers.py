"""Powers of many values at once, quick enough for a drag.

The logarithm of the mantissa is a series in (m - 1) / (m + 1), the power of two one in its fraction: within 2e-6 of the
exact value, relative, and made of nothing but sums and products, which the processor takes several of at a time. What
lies where these do not reach is left to the exact power.
"""

from __future__ import annotations

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from prism.compiled import compiled, inlined

ZERO, ONE = np.float32(0), np.float32(1)
LEAST, MOST = np.float32(1e-37), np.float32(1e37)
_ROOT_HALF = np.int32(0x3F3504F3)  # bits of the square root of 1/2: mantissas lie from there to its double
_BITS, _BIAS = np.int32(23), np.int32(127)


@intrinsic
def _bits_of(typing_context, value):
    def generate(context, builder, signature, args):
        return builder.bitcast(args[0], ir.IntType(32))

    return types.int32(types.float32), generate


@intrinsic
def _float_of(typing_context, bits):
    def generate(context, builder, signature, args):
        return builder.bitcast(args[0], ir.FloatType())

    return types.float32(types.int32), generate


@inlined
def _quick(value, power):
    """value^power of a value from LEAST to MOST whose result is an ordinary number."""
    bits = _bits_of(np.float32(value))
    exponent = (bits - _ROOT_HALF) >> _BITS
    mantissa = _float_of(bits - (exponent << _BITS))
    t = (mantissa - ONE) / (mantissa + ONE)
    s = t * t
    # 2 / ln 2 times 1, 1/3, 1/5, 1/7, 1/9
    logarithm = t * (
        np.float32(2.8853900817779268)
        + s * (np.float32(0.9617966939259756) + s * (np.float32(0.5770780163555854)
        + s * (np.float32(0.4121985831111324) + s * np.float32(0.3205988979753252))))
    )  # fmt: skip
    wanted = power * (np.float32(exponent) + logarithm)
    wanted = wanted if wanted > np.float32(-126) else np.float32(-126)
    wanted = wanted if wanted < np.float32(127) else np.float32(127)
    whole = np.int32(wanted + np.float32(1000.5)) - np.int32(1000)
    f = wanted - np.float32(whole)
    # ln 2 to the n by n!
    part = ONE + f * (
        np.float32(0.6931471805599453) + f * (np.float32(0.2402265069591007) + f * (np.float32(0.05550410866482158)
        + f * (np.float32(0.009618129107628477) + f * (np.float32(0.0013333558146428443)
        + f * np.float32(0.00015403530393381608)))))
    )  # fmt: skip
    return part * _float_of((whole + _BIAS) << _BITS)


@compiled
def signed_power(plane, scale, inverse, power, covered, whole):
    """scale (|v| inverse)^power with the sign of v, where whole is true or something covers.

    One value out of reach, but for 0, has all of the plane done exactly: that is rare, and a loop without branches is
    what is quick.
    """
    reach = np.float32(120) / power if power > ZERO else np.float32(np.inf)
    low = max(LEAST, np.float32(2.0) ** -reach / inverse)
    high = min(MOST, np.float32(2.0) ** reach / inverse)
    odd = 0
    for i in range(plane.size):
        v = plane[i]
        size = v if v >= ZERO else -v
        odd += not ((size >= low and size <= high) or (v == ZERO and power > ZERO))
    if odd == 0:
        for i in range(plane.size):
            v = plane[i]
            size = v if v >= ZERO else -v
            result = scale * _quick((size if size >= low else low) * inverse, power)
            result = result if v != ZERO else ZERO
            result = result if v >= ZERO else -result
            plane[i] = result if whole or covered[i] > ZERO else v
        return
    for i in range(plane.size):
        v = plane[i]
        if (whole or covered[i] > ZERO) and v == v:
            result = scale * (abs(v) * inverse) ** power
            plane[i] = result if v >= ZERO else -result
