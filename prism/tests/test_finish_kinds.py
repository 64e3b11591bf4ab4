"""Single kinds of steps against published formulas, other libraries, and where the light of a pixel goes."""

import math
import unittest

import numpy as np
import PyOpenColorIO as ocio
from scipy import ndimage

from prism.deep.samples import samples_of
from prism.finish.planes import DISPLAY
from prism.pixels.blur import gaussian
from prism.pixels.window import Window
from prism.tests.finishing import (
    FRAME,
    light,
    run,
)
from prism.tests.memory import MemoryFrame


class Published(unittest.TestCase):
    def test_grade_is_the_asc_cdl_without_clamps(self):
        """ASC CDL v1.2 as OpenColorIO computes it in its style without clamps; and values of the table made with it,
        slope (1.2, 1, .9), offset (.02, 0, -.05), power (1.1, 1, .9), saturation .8."""
        cdl = ocio.CDLTransform()
        step = {"kind": "grade", "slope": [1.2, 1, 0.9], "offset": [0.02, 0, -0.05], "power": [1.1, 1, 0.9],
                "saturation": 0.8}  # fmt: skip
        cdl.setSOP([*step["slope"], *step["offset"], *step["power"]])
        cdl.setSat(step["saturation"])
        cdl.setStyle(ocio.CDL_NO_CLAMP)
        processor = ocio.Config.CreateRaw().getProcessor(cdl).getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)
        rgba = light(5, alpha=False)
        rgba[:3] -= 0.05
        expected = np.ascontiguousarray(np.moveaxis(rgba[:3], 0, -1))
        processor.applyRGB(expected)
        np.testing.assert_allclose(np.moveaxis(run(rgba, step)[:3], 0, -1), expected, rtol=2e-5, atol=2e-6)
        for given, wanted in (((0.18, 0.18, 0.18), (0.1998613, 0.1804458, 0.1479744)),
                              ((4, 2, 1), (5.0511628, 2.1384080, 1.2295496)),
                              ((-0.1, 0.2, 0.3), (-0.0519479, 0.1880521, 0.2328241))):  # fmt: skip
            one = np.float32([*given, 1]).reshape(4, 1, 1)
            np.testing.assert_allclose(run(one, step)[:3, 0, 0], wanted, atol=2e-6)

    def test_blur_is_scipys(self):
        plane = light(7)[0]
        for edge in ("nearest", "reflect", "constant"):
            for deviation in (0.3, 1, 2.7, 8):
                with self.subTest(edge, deviation=deviation):
                    expected = ndimage.gaussian_filter(plane, deviation, mode=edge)
                    np.testing.assert_allclose(gaussian(plane, deviation, edge=edge), expected, atol=3e-6)
        wide = np.zeros((400, 420), np.float32)
        wide[150:260, 200:] = 1
        for edge in ("nearest", "reflect", "constant"):
            expected = ndimage.gaussian_filter(wide, 31, mode=edge)
            np.testing.assert_allclose(gaussian(wide, 31, edge=edge), expected, atol=0.004)

    def test_sharpen_is_unsharp_masking(self):
        """A step from 0 to 1, deviation 1, amount a half: what scikit-image 0.26's `unsharp_mask` gives with
        `preserve_range=True`."""
        step = np.zeros((4, 3, 24), np.float32)
        step[:, :, 12:] = 1
        got = run(step, {"kind": "sharpen", "radius": 1, "amount": 0.5}, space=DISPLAY)[0, 1, 9:15]
        wanted = [-0.0022828, -0.0292784, -0.1502641, 1.1502641, 1.0292784, 1.0022828]
        np.testing.assert_allclose(got, wanted, atol=2e-6)

    def test_vignette_falls_as_the_fourth_power_of_the_cosine(self):
        """By hand: 90 degrees across, so at the border in the middle of a side the angle is 45 degrees: cos^4 is a
        quarter; half way there tan is 1/2 and cos^4 = (1 / 1.25)^2."""
        ones = np.ones((4, 41, 400), np.float32)
        got = run(ones, {"kind": "vignette", "field_of_view": 90})[0, 20]
        tangents = np.abs(np.arange(400) + 0.5 - 200) / 200
        np.testing.assert_allclose(got, 1 / (1 + tangents**2) ** 2, rtol=2e-6)
        self.assertAlmostEqual(got[0], 0.25, delta=0.002)
        self.assertAlmostEqual(got[100], 0.64, delta=0.003)

    def test_film_and_curves_never_fall(self):
        ramp = np.ones((4, 1, 2000), np.float32)
        ramp[:3] = np.linspace(0, 1, 2000)
        for step in (*({"kind": "film", "look": look} for look in ("gentle", "dense", "evening", "pale")),
                     {"kind": "curves", "all": {"points": [[0, 0.1], [0.1, 0.1], [0.4, 0.8], [1, 0.9]]}}):  # fmt: skip
            with self.subTest(**step):
                got = run(ramp, step, space=DISPLAY)
                self.assertGreaterEqual(np.diff(got[:3], axis=2).min(), -1e-6)
                self.assertTrue(got.min() >= 0 and got.max() <= 1)


class Points(unittest.TestCase):
    """One bright pixel: where its light goes, and how much of it."""

    def setUp(self):
        self.dark = np.zeros((4, 161, 181), np.float32)
        self.dark[3] = 1
        self.dot = self.dark.copy()
        self.dot[:3, 80, 90] = 1000

    def middle(self, plane):
        rows, columns = (np.arange(side) for side in plane.shape)
        return (plane.sum(axis=0) @ columns) / plane.sum(), (plane.sum(axis=1) @ rows) / plane.sum()

    def test_glow(self):
        for size in (8, 24, 70):
            got = run(self.dot, {"kind": "glow", "threshold": 0.5, "size": size, "widths": 1})[0]
            np.testing.assert_allclose(got.sum(), 1000, rtol=0.002 if size < 70 else 0.035)  # kept, but for the border
            np.testing.assert_allclose(self.middle(got), (90, 80), atol=0.02)
            spread = got[80, 90] - 0.5  # what is below the threshold stays
            self.assertAlmostEqual(spread * 2 * np.pi * (size / 2) ** 2 / 1000, 1, delta=0.02)
            added = run(self.dot, {"kind": "glow", "threshold": 0.5, "size": size, "widths": 1, "keep": False})[0]
            self.assertGreater(added.sum(), 1900)

    def defocused(self, radius, **more):
        frame = MemoryFrame({"depth": (np.full((3, 161, 181), np.inf, np.float32), None)})
        step = {"kind": "defocus", "opening": radius, "largest": 100, "focus": 3} | more
        return run(self.dot, step, frame=frame)[0]

    def test_defocus(self):
        """A disc of that radius, even, with all of the light; of blades, of the same area."""
        y, x = np.ogrid[:161, :181]
        away = np.hypot(x - 90, y - 80)
        for radius, more in ((4, {}), (11, {}), (30, {}), (30, {"blades": 6, "turn": 10})):
            with self.subTest(radius=radius, **more):
                got = self.defocused(radius, **more)
                np.testing.assert_allclose(got.sum(), 1000, rtol=0.01)
                np.testing.assert_allclose(self.middle(got), (90, 80), atol=0.3)
                block = math.ceil(radius / 6)
                inner = got[away < (0.85 if more else 1) * radius - 2 * block]
                np.testing.assert_allclose(inner, 1000 / (np.pi * radius**2), rtol=0.12)
                self.assertLess(got[away > 1.2 * radius + 2 * block].max(), 1e-3)

    def test_a_lens_by_its_numbers(self):
        """50 mm at f/2 focused at 2 m: 50^2 / (2 2 (2000 - 50)) mm is the radius at infinity; a sensor 36 mm wide."""
        radius = 50**2 / (2 * 2 * 1950) / 36 * 181
        said = {"by": "lens", "focal_length": 50, "f_number": 2, "sensor": 36, "focus": 2}
        np.testing.assert_allclose(self.defocused(radius), self.defocused(7, **said), atol=1e-3)

    def test_what_is_sharp_stays_and_what_is_blurred_has_no_sharp_edge(self):
        """A sharp dark post before bright blurred ground: none of the ground on it. A blurred bright post before dark
        sharp ground: its light falls off over its edge without a jump."""
        z = np.full((161, 181), 20, np.float32)
        z[:, 80:100] = 5
        ground = self.dark.copy()
        ground[:3] = np.where(z == 20, 5, 0.1)
        frame = MemoryFrame({"depth": (np.stack([z] * 3), None)})
        sharp = run(ground, {"kind": "defocus", "opening": 12, "focus": 5}, frame=frame)[0]
        np.testing.assert_allclose(sharp[:, 80:100], 0.1, rtol=1e-3)
        self.assertGreater(sharp[80, :78].min(), 4.5)
        post = self.dark.copy()
        post[:3] = np.where(z == 5, 5, 0.1)
        soft = run(post, {"kind": "defocus", "opening": 4, "focus": 20}, frame=frame)[0, 80, 60:120]
        self.assertLess(np.abs(np.diff(soft)).max(), 0.9)  # of 4.9, over a disc 24 wide

    def test_deep_samples_show_what_is_behind(self):
        """An opaque post before stripes that are in focus: where its edge is soft, the stripes are seen through it, in
        proportion: the disc of its alpha over them, by SciPy's convolution."""
        height, width, radius = 41, 61, 6
        window = Window.of_size(width, height)
        stripes = np.zeros((4, height, width), np.float32)
        stripes[:3], stripes[3] = np.arange(width) % 4 < 2, 1
        post = np.zeros_like(stripes)
        post[:, :, 25:37] = np.array([0.9, 0.2, 0.1, 1])[:, None, None]
        flat = post + stripes * (1 - post[3])
        counts = np.where(post[3] > 0, 2, 1).astype(np.int32)
        behind = np.cumsum(counts.ravel()) - counts.ravel()  # the farther one first, as a file may have them
        runs = {name: np.repeat(stripes[channel].ravel(), counts.ravel()) for channel, name in enumerate("RGBA")}
        runs["Z"] = np.full(counts.sum(), 8, np.float32)
        near = (behind + 1)[counts.ravel() == 2]
        for name, value in {"R": 0.9, "G": 0.2, "B": 0.1, "A": 1, "Z": 2}.items():
            runs[name][near] = value
        both = samples_of(counts, runs, window=window, display_window=window)
        frame = MemoryFrame({"deep": (flat[:3], None)}, FRAME, {"deep": both})
        step = {"kind": "defocus", "depth": "deep", "focus": 8, "opening": radius / 3, "largest": 50}
        got = run(flat, step, frame=frame)
        y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
        disc = np.hypot(x, y) <= radius
        soft = np.stack([ndimage.convolve(plane, disc / disc.sum(), mode="constant") for plane in np.float64(post)])
        expected = soft + stripes * (1 - soft[3])
        inner = (slice(None), slice(8, -8), slice(None))
        self.assertLess(np.abs(got - expected)[inner].mean(), 0.012)
        self.assertLess(np.abs(got - expected)[inner].max(), 0.1)
        brighter = run(flat * np.float32([2, 1, 1, 1])[:, None, None], step, frame=frame)
        np.testing.assert_allclose(brighter[0], 2 * got[0], rtol=1e-4, atol=1e-5)
        sharp = run(flat, step | {"opening": 0.01}, frame=frame)
        np.testing.assert_allclose(sharp, flat, atol=1e-5)

    def test_deep_surfaces_have_no_seams(self):
        """A slope through many layers, with something bright just behind it, as thinning may leave there: it stays as
        even as it was."""
        height, width = 90, 24
        window = Window.of_size(width, height)
        counts = np.full((height, width), 2, np.int32)
        slope = np.repeat(np.linspace(2, 30, height), width)
        runs = {
            name: np.tile(np.float32([value, 20]), slope.size)
            for name, value in zip("RGB", (0.5, 0.4, 0.3), strict=True)
        }
        runs |= {"A": np.tile(np.float32([0.99999, 1]), slope.size)}
        runs |= {"Z": np.stack([slope, slope + 1e-3], axis=-1).ravel().astype(np.float32)}
        both = samples_of(counts, runs, window=window, display_window=window)
        flat = np.broadcast_to(np.float32([0.5, 0.4, 0.3, 1])[:, None, None], (4, height, width))
        frame = MemoryFrame({"deep": (flat[:3], None)}, FRAME, {"deep": both})
        got = run(flat, {"kind": "defocus", "depth": "deep", "focus": 6, "opening": 5, "largest": 20}, frame=frame)
        np.testing.assert_allclose(got, flat, rtol=0.01)

    def test_smear_leaves_the_light_of_what_moves_alike(self):
        motion = np.zeros((3, 161, 181), np.float32)
        motion[0] = 20
        got = run(self.dot, {"kind": "smear", "shutter": 1}, frame=MemoryFrame({"motion": (motion, None)}))[0]
        np.testing.assert_allclose(got.sum(), 1000, rtol=0.02)
        self.assertIn(np.flatnonzero(got[80] > 1).size, (20, 21))


class Noise(unittest.TestCase):
    def grain(self, number=1, **more):
        grey = np.full((4, 256, 256), 0.5, np.float32)
        step = {"kind": "grain", "amount": 1, "mono": False} | more
        return run(grey, step, number=number, space=DISPLAY)[:3] - 0.5

    def test_mean_and_deviation(self):
        for size in (0.5, 1.5, 4):
            noise = self.grain(size=size)
            self.assertAlmostEqual(noise.mean(), 0, delta=0.004 * max(1, size))
            self.assertAlmostEqual(noise.std(), 1, delta=0.03)
        channels = self.grain().reshape(3, -1)
        self.assertLess(np.abs(np.corrcoef(channels) - np.eye(3)).max(), 0.02)
        mono = self.grain(mono=True)
        np.testing.assert_array_equal(mono[0], mono[2])

    def test_spectrum_is_flat_to_its_size(self):
        """The power below a tenth of a cycle in a grain is even, and half of it is left at half a cycle."""
        size = 3.0
        power = np.mean([np.abs(np.fft.fft2(self.grain(number)[0])) ** 2 for number in range(1, 13)], axis=0)
        cycles = np.hypot(*np.meshgrid(*[np.fft.fftfreq(256)] * 2)) * size  # in a grain
        band = lambda low, high: power[(cycles >= low) & (cycles < high)].mean()  # noqa: E731
        size_power = np.mean([np.abs(np.fft.fft2(self.grain(n, size=size)[0])) ** 2 for n in range(1, 13)], axis=0)
        power = size_power
        low = band(0.005, 0.06)
        self.assertAlmostEqual(band(0.06, 0.12) / low, 0.97, delta=0.06)
        self.assertAlmostEqual(band(0.48, 0.52) / low, 0.5, delta=0.05)

    def test_never_the_same_and_always_the_same(self):
        """Of a thousand frames no two are alike, nor is one a shifted copy of another; the same frame is the same."""
        small = [self.grain(number)[0, :8, :8].tobytes() for number in range(1000)]
        self.assertEqual(len(set(small)), 1000)
        np.testing.assert_array_equal(self.grain(7), self.grain(7))
        self.assertGreater(np.abs(self.grain(7) - self.grain(7, seed=1)).max(), 1)
        one, other = (np.fft.fft2(self.grain(number)[0]) for number in (7, 8))
        shifted = np.fft.ifft2(one * other.conj()).real / 256**2
        self.assertLess(np.abs(shifted).max(), 0.03)
