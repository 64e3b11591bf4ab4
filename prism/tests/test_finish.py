"""The finish: every kind of step against the page that describes it, published formulas, and laws."""

import math
import unittest
from dataclasses import replace
from types import MappingProxyType

import numpy as np
import PyOpenColorIO as ocio
from scipy import ndimage, signal

from prism.deep.samples import samples_of
from prism.delivery.second_opinion import rows as ledger_page
from prism.errors import BadDocument
from prism.finish.aperture import Aperture
from prism.finish.context import Context
from prism.finish.display import of_domain
from prism.finish.document import Finish
from prism.finish.evaluate import finished, reach_of
from prism.finish.focus_layers import ABSENT, _row_between, _set_surfaces, layers
from prism.finish.planes import DISPLAY
from prism.finish.presets import CHAINS
from prism.finish.steps import KINDS, STEPS, active
from prism.finish.wording import in_words
from prism.ledger.document import Ledger
from prism.ledger.finishing import with_finish
from prism.mattes.plan import plans
from prism.pixels.blur import gaussian
from prism.pixels.picture import Picture
from prism.pixels.resize import averaged
from prism.pixels.window import Window
from prism.tests import finish_page
from prism.tests.memory import MemoryFrame

FRAME = 1012
HALF = {"id": "half", "kind": "made", "parts": [{"kind": "shape", "form": "rectangle", "x": 9, "y": 12, "width": 16,
                                                  "height": 30, "soft": 6}]}  # fmt: skip
EMPTY = {"id": "empty", "kind": "made", "parts": []}
SPOT = {"id": "spot", "kind": "made", "parts": [{"kind": "shape", "form": "ellipse", "x": 30, "y": 10, "width": 6,
                                                  "height": 8}]}  # fmt: skip
MIDDLE = {"id": "middle", "kind": "made", "parts": [{"kind": "shape", "form": "rectangle", "x": 85, "y": 80,
                                                    "width": 15, "height": 30, "soft": 6}]}  # fmt: skip
MATTES = [HALF, EMPTY, SPOT, MIDDLE]
NEEDED = MappingProxyType({"defocus": {"depth": "depth"}, "smear": {"motion": "motion"}})
# Of every kind a step that changes the picture, with numbers of its own.
STRONG = {
    "grade": {"exposure": 0.4, "warmth": 20, "green": 0.1, "slope": [1.2, 1, 0.9], "offset": [0.02, 0, -0.05],
              "power": [1.1, 1, 0.9], "saturation": 0.8},
    "glow": {"threshold": 0.4, "size": 9, "widths": 2, "tint": [1, 0.8, 0.5]},
    "rays": {"threshold": 0.5, "length": 9, "falloff": 1.5, "x": 3.5, "y": -4},
    "flare": {"size": 30, "x": 5, "y": 2, "turn": 20, "seed": 3, "hidden_by": "half", "light_size": 9},
    "defocus": {"focus": 4, "opening": 7, "largest": 9},
    "smear": {"shutter": 0.8},
    "vignette": {"form": "drawn", "x": 4, "y": -2, "level": 0.2},
    "fringe": {"red": 1.4, "blue": -0.8},
    "levels": {"black": 0.1, "white": 0.8, "gamma": 1.3, "out_black": 0.05, "out_white": 0.9},
    "curves": {"all": {"points": [[0, 0.05], [0.5, 0.6], [1, 0.95]]}, "red": {"points": [[0, 0], [1, 0.8]]},
               "luminance": {"points": [[0, 0], [0.3, 0.2], [1, 1]]}},
    "balance": {"shadows": [0.1, 0, -0.1], "mids": [0, 0.05, 0], "highlights": [-0.1, 0, 0.1]},
    "vibrance": {"vibrance": 0.7},
    "film": {"look": "evening"},
    "sharpen": {"amount": 1.7, "radius": 1.3, "threshold": 0.01},
    "grain": {"amount": 0.2, "size": 1.8, "seed": 4},
}  # fmt: skip


def picture(rgba, **facts):
    height, width = rgba.shape[1:]
    window = Window.of_size(width, height)
    return Picture(rgba=np.float32(rgba), window=window, display_window=window, **facts)


def light(seed=1, shape=(27, 38), *, alpha=True):
    """Premultiplied, most of it below 1 and some far above, some transparent, some glowing without coverage."""
    rng = np.random.default_rng(seed)
    rgba = np.empty((4, *shape), np.float32)
    rgba[3] = np.where(rng.random(shape) < 0.2, 0, np.where(rng.random(shape) < 0.5, 1, rng.random(shape)))
    if not alpha:
        rgba[3] = 1
    rgba[:3] = rng.lognormal(-1.2, 1.1, (3, *shape)) * np.maximum(rgba[3], 0.1)
    return rgba


def display(seed=1, shape=(27, 38)):
    rng = np.random.default_rng(seed)
    return np.concatenate([rng.random((3, *shape)), np.ones((1, *shape))]).astype(np.float32)


def frame_for(shape=(27, 38), seed=2):
    rng = np.random.default_rng(seed)
    depth = ndimage.gaussian_filter(rng.uniform(1, 30, shape), 3)
    motion = np.stack([rng.uniform(-5, 5, shape), rng.uniform(-3, 3, shape), np.zeros(shape)])
    motion[:, :5] = 0
    sources = {"depth": (np.float32([depth] * 3), None), "motion": (np.float32(motion), None)}
    return MemoryFrame(sources, FRAME)


def steps_of(*given):
    named = [{"id": f"{number}", **NEEDED.get(step["kind"], {}), **step} for number, step in enumerate(given)]
    return Finish.from_json({"mattes": MATTES, "steps": named})


def context_for(frame):
    mattes = Finish.from_json({"mattes": MATTES}).mattes
    return Context(FRAME, frame, plans(mattes, FRAME))


def run(rgba, *given, frame=None, number=FRAME, space="lin_rec709", step=1, whole=None):
    """The picture after steps. whole: the frame that a smaller picture is of."""
    frame = frame or frame_for(rgba.shape[1:])
    made = picture(rgba, space=space) if whole is None else replace(whole, rgba=rgba, space=space, step=step)
    context = replace(context_for(frame), number=number)
    return finished(made, active(steps_of(*given).steps, number), context).rgba


def domain_of(kind):
    return STEPS[KINDS.index(kind)].domains[0]


def suited(kind, **more):
    """Values and space that a step of a kind works on."""
    return (light(**more), "lin_rec709") if domain_of(kind) == "light" else (display(), DISPLAY)


class Page(unittest.TestCase):
    """docs/finish-format.md, evaluated in float64 by what it says alone."""

    def compare(self, step, *, within=2e-5, of=None, space="lin_rec709"):
        rgba, own = suited(step["kind"]) if of is None else of
        frame = frame_for(rgba.shape[1:])
        page = ledger_page.Page({"space": space, "mattes": MATTES}, {}, FRAME, rgba.shape[1:], {})
        passes = {key: np.float64(frame.pixels(key).planes) for key in ("depth", "motion")}
        said = finish_page.Finish(page, passes).run(rgba, [NEEDED.get(step["kind"], {}) | step], display=own == DISPLAY)
        got = run(rgba, step, frame=frame, space=own if own == DISPLAY else space)
        self.assertGreater(np.abs(got - rgba).max(), 0.01, "the step does something")
        np.testing.assert_allclose(got, said, atol=within, rtol=within)

    def test_every_kind(self):
        for kind in KINDS:
            if kind in ("defocus", "rays"):  # approximate, below
                continue
            step = {"kind": kind, **STRONG[kind]}
            within = 2e-3 if kind == "flare" else 2e-5
            for more in ({}, {"matte": "half", "amount": 0.6}):
                with self.subTest(kind, **more):
                    self.compare(step | more, within=within)

    def test_other_words(self):
        alike = (display(3), DISPLAY)
        for step, of in (
            ({"kind": "grade", "works_on": "display", "warmth": -30, "power": [0.8, 1.2, 1]}, alike),
            ({"kind": "glow", "keep": False, "threshold": 0.6, "size": 7}, None),
            ({"kind": "flare", "of": "brightest", "size": 20}, None),
            ({"kind": "flare", "dirt": 0.6, "size": 60, "seed": 2}, None),
            ({"kind": "flare", "follow": "spot", "depth": "depth", "distance": 14, "size": 25, "light_size": 15}, None),
            ({"kind": "vignette", "field_of_view": 80}, None),
            ({"kind": "vignette", "works_on": "display", "form": "drawn"}, alike),
            ({"kind": "fringe", "works_on": "display", "red": -2, "blue": 3}, alike),
            ({"kind": "balance", "keep": False, "mids": [0.1, -0.1, 0.05]}, None),
            ({"kind": "film", "look": "pale"}, None),
            ({"kind": "film", "look": "dense"}, None),
            ({"kind": "film"}, None),
            ({"kind": "sharpen", "on": "colour", "works_on": "light", "amount": 4}, (light(), "lin_rec709")),
            ({"kind": "curves", "works_on": "light", "all": {"points": [[0, 0], [1, 1.5], [4, 2]]}}, (light(), "")),
            ({"kind": "grain", "mono": True, "amount": 0.3}, None),
            ({"kind": "vibrance", "vibrance": -0.8, "skin": 1}, None),
            ({"kind": "levels", "gamma": {"keys": [{"frame": 1000, "value": 1}, {"frame": 1020, "value": 2}]}}, None),
        ):
            with self.subTest(**step):
                self.compare(step, within=2e-3 if step["kind"] == "flare" else 3e-5,
                             of=of if of is None or of[1] else (of[0], "lin_rec709"))  # fmt: skip

    def test_luminance_is_that_of_the_space(self):
        self.compare({"kind": "glow", "threshold": 0.4, "size": 5}, space="acescg")

    def test_defocus_lays_discs_over_each_other(self):
        """Discs of the page are even to a fraction of a pixel, ours are made of chords and blocks: within a twentieth
        of what defocus changes on average, on light as even as a picture is; with something near and something far."""
        shape = (72, 96)
        rgba = ndimage.gaussian_filter(light(4, shape, alpha=False), (0, 1.5, 1.5))
        rgba[3] = 1
        z = np.full(shape, 12, np.float32)
        z[:, :40] = np.linspace(4, 30, 72)[:, None]
        z[20:50, 55:80] = 2.2
        frame = MemoryFrame({"depth": (np.stack([z] * 3), None)}, FRAME)
        page = ledger_page.Page({}, {}, FRAME, shape, {})
        for more in ({}, {"focus": 2.2, "opening": 5}, {"focus": 20, "opening": 2}):
            step = {"kind": "defocus", "depth": "depth", "focus": 6, "opening": 6, "largest": 12} | more
            with self.subTest(**more):
                said = finish_page.Finish(page, {"depth": np.float64([z] * 3)}).run(rgba, [step], display=False)
                got = run(rgba, step, frame=frame)
                change = np.abs(said - rgba).mean()
                self.assertGreater(change, 0.02)
                self.assertLess(np.abs(got - said).mean(), 0.05 * change)

    def test_a_point_becomes_an_even_disc(self):
        """At every radius, round and with blades: every pixel as far as the disc covers it, counted at 20 x 20 places
        in it; left as right, and above as below."""
        for radius, blades, turn in (
            (2, 0, 0),
            (3.3, 0, 0),
            (10, 0, 0),
            (20, 0, 0),
            (5, 5, 0),
            (20, 5, 30),
            (12, 6, 0),
        ):
            with self.subTest(radius=radius, blades=blades):
                side = 2 * math.ceil(1.6 * radius) + 5
                point = np.zeros((1, side, side), np.float32)
                point[0, side // 2, side // 2] = 1
                spread = Aperture(radius, blades, turn).opened(point)[0]
                self.assertLess(np.abs(spread - _disc(radius, blades, turn, side)).sum(), 0.03 if radius < 6 else 0.01)
                if blades in (0, 6):
                    np.testing.assert_allclose(spread, spread[::-1, ::-1], atol=1e-6)
                if not blades:
                    np.testing.assert_allclose(spread, spread[:, ::-1], atol=1e-6)

    def test_discs_of_every_radius_gather_what_they_should(self):
        """Hard-edged highlights under an exact gather of the disc, at one depth: within 0.02 of the light on average,
        and 0.05 of the brightest anywhere."""
        rng = np.random.default_rng(3)
        rgba = np.full((4, 300, 300), 0.05, np.float32)
        for y, x, size in zip(*rng.integers(20, 260, (2, 60)), rng.integers(1, 12, 60), strict=True):
            rgba[:3, y : y + size, x : x + size] += np.float32(rng.uniform(0.5, 4))
        rgba[3] = 1
        for radius in (2, 7.5, 16, 17, 30, 64):
            with self.subTest(radius):
                laid = np.zeros((5, *rgba.shape[1:]), np.float32)
                for layer in layers(np.full(rgba.shape[1:], radius, np.float32)):
                    layer.cover(laid, rgba, Aperture(abs(layer.radius)), (0, 0))
                disc = _disc(radius, 0, 0, 2 * math.ceil(radius) + 5, fine=8)
                due = signal.fftconvolve(rgba[0].astype(float), disc, mode="same")
                border = math.ceil(radius) + 3
                inner = slice(border, -border)
                apart, due = np.abs(laid[0] - due)[inner, inner], due[inner, inner]
                self.assertLess(apart.mean(), 0.02 * due.mean())
                self.assertLess(apart.max(), 0.05 * due.max())

    def test_rows_between_blocks_are_straight_from_middle_to_middle(self):
        """As NumPy draws them: `interp` stays at the first and the last middle beyond them."""
        part = np.random.default_rng(3).random((5, 4, 7)).astype(np.float32)
        line, top, step = np.empty((5, 7), np.float32), -2, 3
        middles = top + step * (np.arange(4) + 0.5)
        for row in range(top, top + 4 * step):
            _row_between(line, part, row, top, step)
            due = [[np.interp(row + 0.5, middles, column) for column in plane.T] for plane in part]
            np.testing.assert_allclose(line, due, atol=1e-6)

    def test_what_lies_just_behind_a_surface_is_part_of_it(self):
        """Within one layer, of samples that nothing is seen through; further behind it is a surface of its own."""
        for behind, kept in ((0.99, False), (1.0, True), (1.01, True)):
            places, alpha = np.float32([5, 5 + behind]), np.float32([1, 1])
            _set_surfaces(np.array([0, 2]), alpha, places)
            self.assertEqual(places[1] != ABSENT, kept, behind)

    def test_wide_gaussians_keep_to_the_tolerance_of_the_page(self):
        """Of a lamp, a wall and a point, against SciPy, at deviations on both sides of what is made smaller."""
        plane = np.zeros((300, 400), np.float32)
        plane[110:120, 100:130], plane[:, 250:], plane[60, 60] = 5, 1, 50
        for deviation in (1, 5, 8.99, 9, 12, 20, 36, 50):
            soft = gaussian(plane, deviation, edge="constant")
            due = ndimage.gaussian_filter(plane.astype(float), deviation, mode="constant")
            self.assertLess(np.abs(soft - due).max(), (1e-6 if deviation < 9 else 0.01) * due.max(), deviation)

    def test_what_lies_around_a_place_is_the_same_in_a_preview(self):
        """Of a pass that says where it is: the mean about a place is that place, however few pixels are looked at."""
        y, x = np.mgrid[:40, :60].astype(np.float32) + np.float32(0.5)
        planes = {key: (np.stack([plane] * 3), None) for key, plane in (("across", x), ("down", y))}
        context = Context(FRAME, MemoryFrame(planes, FRAME))
        for place in ((12.0, 30.0), (41.0, 7.0)):
            for step, off in ((1, 0.01), (2, 0.6), (4, 2.1)):  # a preview takes the first pixel of every block
                for key, at in zip(planes, place, strict=True):
                    found = context.around(place, 6, step, source=key)
                    self.assertLess(abs(found.mean() - at), off, (place, step, key))
        self.assertEqual(len(context.around((90.0, 7.0), 6, 1, source="down")), 0)

    def test_rays_end_alike_at_every_border(self):
        """Of a bright column or row at one border, from a point beyond it: the mirror image of the other's."""
        rgba = np.zeros((4, 24, 40), np.float32)
        rgba[3], rgba[:3, :, :2], rgba[:3, 5, -1] = 1, 6.0, 3.0
        for x, y in ((-30, 3), (26, -5), (4, -20), (0, 18)):  # from the middle
            step = {"kind": "rays", "threshold": 0.5, "length": 20, "falloff": 1, "x": x, "y": y}
            got = run(rgba, step)
            for axis, place in ((-1, {"x": -x}), (-2, {"y": -y})):
                mirrored = run(np.ascontiguousarray(np.flip(rgba, axis)), step | place)
                np.testing.assert_allclose(np.flip(mirrored, axis), got, atol=0.04 * got.max())

    def test_rays_are_the_mean_along_the_way(self):
        """Drawn on a wheel, so a little softer across than the sum on the page: the means agree, and each pixel does
        within an eighth of the brightest ray."""
        rgba = np.zeros((4, 60, 90), np.float32)
        rgba[3] = 1
        rgba[:3] = ndimage.gaussian_filter(8.0 * (np.random.default_rng(3).random((3, 60, 90)) > 0.97), (0, 1.5, 1.5))
        page = ledger_page.Page({}, {}, FRAME, (60, 90), {})
        for more in ({"way": "away"}, {"way": "towards", "most": 0.2}, {"of": "edges", "threshold": 0.1}):
            step = {"kind": "rays", "threshold": 0.5, "length": 20, "falloff": 2, "x": 7, "y": -3} | more
            with self.subTest(**more):
                said = finish_page.Finish(page, {}).run(rgba, [step], display=False) - rgba
                got = run(rgba, step) - rgba
                self.assertLess(np.abs(got - said).max(), 0.12 * said.max())
                np.testing.assert_allclose(got[:3].mean(), said[:3].mean(), rtol=0.02)


def _disc(radius, blades, turn, side, fine=20):
    """(side, side): how far a disc about the middle covers every pixel; its first corner at `turn`, clockwise."""
    along = (np.arange(side * fine) + 0.5) / fine - side / 2
    x, y = np.meshgrid(along, along)
    inside = x**2 + y**2 <= radius**2
    if blades:
        corner = radius * math.sqrt(2 * math.pi / (blades * math.sin(2 * math.pi / blades)))
        inside = np.ones_like(x, bool)
        for blade in range(blades):
            normal = math.radians(turn) + (blade + 0.5) * 2 * math.pi / blades
            inside &= x * math.cos(normal) + y * math.sin(normal) <= corner * math.cos(math.pi / blades)
    covered = inside.reshape(side, fine, side, fine).mean((1, 3))
    return covered / covered.sum()


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


class Laws(unittest.TestCase):
    def test_nothing_changes_no_bit(self):
        """Amount 0, an empty matte, off, and neutral numbers."""
        neutral = {"grade": {}, "curves": {}, "levels": {}, "balance": {}, "fringe": {"red": 0, "blue": 0},
                   "vibrance": {"vibrance": 0}, "defocus": {"opening": 0}, "smear": {"shutter": 0}}  # fmt: skip
        for kind in KINDS:
            rgba, space = suited(kind)
            step = {"kind": kind, **STRONG[kind]}
            cases = [step | {"amount": 0}, step | {"matte": "empty"}, step | {"enabled": False}, step | {"on": False}]
            if kind == "sharpen":
                cases = cases[:3]
            if kind in neutral:
                cases.append({"kind": kind, **neutral[kind]})
            for case in cases:
                with self.subTest(**case):
                    np.testing.assert_array_equal(run(rgba, case, space=space), rgba)
            self.assertGreater(np.abs(run(rgba, step, space=space) - rgba).max(), 0.01, kind)

    def test_what_is_not_finite_stays_and_does_not_spread(self):
        for kind in KINDS:
            rgba, space = suited(kind)
            rgba[0, 3, 4], rgba[2, 20, 30], rgba[1, 11, 11] = np.nan, np.inf, -np.inf
            rgba[3, 24, 30], rgba[3, 6, 12] = np.nan, np.inf  # alpha alone
            bad = ~np.isfinite(rgba).all(axis=0)
            dark = np.where(bad, 0, rgba)
            step = {"kind": kind, **STRONG[kind]}
            with self.subTest(kind):
                got, clean = run(rgba, step, space=space), run(dark, step, space=space)
                np.testing.assert_array_equal(got[:, bad], rgba[:, bad])
                np.testing.assert_array_equal(got[:, ~bad], clean[:, ~bad])

    def test_a_part_is_that_of_the_whole(self):
        """A picture cut to a part with as much about it as the steps reach: the part agrees."""
        shape = (160, 190)
        aside = {"vignette": {"x": 60, "y": 50}}
        tried = [*((kind, aside.get(kind, {})) for kind in KINDS), ("glow", {"size": 26, "widths": 1})]
        for kind, other in tried:
            rgba, space = (
                (light(3, shape), "lin_rec709") if domain_of(kind) == "light" else (display(3, shape), DISPLAY)
            )
            frame = frame_for(shape)
            steps = active(steps_of({"kind": kind, **STRONG[kind], "matte": "middle"} | other).steps, FRAME)
            whole = picture(rgba, space=space)
            reach = reach_of(whole, steps)
            with self.subTest(kind):
                if math.isinf(reach):
                    self.assertIn(kind, ("rays", "smear"))
                    continue
                more = math.ceil(reach)
                rows, columns = slice(70 - more, 90 + more), slice(75 - more, 95 + more)
                self.assertTrue(rows.start >= 0 and columns.start >= 0 and rows.stop <= shape[0])
                place = Window(columns.start, rows.start, columns.stop - 1, rows.stop - 1)
                part = replace(whole, rgba=np.ascontiguousarray(rgba[:, rows, columns]), window=place)
                context = context_for(frame)
                got = finished(part, steps, context).rgba[:, more : more + 20, more : more + 20]
                expected = finished(whole, steps, context).rgba[:, 70:90, 75:95]
                np.testing.assert_allclose(got, expected, atol=2e-5, rtol=2e-5)
                self.assertGreater(np.abs(expected - rgba[:, 70:90, 75:95]).max(), 0.01, "the step does something")

    def test_order_is_as_shown(self):
        rgba = light()
        bright, dim = {"kind": "grade", "offset": [0.2, 0.2, 0.2]}, {"kind": "grade", "power": [2, 2, 2]}
        one = run(rgba, bright, dim)
        np.testing.assert_array_equal(one, run(run(rgba, bright), dim))
        self.assertGreater(np.abs(one - run(rgba, dim, bright)).max(), 0.1)
        mixed = steps_of({"kind": "grain"}, {"kind": "grade"}, {"kind": "film"}, {"kind": "glow"})
        self.assertEqual([step.kind for step in mixed.steps], ["grade", "glow", "grain", "film"])

    def test_solo(self):
        rgba = light()
        steps = [{"kind": "grade", "exposure": 1}, {"kind": "vignette", "solo": True}]
        np.testing.assert_array_equal(run(rgba, *steps), run(rgba, steps[1] | {"solo": False}))

    def test_previews_are_smaller_pictures_of_the_same(self):
        """The full result made small against the preview, on light that is even within the preview's pixels."""
        step, shape = 4, (30, 44)
        for kind in KINDS:
            small = ndimage.gaussian_filter(light(9, shape, alpha=False), (0, 2, 2))
            small = small / small.max() * 2 if domain_of(kind) == "light" else small / small.max()
            small[3] = 1
            full = small.repeat(step, axis=1).repeat(step, axis=2)
            frame = enlarged(frame_for(shape), step)
            sizes = {name: value * step for name, value in STRONG[kind].items() if name in SIZES and kind != "curves"}
            given = {"kind": kind, **STRONG[kind], **sizes} | (
                {"opening": 20, "largest": 30} if kind == "defocus" else {}
            )
            space = "lin_rec709" if domain_of(kind) == "light" else DISPLAY
            whole = picture(full, space=space)
            with self.subTest(kind):
                expected = np.stack([averaged(plane, step) for plane in run(full, given, frame=frame, space=space)])
                got = run(small, given, frame=frame, space=space, step=step, whole=whole)
                change = np.abs(expected - small).mean()
                self.assertGreater(change, 1e-3)
                self.assertLess(np.abs(got - expected).mean(), 0.3 * change)


def enlarged(frame, step):
    """A frame of blocks; what moves, moves as many pixels more."""
    depth, motion = (np.stack(frame.pixels(key).planes).repeat(step, 1).repeat(step, 2) for key in ("depth", "motion"))
    return MemoryFrame({"depth": (depth, None), "motion": (motion * step, None)}, FRAME)


SIZES = ("size", "length", "x", "y", "light_size", "red", "blue", "radius")


class Documents(unittest.TestCase):
    def test_bad_ones_name_step_and_field(self):
        for step, text in (
            ({"id": "key", "kind": "grade", "slope": [1, 2]}, "step key.*slope"),
            ({"id": "key", "kind": "grade", "exposure": 99}, "step key.*exposure"),
            ({"id": "key", "kind": "bloom"}, "step key"),
            ({"id": "key", "kind": "glow", "wide": 3}, "step key.*wide"),
            ({"kind": "glow", "size": "much"}, "step 1.*"),
            ({"id": "key", "kind": "glow", "matte": "lost"}, "key names the matte lost"),
            ({"id": "key", "kind": "flare", "hidden_by": "lost"}, "key names the matte lost"),
            ({"id": "key", "kind": "glow", "widths": 2.5}, "widths"),
        ):
            with self.subTest(**step), self.assertRaisesRegex(BadDocument, text):
                Finish.from_json({"steps": [step]}, where="F.json")
        with self.assertRaisesRegex(BadDocument, "Two finishing steps have the id a"):
            Finish.from_json({"steps": [{"id": "a", "kind": "glow"}] * 2})

    def test_laid_on_another_ledger(self):
        """Mattes whose ids are taken get a number, passes are found by name, and what is lost is said."""
        frame = frame_for()
        ledger = Ledger.from_json({"mattes": [{"id": "half", "kind": "made", "parts": []}], "rows": []})
        given = steps_of({"kind": "glow", "matte": "half"}, {"kind": "defocus", "depth": "hero/depth"},
                         {"kind": "smear", "motion": "vectors"})  # fmt: skip
        applied = with_finish(ledger, given, frame)
        glow, defocus, smear = applied.ledger.finish
        self.assertEqual(glow.matte, "half-2")
        self.assertEqual((defocus.depth, defocus.enabled), ("depth", True))
        self.assertEqual((smear.motion, smear.enabled), ("vectors", False))
        self.assertEqual(applied.missing, (("2", "vectors"),))
        twice = with_finish(applied.ledger, given, frame, keep=True).ledger
        self.assertEqual(len({step.id for step in twice.finish}), 6)
        again = Finish.from_json(applied.ledger.finishing.as_json())
        self.assertEqual([matte.id for matte in again.mattes], ["half-2"])

    def test_of_older_ledgers_and_of_new_ones(self):
        old = Ledger.from_json({"version": 4, "rows": []})
        self.assertEqual((old.version, old.finish), (5, ()))
        step = {"id": "a", "kind": "defocus", "depth": "x/depth"}
        new = Ledger.from_json({"version": 5, "finish": [step], "alpha": None, "beauty": "x/beauty"})
        self.assertIn("x/depth", new.sources)
        self.assertEqual(new.moved("x", "y").finish[0].depth, "y/depth")
        self.assertEqual(new.untrimmed().finish, ())

    def test_chains_of_our_own(self):
        for key, chain in CHAINS.items():
            with self.subTest(key):
                self.assertTrue(chain.finish.steps)
                self.assertIn(chain.finish.steps[0].title, in_words(chain.finish.steps, 1))
        self.assertEqual(in_words((), 1), "The rebuilt picture, as it is.")
        words = in_words(steps_of({"kind": "glow", "amount": 0.5, "matte": "half"}, {"kind": "grain"}).steps, 1)
        self.assertEqual(words, "On light: glow, above 1, 60 px, energy kept, within half, at 50%. "
                                "After the view: grain, 3.0%, 1.5 px.")  # fmt: skip
        self.assertEqual(len(of_domain(active(CHAINS["print"].finish.steps, 1), "display")), 4)
