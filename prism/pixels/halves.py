"""Floats rounded to half, on all cores.

Source: IEEE 754-2019, binary16 and rounding to nearest, ties to even; done on the bits of binary32, whose exponent is
rebased from 127 to 15.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only

BAND_ROWS = 64
SMALL = 1 << 16  # values up to which its bands are not worth handing out
_SIGN, _INFINITY = np.uint32(0x8000_0000), np.uint32(0x7F80_0000)
_REBASED = np.uint32(0xC800_0FFF)  # (15 - 127) << 23, and half of the last kept bit but one
_ENDLESS = np.uint32(0x477F_F000)  # 65520, from where on the nearest half is infinity
_SMALLEST = np.uint32(0x3880_0000)  # 2^-14, below which halves are subnormal:
_STEPS = np.float32(2.0**24)  # so many steps to 1
_ONE, _DROPPED = np.uint32(1), np.uint32(13)


def as_half(plane: NDArray[np.float32]) -> tuple[NDArray[np.float16], int]:
    """Planes (H, W), or values of any other shape, as half; and how many finite ones became infinite."""
    source = read_only(np.ascontiguousarray(plane).reshape(-1, plane.shape[-1]))
    half = np.empty(source.shape, np.uint16)
    lost: list[int] = []

    def work(first: int, end: int) -> None:
        lost.append(_round(source.view(np.uint32), source, half, first, end))

    run_bands(work, len(source), BAND_ROWS, alone=len(source) if plane.size < SMALL else 0)
    return half.view(np.float16).reshape(plane.shape), sum(lost)


@compiled
def _round(bits, values, half, begin, end):
    """Rows begin..end. A NaN keeps its sign and its upper bits; how many finite values became infinite."""
    lost = 0
    for row in range(begin, end):
        for column in range(bits.shape[1]):
            own = bits[row, column]
            sign = own & _SIGN
            size = own ^ sign
            if size >= _ENDLESS:
                lost += size < _INFINITY
                kept = np.uint32(0x7C00)
                if size > _INFINITY:
                    kept |= max((size & np.uint32(0x7F_FFFF)) >> _DROPPED, _ONE)
            elif size < _SMALLEST:
                steps = abs(values[row, column]) * _STEPS
                kept = np.uint32(steps)
                part = steps - np.float32(kept)
                if part > np.float32(0.5) or (part == np.float32(0.5) and kept & _ONE):
                    kept += _ONE
            else:
                kept = (size + _REBASED + ((size >> _DROPPED) & _ONE)) >> _DROPPED
            half[row, column] = np.uint16(kept | (sign >> np.uint32(16)))
    return lost
