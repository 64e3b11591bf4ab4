"""The view transforms against the numbers and formulas of the standards."""

import unittest

import numpy as np

from prism.colour.spaces import CHROMATICITIES, conversion, conversion_between, encode_srgb
from prism.colour.view import ViewTransform, _to_rec709, apply_exactly, apply_quickly
from prism.errors import BadArgument

SRGB = ViewTransform("lin_rec709", "srgb")
FILM = ViewTransform("acescg", "film")


def grey(*values):
    return np.repeat(np.float32(values).reshape(1, -1, 1), 3, axis=2)


def quick(rgb, transform, **options):
    """apply_quickly on (H, W, 3)."""
    planes = np.concatenate([np.moveaxis(rgb, -1, 0), np.ones((1, *rgb.shape[:2]))]).astype(np.float32)
    return apply_quickly(planes, transform, **options).astype(int)


def codes(rgb, transform):
    return np.floor(apply_exactly(rgb, transform) * 255 + 0.5).astype(int)


class Exact(unittest.TestCase):
    def test_srgb_curve(self):
        """IEC 61966-2-1: L <= .0031308 is 12.92 L, else 1.055 L^(1/2.4) - .055; 4e-6 for OpenColorIO's toe."""
        linear = (0.001, 0.01, 0.18, 0.5)
        expected = (0.01292, 0.0998528, 0.4613561, 0.7353570)
        np.testing.assert_allclose(apply_exactly(grey(*linear), SRGB)[0, :, 0], expected, atol=6e-6)

    def test_srgb_codes(self):
        """8-bit codes of linear .01, .05, .1, .18, .2, .5, .8 by the same standard."""
        linear = (0.01, 0.05, 0.1, 0.18, 0.2, 0.5, 0.8)
        expected = [25, 63, 89, 118, 124, 188, 231]
        self.assertEqual(codes(grey(*linear), SRGB)[0, :, 0].tolist(), expected)
        self.assertEqual(quick(grey(*linear), SRGB)[0, :, 1].tolist(), expected)

    def test_greys_follow_the_published_tone_scale(self):
        """ACES 2.0 output transform (Academy, tone scale for 100 nits; formula and constants from memory), sRGB coded.

        Of the 100 nits, .18 is 10.
        """
        exponent, grey_in, grey_out, toe, hit = 1.15, 0.18, 0.10013, 0.04, 128

        def undo_toe(y):
            return (y + np.sqrt(y * (y + 4 * toe))) / 2

        top = undo_toe(1)
        gain = top * ((hit / top + 1) / (hit / top)) ** exponent
        root = (undo_toe(grey_out) / gain) ** (1 / exponent)
        bend = grey_in * (1 - root) / (top * root)
        gain = top * ((hit / top + bend) / (hit / top)) ** exponent
        linear = np.array([0.001, 0.01, 0.18, 1, 4, 16])
        curve = gain * (linear / (linear + bend * top)) ** exponent
        expected = curve**2 / (curve + toe)
        self.assertAlmostEqual(expected[2] * 100, 10, places=3)
        got = apply_exactly(grey(*linear), FILM)[0]
        np.testing.assert_allclose(got[:, 0], encode_srgb(expected), atol=2e-5)
        np.testing.assert_allclose(got[:, 0], got[:, 2], atol=5e-6)

    def test_saturated_light_keeps_its_hue(self):
        """Pure ACEScg red: no published number, so the value of OpenColorIO 2.6.0 guards against a change unseen."""
        got = apply_exactly(np.float32([[[1, 0, 0]]]), FILM)[0, 0]
        np.testing.assert_allclose(got, (0.87715, 0, 0.04025), atol=5e-5)

    def test_strange_numbers_are_defined(self):
        strange = np.float32([[[np.nan, 0, 0], [np.inf, np.inf, np.inf], [-1, -1, -1]]])
        for transform in (SRGB, FILM):
            got = apply_exactly(strange, transform)
            self.assertTrue(np.isfinite(got).all())
            self.assertGreater(got[0, 1, 0], 0.99)
            np.testing.assert_allclose(got[0, 2], 0, atol=1e-6)

    def test_the_input_is_left_alone(self):
        rgb = grey(0.18)
        apply_exactly(rgb, SRGB)
        self.assertEqual(float(rgb[0, 0, 0]), np.float32(0.18))

    def test_unknown_names(self):
        for arguments in (("rec601", "srgb"), ("acescg", "cinema")):
            with self.subTest(arguments), self.assertRaises(BadArgument):
                ViewTransform(*arguments)


class Matrices(unittest.TestCase):
    """BT.709 and ACES primaries (SMPTE ST 2065-1, S-2014-004), Bradford adaptation; rows to six places."""

    def test_acescg_to_rec709(self):
        expected = [
            [1.705051, -0.621792, -0.083259],
            [-0.130256, 1.140805, -0.010548],
            [-0.024003, -0.128969, 1.152972],
        ]
        np.testing.assert_allclose(_to_rec709("acescg"), expected, atol=3e-6)

    def test_grey_stays_grey(self):
        for space in ("acescg", "aces2065_1", "lin_rec709"):
            np.testing.assert_allclose(_to_rec709(space).sum(axis=1), 1, atol=2e-6)


class Quick(unittest.TestCase):
    """The baked tables against the exact transform."""

    def setUp(self):
        rng = np.random.default_rng(2)
        light = np.exp2(rng.uniform(-9, 5, (60, 80, 1)))
        self.picture = (light * rng.uniform(0.5, 1.5, (60, 80, 3))).astype(np.float32)
        self.ramp = grey(*np.exp2(np.linspace(-10, 7, 4000)))

    def test_plain_srgb_within_one_code(self):
        for space in ("lin_rec709", "acescg", "aces2065_1"):
            transform = ViewTransform(space, "srgb")
            for rgb in (self.picture, self.ramp):
                self.assertLessEqual(np.abs(quick(rgb, transform) - codes(rgb, transform)).max(), 1)

    def test_film_on_ordinary_colours(self):
        for space in ("lin_rec709", "acescg"):
            transform = ViewTransform(space, "film")
            gap = np.abs(quick(self.picture, transform) - codes(self.picture, transform))
            self.assertLessEqual(np.percentile(gap, 99.5), 2)
            self.assertLessEqual(np.abs(quick(self.ramp, transform) - codes(self.ramp, transform)).max(), 1)

    def test_exposure_doubles_light(self):
        for transform in (SRGB, FILM):
            np.testing.assert_array_equal(quick(self.picture, transform, gain=2), quick(self.picture * 2, transform))

    def test_gamma_is_a_power_on_display_values(self):
        plain = quick(grey(0.3185468), SRGB)[0, 0, 0]  # displays at .6
        lifted = quick(grey(0.3185468), SRGB, gamma=2.0)[0, 0, 0]
        self.assertEqual((plain, lifted), (153, round(255 * 0.6**0.5)))

    def test_one_infinite_channel_changes_no_other(self):
        """Exactly and quickly: the others are those of a pixel in which it is no brighter than they are."""
        for transform in (SRGB, ViewTransform("acescg", "srgb"), FILM):
            given, plain = np.float32([[[np.inf, 0.2, 0.1]]]), np.float32([[[0.2, 0.2, 0.1]]])
            for view in (codes, quick):
                with self.subTest(transform=transform, view=view.__name__):
                    got = view(given, transform)[0, 0]
                    self.assertEqual(got[1:].tolist(), view(plain, transform)[0, 0, 1:].tolist())
                    self.assertGreater(got[0], 240)

    def test_infinity_late_in_a_row_is_tamed_there(self):
        given = np.full((1, 8, 3), 0.2, np.float32)
        given[0, 6, 0] = np.inf
        for transform in (SRGB, FILM):
            alone = quick(given[:, 6:7], transform)[0, 0]
            self.assertEqual(quick(given, transform)[0, 6].tolist(), alone.tolist())
            self.assertEqual(quick(given, transform)[0, :6].tolist(), quick(given[:, :6], transform)[0].tolist())

    def test_nan_is_black_and_infinity_white(self):
        for transform in (SRGB, FILM):
            got = quick(np.float32([[[np.nan] * 3, [np.inf] * 3, [-np.inf] * 3]]), transform)
            self.assertEqual(got[0, 0].tolist(), [0, 0, 0])
            self.assertTrue((got[0, 1] >= 250).all())
            self.assertEqual(got[0, 2].tolist(), [0, 0, 0])


class AnyPrimaries(unittest.TestCase):
    def test_between_spaces_it_is_the_known_matrix_and_there_and_back_is_nothing(self):
        for source, target in (("lin_rec709", "acescg"), ("acescg", "aces2065_1"), ("aces2065_1", "lin_rec709")):
            there = conversion_between(CHROMATICITIES[source], CHROMATICITIES[target])
            np.testing.assert_allclose(there, conversion(source, target), atol=1e-12)
            back = conversion_between(CHROMATICITIES[target], CHROMATICITIES[source])
            np.testing.assert_allclose(there @ back, np.eye(3), atol=1e-10)
            np.testing.assert_allclose(there.sum(axis=1), 1, atol=1e-10)  # grey stays grey

    def test_bt_2020_to_bt_709(self):
        """ITU-R BT.2087: the first row is 1.6605, -.5876, -.0728."""
        bt_2020 = (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290)
        matrix = conversion_between(bt_2020, CHROMATICITIES["lin_rec709"])
        np.testing.assert_allclose(matrix[0], [1.660491, -0.587641, -0.072850], atol=2e-6)

    def test_primaries_that_span_nothing_are_refused(self):
        for bad in ((0.3, 0.3) * 4, (0.64, 0.0, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329)):
            with self.assertRaises(BadArgument):
                conversion_between(bad, CHROMATICITIES["acescg"])
