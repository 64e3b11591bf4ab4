"""Rounding to half against NumPy's conversion, which the hardware or its own library does."""

import unittest

import numpy as np

from prism.pixels.halves import SMALL, as_half

# Ties, the ends of subnormal and of finite halves, and what is no number, as the bits of binary32 (IEEE 754-2019).
EDGES = (
    0x00000000, 0x00000001, 0x33000000, 0x33000001, 0x32FFFFFF, 0x33800000, 0x33C00000, 0x34200000, 0x387FFFFF,
    0x38800000, 0x38801000, 0x38803000, 0x477FE000, 0x477FEFFF, 0x477FF000, 0x47800000, 0x7F7FFFFF, 0x7F800000,
    0x7F800001, 0x7FC00000, 0x7FFFFFFF,
)  # fmt: skip


class Halves(unittest.TestCase):
    def check(self, plane):
        half, lost = as_half(plane)
        with np.errstate(all="ignore"):
            wanted = plane.astype(np.float16)
        number = ~np.isnan(plane)
        np.testing.assert_array_equal(half.view(np.uint16)[number], wanted.view(np.uint16)[number])
        np.testing.assert_array_equal(np.isnan(half), ~number)
        np.testing.assert_array_equal(np.signbit(half), np.signbit(plane))
        self.assertEqual(lost, int((np.isinf(wanted) & np.isfinite(plane)).sum()))

    def test_edges_of_both_signs(self):
        bits = np.uint32([*EDGES, *(0x80000000 | edge for edge in EDGES)])
        self.check(bits.view(np.float32)[np.newaxis])

    def test_numbers_of_every_size(self):
        """On all cores and on one, lying in any order."""
        bits = np.random.default_rng(7).integers(0, 2**32, (700, 600), np.uint64).astype(np.uint32)
        plane = bits.view(np.float32)
        self.assertGreater(plane.size, SMALL)
        self.check(plane)
        self.check(plane[:40, ::3])
        self.check(np.asfortranarray(plane[:40]))
        self.check(plane[:0])
