"""Operators against the published tables, against OpenImageIO, and against the laws they must obey."""

import unittest

import numpy as np
import OpenImageIO as oiio
from hypothesis import given, settings
from hypothesis import strategies as st

from prism.combine.evaluate import apply_steps
from prism.combine.kernels import add_plane
from prism.combine.program import compile_ledger
from prism.ledger.document import Ledger
from prism.ledger.operators import OPERATORS
from prism.ledger.rows import PassRow
from prism.tests.memory import MemoryFrame

ONE = np.float32(1)


def join(operator: str, backdrop, source, *, alpha=True, **row) -> np.ndarray:
    """The result of laying `source` on `backdrop`, both (4, ...) R G B A; alpha=False hides the source's alpha."""
    shape = np.shape(backdrop)
    source = np.asarray(source).reshape(4, 1, -1)
    frame = MemoryFrame({"s": (source[:3], source[3])})
    running = np.array(backdrop, np.float32).reshape(4, 1, -1)
    ledger = Ledger(alpha=None, rows=(PassRow(id="s", source="s", operator=operator, uses_alpha=alpha, **row),))
    with np.errstate(invalid="ignore"):
        apply_steps(running, compile_ledger(ledger, 1).steps, frame)
    return running.reshape(shape)


def pixel(*values: float) -> np.ndarray:
    return np.array(values, np.float32).reshape(4, 1)


A = pixel(0.4, 0.1, 0.0, 0.5)
B = pixel(0.1, 0.2, 0.6, 0.8)


class PorterDuff(unittest.TestCase):
    """Porter & Duff, "Compositing Digital Images", SIGGRAPH 1984: out = Fa A + Fb B, worked for one pair."""

    def test_worked_pair(self):
        table = [
            ("clear", B, A, (0, 0, 0, 0)),
            ("copy", B, A, (0.40, 0.10, 0.00, 0.5)),
            ("over", B, A, (0.45, 0.20, 0.30, 0.9)),
            ("over", A, B, (0.18, 0.22, 0.60, 0.9)),
            ("under", A, B, (0.45, 0.20, 0.30, 0.9)),
            ("in", B, A, (0.32, 0.08, 0.00, 0.4)),
            ("keep-in", B, A, (0.05, 0.10, 0.30, 0.4)),
            ("out", B, A, (0.08, 0.02, 0.00, 0.1)),
            ("keep-out", B, A, (0.05, 0.10, 0.30, 0.4)),
            ("atop", B, A, (0.37, 0.18, 0.30, 0.8)),
            ("under-atop", B, A, (0.13, 0.12, 0.30, 0.5)),
            ("xor", B, A, (0.13, 0.12, 0.30, 0.5)),
            ("add", B, A, (0.50, 0.30, 0.60, 1.3)),
        ]
        for operator, backdrop, source, expected in table:
            with self.subTest(operator):
                np.testing.assert_allclose(join(operator, backdrop, source).ravel(), expected, atol=1e-6)

    def test_half_covered_pixels(self):
        """Two half covers that do not know of each other make three quarters; complementary ones are added."""
        red, green = pixel(0.5, 0, 0, 0.5), pixel(0, 0.5, 0, 0.5)
        np.testing.assert_allclose(join("over", green, red).ravel(), (0.5, 0.25, 0, 0.75), atol=1e-7)
        np.testing.assert_allclose(join("add", green, red).ravel(), (0.5, 0.5, 0, 1), atol=1e-7)

    def test_light_without_coverage_survives_over(self):
        glow = pixel(2, 1, 0.5, 0)
        np.testing.assert_allclose(join("over", pixel(0.2, 0.2, 0.2, 1), glow).ravel(), (2.2, 1.2, 0.7, 1), atol=1e-6)

    def test_a_source_without_alpha_covers_wholly(self):
        np.testing.assert_array_equal(join("over", B, A, alpha=False).ravel(), np.float32([0.4, 0.1, 0, 1]))


class W3C(unittest.TestCase):
    """W3C Compositing and Blending Level 1, blending: straight b and s; with alpha 1 premultiplied is straight."""

    VALUES = [(0.2, 0.6), (0.7, 0.3), (0.7, 0.6), (0.9, 0.9)]
    TABLE = {
        "multiply": (0.12, 0.21, 0.42, 0.81),
        "screen": (0.68, 0.79, 0.88, 0.99),
        "overlay": (0.24, 0.58, 0.76, 0.98),
        "darken": (0.2, 0.3, 0.6, 0.9),
        "lighten": (0.6, 0.7, 0.7, 0.9),
        "colour-dodge": (0.5, 1, 1, 1),
        "colour-burn": (0, 0, 0.5, 1 - 0.1 / 0.9),
        "hard-light": (0.36, 0.42, 0.76, 0.98),
        "soft-light": (0.2 + 0.2 * (0.448 - 0.2), 0.616, 0.7 + 0.2 * (0.7**0.5 - 0.7), 0.9 + 0.8 * (0.9**0.5 - 0.9)),
        "difference": (0.4, 0.4, 0.1, 0),
        "exclusion": (0.56, 0.58, 0.46, 0.18),
    }

    def test_opaque_values(self):
        for mode, results in self.TABLE.items():
            for (b, s), expected in zip(self.VALUES, results, strict=True):
                with self.subTest(mode, b=b, s=s):
                    got = join(mode, pixel(b, b, b, 1), pixel(s, s, s, 1))
                    np.testing.assert_allclose(got.ravel(), (expected,) * 3 + (1,), atol=1e-6)

    def test_with_alpha(self):
        """co = as(1-ab)s + as ab B(b,s) + (1-as)ab b for b .2, s .6, ab .8, as .5; ao = .9."""
        backdrop, source = pixel(0.16, 0.16, 0.16, 0.8), pixel(0.3, 0.3, 0.3, 0.5)
        for mode, expected in {"multiply": 0.188, "screen": 0.412, "difference": 0.3}.items():
            with self.subTest(mode):
                got = join(mode, backdrop, source)
                np.testing.assert_allclose(got.ravel(), (expected,) * 3 + (0.9,), atol=1e-6)

    def test_non_separable_modes(self):
        """Worked by hand from the standard's SetLum and SetSat: red-brown under blue, luminosity .3 R + .59 G + .11
        B."""
        below, above = pixel(0.6, 0.3, 0.2, 1), pixel(0.2, 0.4, 0.8, 1)
        table = {
            "hue": (0.379 - 0.1226667, 0.1333333 + 0.2563333, 0.4 + 0.2563333),
            "saturation": (0.6 + 0.1105, 0.15 + 0.1105, 0.1105),
            "colour": (0.195, 0.395, 0.795),
            "luminosity": (0.605, 0.305, 0.205),
        }
        for mode, expected in table.items():
            with self.subTest(mode):
                np.testing.assert_allclose(join(mode, below, above).ravel()[:3], expected, atol=1e-6)

    def test_light_above_one_does_what_the_table_says(self):
        """A result of 4 stays bright under every mode made for display values, whatever lies on it."""
        for key, operator in OPERATORS.items():
            if operator.made_for_display:
                for display in (False, True):
                    got = join(key, pixel(4, 4, 4, 1), pixel(0.5, 0.5, 0.5, 1), display=display)
                    self.assertTrue((got[:3] >= 3).all() and (got[:3] <= 4.01).all(), (key, display, got.ravel()))
            self.assertEqual(operator.safe, not operator.made_for_display, key)

    def test_display_means_the_curve_of_srgb(self):
        """Exclusion of .5 and .5 is .5 in any space; overlay of light .2158605 (display .5) on itself stays put."""
        half = 0.21404114
        got = join("overlay", pixel(half, half, half, 1), pixel(half, half, half, 1), display=True)
        np.testing.assert_allclose(got[:3].ravel(), half, atol=1e-6)
        self.assertLess(join("overlay", pixel(half, half, half, 1), pixel(half, half, half, 1))[0, 0], 0.1)

    def test_screen_above_one_takes_the_larger(self):
        """b + s - bs would give -2 for 4 and 2; the larger value is taken instead (common practice, no source)."""
        for b, s, expected in [(4, 2, 4), (4, 0.5, 4), (0.5, 4, 4)]:
            got = join("screen", pixel(b, b, b, 1), pixel(s, s, s, 1))
            self.assertAlmostEqual(float(got[0, 0]), expected, places=6)

    def test_screen_has_no_step_at_one(self):
        below, above = np.nextafter(ONE, np.float32(0)), np.nextafter(ONE, np.float32(2))
        for other in (0.0, 0.3, 0.999):
            low = join("screen", pixel(other, 0, 0, 1), pixel(below, 0, 0, 1))[0, 0]
            high = join("screen", pixel(other, 0, 0, 1), pixel(above, 0, 0, 1))[0, 0]
            self.assertAlmostEqual(float(low), float(high), places=6)


class Factor(unittest.TestCase):
    """A source without alpha multiplies as a factor: passes on white (common practice, no source)."""

    def test_scales_colour_and_leaves_alpha(self):
        got = join("multiply", pixel(0.8, 0.4, 2.0, 0.7), pixel(0.25, 0.5, 1.0, 0), alpha=False)
        np.testing.assert_allclose(got.ravel(), (0.2, 0.2, 2.0, 0.7), atol=1e-6)

    def test_amount_blends_towards_one(self):
        """v (1 - a (1 - S)): .8 with S .25 and amount .5 is .5."""
        got = join("multiply", pixel(0.8, 0, 0, 1), pixel(0.25, 0, 0, 0), alpha=False, amount=0.5)
        self.assertAlmostEqual(float(got[0, 0]), 0.5, places=6)

    def test_shade_deepens_and_never_turns_negative(self):
        """0 is off, 1 is the pass, 2 its square; light where the pass is above 1 grows evenly."""
        dark, bright = pixel(0.25, 0.5, 0, 0), pixel(2, 4, 1, 0)
        for amount, expected in ((0, (4, 4, 4)), (1, (1, 2, 0)), (2, (0.25, 1, 0)), (0.5, (2, 4 * 0.5**0.5, 0))):
            got = join("shade", pixel(4, 4, 4, 1), dark, alpha=False, amount=amount)
            np.testing.assert_allclose(got.ravel(), (*expected, 1), rtol=1e-6, err_msg=str(amount))
        got = join("shade", pixel(1, 1, 1, 1), bright, alpha=False, amount=2)
        np.testing.assert_allclose(got.ravel(), (3, 7, 1, 1), rtol=1e-6)

    def test_shade_takes_every_channel_by_itself(self):
        """Whichever of them are alike."""
        colours = np.array(np.meshgrid(*[(0.2, 0.7, 1, 3, np.nan)] * 3), np.float32).reshape(3, -1)
        alpha, backdrop = np.ones_like(colours[:1]), np.full((4, colours.shape[1]), 5, np.float32)
        together = join("shade", backdrop, np.concatenate([colours, alpha]), alpha=False, amount=0.6)
        for index, channel in enumerate(colours):
            grey = np.concatenate([np.stack([channel] * 3), alpha])
            alone = join("shade", backdrop, grey, alpha=False, amount=0.6)
            np.testing.assert_array_equal(together[index], alone[index])
            np.testing.assert_allclose(alone[0, 0], 5 * 0.2**0.6, rtol=1e-6)

    def test_raw_light_times_surface_colour_is_the_component(self):
        rng = np.random.default_rng(3)
        colour = rng.random((4, 50)).astype(np.float32)
        lit = rng.lognormal(0, 2, (4, 50)).astype(np.float32)
        raw = np.divide(lit, colour)
        got = join("multiply", join("over", np.zeros((4, 50)), colour, alpha=False), raw, alpha=False)
        np.testing.assert_allclose(got[:3], lit[:3], rtol=3e-7)


premultiplied = st.tuples(
    st.floats(0, 50, width=32), st.floats(0, 50, width=32), st.floats(0, 50, width=32), st.floats(0, 1, width=32)
).map(lambda values: pixel(*values))


class Laws(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(premultiplied, premultiplied, premultiplied)
    def test_over_and_add_associate(self, a, b, c):
        for operator in ("over", "add"):
            left = join(operator, c, join(operator, b, a))
            right = join(operator, join(operator, c, b), a)
            np.testing.assert_allclose(left, right, rtol=1e-5, atol=1e-5)

    @settings(max_examples=100, deadline=None)
    @given(premultiplied, premultiplied)
    def test_under_is_over_turned_round(self, a, b):
        np.testing.assert_allclose(join("under", a, b), join("over", b, a), rtol=1e-6, atol=1e-6)

    @settings(max_examples=100, deadline=None)
    @given(premultiplied, st.sampled_from(["over", "under", "add", "screen", "multiply"]))
    def test_an_empty_source_changes_nothing(self, backdrop, operator):
        np.testing.assert_array_equal(join(operator, backdrop, pixel(0, 0, 0, 0)), backdrop)

    def test_bad_numbers_pass_through_and_do_not_spread(self):
        backdrop = np.zeros((4, 3), np.float32)
        source = np.array([[np.nan, np.inf, 1]] * 3 + [[0, 0, 0]], np.float32)
        got = join("add", backdrop, source)
        np.testing.assert_array_equal(got[0], source[0])


class Half(unittest.TestCase):
    def test_finite_colours_give_finite_pictures(self):
        """Grey on black, and values that the curve of sRGB puts at 1, where modes leap."""
        greys = np.concatenate([np.float32([0.2355680912733078]), np.random.default_rng(4).random(4000, np.float32)])
        source = np.stack([greys, greys, greys, np.ones_like(greys)])
        for operator in ("hue", "saturation", "colour", "luminosity"):
            for backdrop in (np.zeros_like(source), np.ones_like(source)):
                backdrop[3] = 1
                for display in (False, True):
                    self.assertTrue(np.isfinite(join(operator, backdrop, source, display=display)).all(), operator)
        white, black = pixel(1, 1, 1, 1), pixel(0, 0, 0, 1)
        np.testing.assert_array_equal(join("colour-burn", white, black, display=True).ravel(), 1)
        np.testing.assert_array_equal(join("colour-dodge", black, white, display=True).ravel()[:3], 0)
        np.testing.assert_array_equal(join("colour-dodge", pixel(0.2, 0.2, 0.2, 1), white, display=True).ravel(), 1)

    def test_what_is_no_number_stays_so(self):
        """One rule for all operators: a value that is no number, on either side, gives none, but where a factor of 0
        takes it away."""
        for key, operator in OPERATORS.items():
            for backdrop, source in (
                (pixel(0.3, np.nan, 0.4, 1), pixel(0.2, 0.5, 0.6, 0.5)),
                (pixel(0.3, 0.2, 0.4, 0.5), pixel(0.2, np.nan, 0.6, 1)),
            ):
                with self.subTest(key):
                    result = join(key, backdrop, source)[:3].ravel()
                    of_source = np.isnan(source).any()
                    if operator.family == "cover":
                        f0, f1, g0, g1 = operator.factors
                        factor = f0 + f1 * backdrop[3, 0] if of_source else 1 - (g0 + g1 * source[3, 0])
                        self.assertEqual(np.isnan(result[1]), factor != 0)
                    else:
                        self.assertTrue(np.isnan(result[1]))
                    if key not in ("hue", "saturation", "colour", "luminosity"):
                        self.assertTrue(np.isfinite(result[[0, 2]]).all())

    def test_curves_go_straight_on_to_infinity(self):
        ends = pixel(np.inf, -np.inf, 0.5, 1)
        for points, expected in (([[0, 0], [1, 2]], (np.inf, -np.inf)), ([[0, 0.5], [1, 0.5]], (0.5, 0.5))):
            curves = {"all": {"points": points}}
            np.testing.assert_array_equal(join("copy", B, ends, curves=curves).ravel()[:2], expected)

    def test_every_half_is_read_exactly(self):
        """All 65536 bit patterns against NumPy's conversion (IEEE 754 binary16), NaN and subnormals included."""
        patterns = np.arange(65536, dtype=np.uint16)
        got = np.zeros(65536, np.float32)
        add_plane(got, patterns, ONE)
        expected = patterns.view(np.float16).astype(np.float32)
        np.testing.assert_array_equal(got, expected)

    def test_half_and_float_sources_agree(self):
        rng = np.random.default_rng(5)
        source = rng.random((4, 40)).astype(np.float16)
        backdrop = rng.random((4, 40)).astype(np.float32)
        for operator in OPERATORS:
            with self.subTest(operator):
                as_half = join(operator, backdrop, source)
                as_float = join(operator, backdrop, source.astype(np.float32))
                np.testing.assert_array_equal(as_half, as_float)


class AgainstOpenImageIO(unittest.TestCase):
    """The image library's own operations on random HDR pictures."""

    def setUp(self):
        rng = np.random.default_rng(11)
        self.a, self.b = (rng.lognormal(-1, 1.5, (4, 24, 32)).astype(np.float32) for _ in range(2))
        self.a[3], self.b[3] = (rng.random((24, 32)).astype(np.float32) for _ in range(2))

    def buffer(self, planes):
        spec = oiio.ImageSpec(32, 24, 4, oiio.FLOAT)
        buffer = oiio.ImageBuf(spec)
        buffer.set_pixels(oiio.ROI(0, 32, 0, 24, 0, 1, 0, 4), np.ascontiguousarray(np.moveaxis(planes, 0, -1)))
        return buffer

    def planes(self, buffer):
        return np.moveaxis(buffer.get_pixels(oiio.FLOAT), -1, 0)

    def test_over_and_add(self):
        a, b = self.buffer(self.a), self.buffer(self.b)
        for operator, reference in (("over", oiio.ImageBufAlgo.over(a, b)), ("add", oiio.ImageBufAlgo.add(a, b))):
            with self.subTest(operator):
                np.testing.assert_allclose(join(operator, self.b, self.a), self.planes(reference), rtol=2e-6, atol=1e-6)

    def test_a_chain_with_trims(self):
        """Two trimmed additions, a factor, then over: the chain a ledger would run."""
        ours = join("add", np.zeros_like(self.a), self.a, tint=(1.5, 0.5, 2.0), amount=0.75)
        ours = join("multiply", ours, self.b, alpha=False)
        ours = join("over", ours, self.a)
        scaled = oiio.ImageBufAlgo.mul(self.buffer(self.a), (1.125, 0.375, 1.5, 0.75))
        factor = self.b.copy()
        factor[3] = 1
        scaled = oiio.ImageBufAlgo.mul(scaled, self.buffer(factor))
        reference = oiio.ImageBufAlgo.over(self.buffer(self.a), scaled)
        np.testing.assert_allclose(ours, self.planes(reference), rtol=5e-6, atol=1e-6)
