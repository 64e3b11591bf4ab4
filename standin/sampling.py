"""Well spread random numbers: Owen-scrambled Sobol points, the same for a given pixel, sample and purpose.

Source: Burley, "Practical Hash-based Owen Scrambling", JCGT 9(4), 2020.
"""

import numpy as np

from prism.compiled import compiled

WORD = np.uint64(0xFFFFFFFF)
UNIT = 1.0 / 4294967296.0


@compiled
def mix(value):
    """A 32-bit integer hash with good avalanche (Wellons' lowbias32, constants from memory)."""
    x = np.uint64(value) & WORD
    x ^= x >> np.uint64(16)
    x = (x * np.uint64(0x7FEB352D)) & WORD
    x ^= x >> np.uint64(15)
    x = (x * np.uint64(0x846CA68B)) & WORD
    return x ^ (x >> np.uint64(16))


@compiled
def reverse_bits(x):
    """The 32 bits of x in reverse order."""
    x = ((x >> np.uint64(1)) & np.uint64(0x55555555)) | ((x & np.uint64(0x55555555)) << np.uint64(1))
    x = ((x >> np.uint64(2)) & np.uint64(0x33333333)) | ((x & np.uint64(0x33333333)) << np.uint64(2))
    x = ((x >> np.uint64(4)) & np.uint64(0x0F0F0F0F)) | ((x & np.uint64(0x0F0F0F0F)) << np.uint64(4))
    x = ((x >> np.uint64(8)) & np.uint64(0x00FF00FF)) | ((x & np.uint64(0x00FF00FF)) << np.uint64(8))
    return ((x >> np.uint64(16)) | (x << np.uint64(16))) & WORD


@compiled
def carry_up(x, seed):
    """Scramble every bit of x by the bits below it (Laine-Karras): Owen scrambling of the reversed word."""
    x ^= (x * np.uint64(0x3D20ADEA)) & WORD
    x = (x + seed) & WORD
    x = (x * ((seed >> np.uint64(16)) | np.uint64(1))) & WORD
    x ^= (x * np.uint64(0x05526C56)) & WORD
    x ^= (x * np.uint64(0x53A22864)) & WORD
    return x


@compiled
def second_sobol_reversed(index):
    """Dimension 2 of the Sobol sequence, bits reversed: Pascal's triangle modulo 2, folded in five steps.

    Source: Ahmed, "An Implementation Algorithm of 2D Sobol Sequence Fast, Elegant, and Compact", EGSR 2024 (from
    memory).
    """
    x = index ^ (index >> np.uint64(16))
    x ^= (x & np.uint64(0xFF00FF00)) >> np.uint64(8)
    x ^= (x & np.uint64(0xF0F0F0F0)) >> np.uint64(4)
    x ^= (x & np.uint64(0xCCCCCCCC)) >> np.uint64(2)
    x ^= (x & np.uint64(0xAAAAAAAA)) >> np.uint64(1)
    return x


@compiled
def pair(seed, sample, purpose):
    """Two numbers in 0..1 (1 excluded). Over `sample` = 0, 1, 2, ... they fill the unit square evenly.

    seed: of the pixel. purpose: what the pair is for; different purposes are independent.
    """
    scramble = mix(seed ^ mix(np.uint64(purpose) * np.uint64(0x9E3779B9)))
    index = reverse_bits(carry_up(reverse_bits(np.uint64(sample)), scramble))
    x = reverse_bits(carry_up(index, mix(scramble ^ np.uint64(0xA511E9B3))))
    y = reverse_bits(carry_up(second_sobol_reversed(index), mix(scramble ^ np.uint64(0x63D83595))))
    return float(x) * UNIT, float(y) * UNIT
