"""The finish: every kind of step against the page that describes it, laws that all keep, and documents."""

import math
import unittest
from dataclasses import replace

import numpy as np
from scipy import ndimage, signal

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
from prism.finish.steps import KINDS, active
from prism.finish.wording import in_words
from prism.ledger.document import Ledger
from prism.ledger.finishing import with_finish
from prism.pixels.blur import gaussian
from prism.pixels.resize import averaged
from prism.pixels.window import Window
from prism.tests import finish_page
from prism.tests.finishing import (
    FRAME,
    MATTES,
    NEEDED,
    STRONG,
    context_for,
    disc_of,
    display,
    domain_of,
    frame_for,
    light,
    picture,
    run,
    steps_of,
    suited,
)
from prism.tests.memory import MemoryFrame


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

    def test_a_point_becomes_an_evendisc_of(self):
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
                self.assertLess(
                    np.abs(spread - disc_of(radius, blades, turn, side)).sum(), 0.03 if radius < 6 else 0.01
                )
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
                disc = disc_of(radius, 0, 0, 2 * math.ceil(radius) + 5, fine=8)
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
