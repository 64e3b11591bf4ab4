"""The operators of a ledger: how a row's source changes the running result. Compiled, one channel plane at a time.

All work on premultiplied, scene-linear values and never clamp. A is the source after its trims, B the running result,
a and b their alphas. `amount` 0 always leaves B as it was.

    add       B + A                      b + a                Porter & Duff plus
    over      A + B (1 - a)              likewise             Porter & Duff; a source without alpha covers wholly
    under     B + A (1 - b)              likewise             Porter & Duff, B over A
    multiply  A (1 - b) + B (1 - a) + AB a + b - ab           W3C Compositing; a source without alpha is a factor: B A
    screen    A + B - A B                a + b - ab           W3C Compositing; max(A, B) where either is above 1

Screen is made for values up to 1: above, its formula falls again, so the larger value is taken there (common practice,
no source); the two meet at 1 without a step.

Sources: Porter & Duff, "Compositing Digital Images", SIGGRAPH 1984; W3C Compositing and Blending Level 1.
"""

from __future__ import annotations

from collections.abc import Callable
from types import MappingProxyType

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic, overload
from numpy.typing import NDArray

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
def add_plane(b, a, gain):
    """b + gain a, in place. b: (N,) float32; a: (N,) as stored; gain: trims times amount."""
    for i in range(b.size):
        b[i] += gain * value(a[i])


@compiled
def over_plane(b, a, alpha, gain, amount):
    """gain a + b (1 - amount alpha), in place: Porter & Duff over, premultiplied."""
    for i in range(b.size):
        b[i] = gain * value(a[i]) + b[i] * (np.float32(1) - amount * value(alpha[i]))


@compiled
def cover_plane(b, a, gain, amount):
    """gain a + b (1 - amount), in place: over by a source that covers wholly."""
    for i in range(b.size):
        b[i] = gain * value(a[i]) + b[i] * (np.float32(1) - amount)


@compiled
def under_plane(b, b_alpha, a, gain):
    """b + gain a (1 - b_alpha), in place: Porter & Duff, b over a."""
    for i in range(b.size):
        b[i] += gain * value(a[i]) * (np.float32(1) - b_alpha[i])


@compiled
def under_all_plane(b, b_alpha, gain):
    """b + gain (1 - b_alpha), in place: the alpha of a source that covers wholly, put under."""
    for i in range(b.size):
        b[i] += gain * (np.float32(1) - b_alpha[i])


@compiled
def factor_plane(b, a, gain, amount):
    """b (1 - amount + amount gain a), in place: a source without alpha as a factor."""
    for i in range(b.size):
        # Not 1 + amount * (factor - 1): that would lose the last bits of small factors.
        b[i] *= (np.float32(1) - amount) + amount * (gain * value(a[i]))


@compiled
def multiply_plane(b, b_alpha, a, alpha, gain, amount):
    """s (1 - b_alpha) + b (1 - amount alpha) + s b with s = gain a, in place: W3C multiply, premultiplied."""
    for i in range(b.size):
        s = gain * value(a[i])
        b[i] = s * (np.float32(1) - b_alpha[i]) + b[i] * (np.float32(1) - amount * value(alpha[i])) + s * b[i]


@compiled
def screen_plane(b, a, gain):
    """s + b - s b with s = gain a, in place; the larger of the two where either is above 1."""
    for i in range(b.size):
        s = gain * value(a[i])
        low = s + b[i] - s * b[i]
        high = max(s, b[i])
        b[i] = low if high <= np.float32(1) else high


@compiled
def union_plane(b, alpha, amount):
    """a + b - a b with a = amount alpha, in place: the alpha of two that cover independently."""
    for i in range(b.size):
        a = amount * value(alpha[i])
        b[i] = a + b[i] - a * b[i]


Planes = tuple[NDArray, NDArray, NDArray]  # each (N,), float32 or half as uint16 bits
Gains = tuple[np.float32, np.float32, np.float32]  # tint times 2 ** exposure, for R, G, B
Apply = Callable[["list[NDArray]", Planes, "NDArray | None", Gains, np.float32], None]


def add(running, planes, alpha, gains, amount) -> None:
    """Sum of light and of alpha; see OPERATORS for what is handed over."""
    for b, a, gain in zip(running, planes, gains, strict=False):
        add_plane(b, a, gain * amount)
    if alpha is not None:
        add_plane(running[3], alpha, amount)


def over(running, planes, alpha, gains, amount) -> None:
    """The source in front of the running result."""
    one = np.float32(1)
    for b, a, gain in zip(running, planes, gains, strict=False):
        if alpha is None:
            cover_plane(b, a, gain * amount, amount)
        else:
            over_plane(b, a, alpha, gain * amount, amount)
    if alpha is None:
        running[3] *= one - amount
        running[3] += amount
    else:
        over_plane(running[3], alpha, alpha, amount, amount)


def under(running, planes, alpha, gains, amount) -> None:
    """The source behind the running result."""
    for b, a, gain in zip(running, planes, gains, strict=False):
        under_plane(b, running[3], a, gain * amount)
    if alpha is None:
        under_all_plane(running[3], running[3], amount)
    else:
        under_plane(running[3], running[3], alpha, amount)


def multiply(running, planes, alpha, gains, amount) -> None:
    """The source as a colour where it covers, or as a factor everywhere if it has no alpha."""
    for b, a, gain in zip(running, planes, gains, strict=False):
        if alpha is None:
            factor_plane(b, a, gain, amount)
        else:
            multiply_plane(b, running[3], a, alpha, gain * amount, amount)
    if alpha is not None:
        union_plane(running[3], alpha, amount)


def screen(running, planes, alpha, gains, amount) -> None:
    """The source as light on light that never passes the brighter of 1 and the two."""
    for b, a, gain in zip(running, planes, gains, strict=False):
        screen_plane(b, a, gain * amount)
    if alpha is not None:
        union_plane(running[3], alpha, amount)


OPERATORS: MappingProxyType[str, Apply] = MappingProxyType(
    {"add": add, "over": over, "under": under, "multiply": multiply, "screen": screen}
)
"""Each changes `running`, four float32 planes (N,) of R, G, B and A, in place."""
