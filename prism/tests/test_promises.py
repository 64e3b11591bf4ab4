"""What a plan says is carried out, and a folder that is not as planned is found out."""

from __future__ import annotations

import os
import shutil
import unittest
from fractions import Fraction

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import PyOpenColorIO as ocio
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from demo.conservatory import build_scene
from prism.balance.balance import balance
from prism.colour.spaces import CHROMATICITIES, SPACES, conversion, luminance_weights
from prism.errors import BadArgument
from prism.formats.exr import read_channels, write_parts
from prism.formats.headers import read_parts
from prism.intake.auditing import audit_folder, is_as_planned
from prism.ledger.first import first_ledger, starts_of
from prism.naming.timecode import rate_of, time_code
from prism.passes.catalogue import BY_KEY
from prism.pixels.digest import digest_of
from prism.plan.checks.layers import together
from prism.plan.expansion import expand
from prism.plan.layering import OVER, SUM
from prism.plan.packing import Packing, Storage
from prism.plan.plan import Layer, Plan, Quality, ShotSettings
from prism.sources.opening import find_sources
from prism.tests.frames import FolderCase
from standin.facts import facts_of
from standin.prepared import NEIGHBOURS, nearest_points, no_points, prepared_of, tree_of, weigh
from standin.preparing import PreparedLight
from standin.render import Order, render
from standin.render import Quality as RenderQuality
from standin.scene import Camera, CameraKey, Light, Material
from standin.shot import make_frame
from standin.tests.test_drawn import FLOOR
from standin.tests.test_standin import ball, scene_of, white_sky
from standin.view import camera_axes

LAMP = Light(name="lamp", label="key", kind="sphere", radiance=(9, 6, 3), centre=(2, -2, 3), radius=0.3)
FILL = Light(name="fill", label="fill", kind="sphere", radiance=(2, 3, 5), centre=(-3, -2, 2), radius=0.3)
RED = {"white": Material(kind="matte", colour=(0.8, 0.3, 0.1))}


def rendered(scene, *keys, samples=4, **order):
    passes = {key: BY_KEY["light_group" if key.startswith("light_") else key] for key in keys}
    found = render(scene, 1, Order(size=(24, 16), passes=passes, quality=RenderQuality(samples=samples), **order))
    return {key: np.stack(planes).astype(float) for key, planes in found.planes.items()}


class WorkingColour(unittest.TestCase):
    def test_matrices_are_those_of_the_standards(self):
        """RP 177 derivation with Bradford against OpenColorIO 2.6 and the published luminance weights."""
        config = ocio.Config.CreateFromBuiltinConfig("cg-config-v5.0.0_aces-v2.1_ocio-v2.6")
        names = {"lin_rec709": "Linear Rec.709 (sRGB)", "acescg": "ACEScg", "aces2065_1": "ACES2065-1"}
        for source in SPACES:
            for target in SPACES:
                pixels = np.eye(3, dtype=np.float32)
                config.getProcessor(names[source], names[target]).getOptimizedCPUProcessor(
                    ocio.OPTIMIZATION_NONE
                ).applyRGB(pixels)
                np.testing.assert_allclose(conversion(source, target).T, pixels, atol=2e-6)
        np.testing.assert_allclose(luminance_weights("lin_rec709"), (0.212639, 0.715169, 0.072192), atol=1e-6)
        np.testing.assert_allclose(luminance_weights("acescg"), (0.272229, 0.674082, 0.053690), atol=1e-6)

    def test_light_is_rendered_in_the_plans_space(self):
        """Light scattered once by a grey surface is linear in the lamp's colour: ACEScg is Rec.709 times the matrix. A
        second, coloured surface multiplies in the space itself, so there the two differ."""
        grey = {"white": Material(kind="matte", colour=(0.5, 0.5, 0.5))}
        once = scene_of([ball()], [LAMP], materials=grey)
        a, b = (rendered(once, "beauty", space=space)["beauty"][:3] for space in ("lin_rec709", "acescg"))
        np.testing.assert_allclose(b, np.tensordot(conversion("lin_rec709", "acescg"), a, 1), rtol=1e-4, atol=1e-6)
        self.assertGreater(np.abs(b - a).max(), 0.02 * a.max())


class Cameras(unittest.TestCase):
    def test_pixel_aspect_widens_what_a_pixel_shows(self):
        """A ball is twice as high in pixels as it is wide if a pixel is twice as wide as high."""
        scene = scene_of([ball(0.4)], [white_sky()])
        counts = {}
        for aspect in (1.0, 2.0):
            found = render(scene, 1, Order(size=(64, 64), passes={"beauty": BY_KEY["beauty"]}, pixel_aspect=aspect))
            alpha = found.planes["beauty"][3] > 0.5
            counts[aspect] = (int(alpha.any(axis=0).sum()), int(alpha.any(axis=1).sum()))
        self.assertEqual(counts[1.0][0], counts[1.0][1])
        self.assertEqual(counts[2.0][0], counts[1.0][0])
        self.assertAlmostEqual(counts[2.0][1] / counts[2.0][0], 2.0, delta=0.15)

    def test_straight_down_is_a_view_like_any_other(self):
        down = Camera(name="down", position=(0, 0, 5), target=(0, 0, 0), fov=40)
        axes = camera_axes(down)
        np.testing.assert_allclose(np.stack(axes[1:]) @ np.stack(axes[1:]).T, np.eye(3), atol=1e-12)
        picture = rendered(scene_of([ball()], [white_sky()], camera=down), "beauty")["beauty"]
        self.assertGreater(picture[3, 8, 12], 0.9)
        self.assertGreater(picture[0].max(), 0.1)

    def test_a_camera_moves_along_its_path(self):
        path = (
            CameraKey(frame=1, position=(0, -5, 0), target=(0, 0, 0)),
            CameraKey(frame=5, position=(4, -5, 2), target=(0, 0, 4)),
        )
        camera = Camera(name="front", position=(9, 9, 9), target=(0, 0, 0), fov=30, path=path)
        self.assertEqual(camera.at(2).position, (1, -5, 0.5))
        self.assertEqual((camera.at(-3).position, camera.at(99).target), ((0, -5, 0), (0, 0, 4)))

    def test_the_working_view_is_never_taken_by_itself(self):
        working = Camera(name="view", position=(0, -5, 0), target=(0, 0, 0), fov=30, working=True)
        made = working.replace(name="made", working=False)
        scene = scene_of([], [], camera=working)
        self.assertEqual(scene.replace(cameras=[working, made]).camera().name, "made")
        with self.assertRaisesRegex(BadArgument, "only a camera for working"):
            scene.camera()
        self.assertEqual(scene.camera("view").name, "view")


class TimeCodes(unittest.TestCase):
    def test_drop_frame(self):
        """SMPTE ST 12-1: numbers ;00 and ;01 are left out of every minute that is no tenth."""
        table = {
            1799: "00:00:59;29",
            1800: "00:01:00;02",
            3597: "00:01:59;29",
            3598: "00:02:00;02",
            17982: "00:10:00;00",
            107892: "01:00:00;00",
        }
        for frame, expected in table.items():
            self.assertEqual(str(time_code(frame, 29.97)), expected)
        self.assertEqual(str(time_code(1001, 24)), "00:00:41:17")

    def test_a_day_of_frames_by_counting(self):
        """SMPTE ST 12-1 by hand: count up, and leave out the first two or four numbers of minutes that are no tenth."""
        for rate, base, left_out in ((24, 24, 0), (23.976, 24, 0), (25, 25, 0), (29.97, 30, 2), (59.94, 60, 4)):
            counted = (
                (minute, second, number)
                for minute in range(12)
                for second in range(60)
                for number in range(base)
                if not (minute % 10 and second == 0 and number < left_out)
            )
            for frame, expected in enumerate(counted):
                code = time_code(frame, rate)
                self.assertEqual((code.minutes, code.seconds, code.frames, code.hours), (*expected, 0), (rate, frame))
            day = 24 * 6 * (600 * base - 9 * left_out)
            self.assertEqual(str(time_code(day, rate)), str(time_code(0, rate)))
            self.assertEqual(time_code(-5, rate), time_code(0, rate))
        self.assertEqual(rate_of(29.97), Fraction(30000, 1001))


class NearestPoints(unittest.TestCase):
    """The tree of prepared points, against SciPy's."""

    def points(self, places):
        return tree_of(
            places, np.tile((0.0, 0.0, 1.0), (len(places), 1)), np.ones(len(places)), np.zeros((len(places), 1, 3))
        )

    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 2**32 - 1), st.integers(1, 300), st.booleans())
    def test_the_same_as_a_k_d_tree(self, seed, count, flat):
        rng = np.random.default_rng(seed)
        places = rng.normal(size=(count, 3)) * (1, 1, 0 if flat else 1)
        points, scratch = self.points(places), prepared_of(no_points(1), no_points(1), 0.0)
        for place in rng.normal(size=(5, 3)):
            found = nearest_points(points, tuple(place), scratch.found, scratch.gaps, scratch.stack)
            expected, _ = cKDTree(places).query(place, k=min(count, NEIGHBOURS))
            np.testing.assert_allclose(np.sort(scratch.gaps[:found]), np.sort(np.atleast_1d(expected)) ** 2, rtol=1e-9)

    def test_weights(self):
        """Sum to 1; nothing from beside a surface, nor where all are as far as the farthest; those on one spot count
        alike."""
        places = np.array([(0, 0, 0), (0.4, 0, 0), (0, 0.4, 0), (0.1, 0.1, 9)], float)
        for chosen, serves in (([0, 1, 2], True), ([0, 0, 0], False), ([3, 3], False), ([0], False)):
            points, scratch = self.points(places[chosen]), prepared_of(no_points(1), no_points(1), 0.0)
            found = nearest_points(points, (0.1, 0.1, 0.0), scratch.found, scratch.gaps, scratch.stack)
            self.assertEqual(
                weigh(points, (0.1, 0.1, 0.0), (0.0, 0.0, 1.0), scratch.found, scratch.gaps, found), serves
            )
            if serves:
                self.assertAlmostEqual(scratch.gaps[:found].sum(), 1)
                self.assertTrue((scratch.gaps[:found] >= 0).all())
        points, scratch = self.points(np.zeros((NEIGHBOURS, 3))), prepared_of(no_points(1), no_points(1), 0.0)
        found = nearest_points(points, (0.0, 0.0, 0.0), scratch.found, scratch.gaps, scratch.stack)
        self.assertTrue(weigh(points, (0.0, 0.0, 0.0), (0.0, 0.0, 1.0), scratch.found, scratch.gaps, found))
        np.testing.assert_allclose(scratch.gaps[:found], 1 / NEIGHBOURS)


class Together(unittest.TestCase):
    """Layers that hold each other out, with sky, lamps and fog each in one of them, sum to the whole picture."""

    def scene(self):
        scene = build_scene()
        return scene.replace(medium=scene.medium.replace(top=2.0, density=0.2))

    def test_layers_sum_to_the_whole(self):
        scene = self.scene()
        groups = [group.name for group in scene.groups]
        front = [name for name in groups if name not in ("room", "plants")]
        orrery = Layer(
            name="orrery", visibility=dict.fromkeys(("room", "plants"), "holdout"), kept_out=("sky", "lamps", "fog")
        )
        room = Layer(name="room", visibility=dict.fromkeys(front, "holdout"))
        plan = Plan(shot=ShotSettings(production="P", code="S", frames="1"), cameras=("wide",), layers=(orrery, room))
        self.assertEqual(together(plan, facts_of(scene)).way, SUM)
        keys = ("beauty", "volume", "background", "emission", "diffuse_direct", "light_lanterns")
        pictures = {
            layer.name: rendered(scene, *keys, camera="wide", visibility=layer.visibility, kept_out=layer.kept_out)
            for layer in (orrery, room)
        }
        whole = rendered(scene, *keys, camera="wide")
        for key in keys:
            both = pictures["orrery"][key] + pictures["room"][key]
            np.testing.assert_allclose(both, whole[key], rtol=1e-4, atol=1e-5, err_msg=key)
        for key in ("volume", "background", "emission"):
            self.assertEqual(pictures["orrery"][key].max(), 0, key)
        self.assertLess(pictures["orrery"]["beauty"][3].mean(), whole["beauty"][3].mean())

        doubled = plan.replace(layers=(orrery.replace(kept_out=()), room))
        self.assertEqual(together(doubled, facts_of(scene)).doubled, ("sky", "lamps", "fog"))
        over = plan.replace(layers=(orrery, room.replace(visibility=dict.fromkeys(front, "shadow-only"))))
        self.assertEqual(together(over, facts_of(scene)).way, OVER)


class LightAlone(unittest.TestCase):
    def test_one_light_group_is_the_same_light_with_fewer_rays(self):
        """Rendered alone it differs from its share of the whole by noise only, and other lamps still stand in the
        way."""
        scene = scene_of([FLOOR, ball()], [LAMP, FILL, white_sky(0.2)])
        alone = rendered(scene, "light_key", samples=256)["light_key"]
        among = rendered(scene, "beauty", "light_key", samples=256)["light_key"]
        self.assertAlmostEqual(alone.mean() / among.mean(), 1, delta=0.02)
        self.assertLess(np.abs(alone - among).max(), 0.2 * among.max())

    def test_indirect_light_is_cut_only_if_asked(self):
        scene = scene_of([FLOOR, ball()], [LAMP.replace(radiance=(900, 600, 300))], materials=RED)
        free, cut = (
            render(
                scene,
                1,
                Order(
                    size=(24, 16),
                    passes={"diffuse_indirect": BY_KEY["diffuse_indirect"]},
                    quality=RenderQuality(samples=16, indirect_limit=limit),
                ),
            )
            for limit in (0.0, 0.5)
        )
        self.assertGreater(free.planes["diffuse_indirect"][0].mean(), cut.planes["diffuse_indirect"][0].mean() * 1.5)
        self.assertNotIn("indirectLimit", free.attributes)
        self.assertEqual(cut.attributes["indirectLimit"], 0.5)


class Prepared(FolderCase):
    def test_bounced_light_is_read_between_prepared_frames(self):
        """Where the camera alone moves: within noise of the full way on average and by pixel, smoother than it, and the
        same picture wherever the frame lies between the two that were prepared."""
        path = (
            CameraKey(frame=1, position=(0, -6, 2), target=(0, 0, 0.5)),
            CameraKey(frame=9, position=(0.4, -6, 2), target=(0, 0, 0.5)),
        )
        camera = Camera(name="front", position=(0, -6, 2), target=(0, 0, 0), fov=45, path=path)
        box = FLOOR.replace(name="wall", kind="box", centre=(0, 2, 1), size=(3, 0.1, 2))
        scene = scene_of([FLOOR, ball(0.7, centre=(0, 0, 0.7)), box], [LAMP, FILL], materials=RED, camera=camera)
        light = PreparedLight(self.folder, every=8, first=1, last=9)
        passes = {
            "beauty": BY_KEY["beauty"],
            "diffuse_indirect": BY_KEY["diffuse_indirect"],
            "light_key": BY_KEY["light_group"],
            "light_fill": BY_KEY["light_group"],
        }

        def frame(number, samples, prepared):
            order = Order(size=(48, 32), passes=passes, quality=RenderQuality(samples=samples), prepared=prepared)
            return render(scene, number, order)

        def indirect(made):
            return np.stack(made.planes["diffuse_indirect"]).astype(float)

        truth, full, quick = (indirect(frame(5, *how)) for how in ((1024, None), (16, None), (16, light)))
        noise = np.abs(full - truth).mean()
        self.assertAlmostEqual(quick.mean() / truth.mean(), 1, delta=0.05)
        self.assertLess(np.abs(quick - truth).mean(), noise)
        # No flicker: from frame to frame it changes less than the noise of the full way does.
        again = indirect(frame(6, 16, light))
        self.assertLess(np.abs(again - quick).mean(), np.abs(indirect(frame(6, 16, None)) - full).mean())
        self.assertEqual(len(list(self.folder.glob("prepared_*.npz"))), 2)
        made = frame(5, 4, light)
        groups = sum(np.stack(made.planes[key]) for key in ("light_key", "light_fill"))
        np.testing.assert_allclose(groups, np.stack(made.planes["beauty"][:3]), rtol=1e-4, atol=1e-5)

    def test_a_damaged_cache_is_made_again(self):
        scene = scene_of([FLOOR, ball()], [LAMP])
        order = Order(
            size=(16, 12),
            passes={"beauty": BY_KEY["beauty"]},
            quality=RenderQuality(samples=2),
            prepared=PreparedLight(self.folder, 4, 1, 10),
        )
        first = render(scene, 1, order).planes["beauty"][0]
        (cache,) = self.folder.glob("*.npz")
        cache.write_bytes(cache.read_bytes()[:100])
        np.testing.assert_array_equal(render(scene, 1, order).planes["beauty"][0], first)


class Written(FolderCase):
    """One frame as planned, and what the audit says once it is not."""

    def setUp(self):
        super().setUp()
        above = Camera(name="front", position=(0, -5, 2), target=(0, 0, 0), fov=40)
        self.scene = scene_of(
            [FLOOR, ball()], [LAMP.replace(radiance=(900, 600, 300)), FILL], materials=RED, camera=above
        )
        self.facts = facts_of(self.scene)
        self.plan = Plan(
            shot=ShotSettings(
                production="P",
                code="S",
                frames="1",
                width=24,
                height=16,
                rate=23.976,
                pixel_aspect=2.0,
                space="acescg",
                overscan=10,
            ),
            cameras=("front",),
            passes=(
                "beauty",
                "diffuse_direct",
                "diffuse_indirect",
                "emission",
                "depth",
                "crypto_object",
                "light_group",
                "mist",
                "raw_light",
                "surface_colour",
            ),
            quality=Quality(samples=2, indirect_limit=3.0),
            packing=Packing(rule="each-pass"),
        )
        self.carry_out(self.plan)

    def carry_out(self, plan):
        self.files = expand(plan, self.facts)
        return make_frame(plan, self.scene, self.facts, next(plan.images()), self.files, 1, self.folder)

    def path(self, title):
        return next(self.folder / planned.path(1) for planned in self.files if planned.group.title == title)

    def kinds(self, plan=None, facts=None):
        return {found.code for found in audit_folder(plan or self.plan, facts or self.facts, self.folder)}

    def rewrite(
        self, title, change=lambda plane: plane, *, compression="zip", header=None, window=None, says_pixels=False
    ):
        """says_pixels: keep the fingerprint of the pixels as they were rendered."""
        path = self.path(title)
        (part,) = read_parts(path)
        with OpenEXR.File(str(path), separate_channels=True) as file:  # its header is only good while it is open
            attributes = {
                name: entry
                for name, entry in file.header().items()
                if name not in ("channels", "type", "compression") and (says_pixels or name != "pixelFingerprint")
            }
            planes = {name: change(channel.pixels.copy()) for name, channel in file.channels().items()}
            if window is not None:
                planes = {name: np.ascontiguousarray(plane[window]) for name, plane in planes.items()}
                low = np.array([part.data_window.x0 + window[1].start, part.data_window.y0 + window[0].start], np.int32)
                height, width = next(iter(planes.values())).shape
                attributes["dataWindow"] = (low, low + np.array([width - 1, height - 1], np.int32))
            attributes["compression"] = {"zip": OpenEXR.ZIP_COMPRESSION, "dwaa": OpenEXR.DWAA_COMPRESSION}[compression]
            OpenEXR.File(attributes | (header or {}), planes).write(str(path) + ".new")
        os.replace(f"{path}.new", path)

    def test_the_header_says_where_it_belongs(self):
        """Read by OpenEXR's own binding and by OpenImageIO."""
        with OpenEXR.File(str(self.path("beauty"))) as file:
            header = file.header()
            np.testing.assert_allclose(header["chromaticities"], CHROMATICITIES["acescg"], atol=1e-6)
            self.assertEqual(header["framesPerSecond"], Fraction(24000, 1001))
            self.assertEqual((header["timeCode"].seconds, header["timeCode"].frame), (0, 1))
            self.assertEqual(
                (header["pixelAspectRatio"], header["camera"], header["indirectLimit"]), (2.0, "front", 3.0)
            )
            told = (header["sceneFingerprint"], header["planFingerprint"])
            self.assertEqual(told, (self.scene.fingerprint, self.plan.fingerprint))
        self.assertEqual(oiio.ImageInput.open(str(self.path("depth"))).spec().getattribute("PixelAspectRatio"), 2.0)

    def test_as_planned(self):
        self.assertEqual(self.kinds(), set())
        self.assertTrue(is_as_planned(self.plan, self.facts, next(self.plan.images()), self.files, 1, self.folder))

    def test_what_it_finds_out(self):
        blind = lambda plane: plane * 0  # noqa: E731
        cases = [
            ("clamped", lambda: self.rewrite("beauty", lambda plane: np.minimum(plane, 1)), {"clamped", "sum"}),
            ("lossy", lambda: self.rewrite("crypto_object", compression="dwaa"), {"compression"}),
            ("cropped", lambda: self.rewrite("depth", window=(slice(2, 14), slice(3, 20))), {"window"}),
            ("blackened", lambda: self.rewrite("beauty", blind), {"blank", "sum"}),
            ("part blackened", lambda: self.rewrite("diffuse_direct", blind), {"sum"}),
            (
                "not a number",
                lambda: self.rewrite("emission", lambda plane: plane + np.float16(np.nan)),
                {"values", "sum"},
            ),
            (
                "display window",
                lambda: self.rewrite(
                    "depth", header={"displayWindow": (np.array([0, 0], np.int32), np.array([11, 7], np.int32))}
                ),
                {"window"},
            ),
            ("aspect", lambda: self.rewrite("depth", header={"pixelAspectRatio": 1.0}), {"aspect"}),
            (
                "colour",
                lambda: self.rewrite("beauty", header={"chromaticities": CHROMATICITIES["lin_rec709"]}),
                {"colour"},
            ),
            ("older scene", lambda: self.rewrite("depth", header={"sceneFingerprint": "0" * 16}), {"scene"}),
            ("other plan", lambda: self.rewrite("depth", header={"planFingerprint": "0" * 16}), {"plan"}),
            ("other camera", lambda: self.rewrite("depth", header={"camera": "side"}), {"place"}),
            ("other frame", lambda: self.rewrite("depth", header={"frame": 2}), {"place"}),
            ("other layer", lambda: self.rewrite("beauty", header={"layer": "set", "shot": "T"}), {"place"}),
            ("beyond its range", lambda: self.rewrite("mist", lambda plane: plane + np.float32(0.5)), {"values"}),
            ("raw light doubled", lambda: self.rewrite("raw_light", lambda plane: plane * 2), {"sum"}),
            (
                "another's",
                lambda: shutil.copy(self.path("emission"), self.path("diffuse_direct")),
                {"place", "sum"},
            ),
            (
                "cut short",
                lambda: self.path("depth").write_bytes(self.path("depth").read_bytes()[:-200]),
                {"unreadable"},
            ),
            ("gone", lambda: self.path("depth").unlink(), {"missing"}),
            ("beside", lambda: self.path("depth").with_name("stray.exr").write_bytes(b"x"), {"extra"}),
        ]
        for name, spoil, kinds in cases:
            self.carry_out(self.plan)
            self.path("depth").with_name("stray.exr").unlink(missing_ok=True)
            spoil()
            with self.subTest(name):
                found = self.kinds()
                self.assertTrue(kinds & found if len(kinds) > 1 else kinds == found, (kinds, found))
                if name != "beside":
                    image = next(self.plan.images())
                    self.assertFalse(is_as_planned(self.plan, self.facts, image, self.files, 1, self.folder))

    def test_pixels_that_are_not_those_that_were_rendered(self):
        """All passes of a frame moved alike still sum; two exchanged files as well."""
        for planned in self.files:
            if planned.group.storage.format == "exr" and not planned.passes[0].kind.own_file:
                self.rewrite(planned.group.title, lambda plane: np.roll(plane, 2, 1), says_pixels=True)
        self.assertEqual(self.kinds(), {"pixels"})
        self.carry_out(self.plan)
        one, other = self.path("emission"), self.path("diffuse_direct")
        one.rename(spare := one.with_suffix(".spare"))
        other.rename(one)
        spare.rename(other)
        found = audit_folder(self.plan, self.facts, self.folder)
        self.assertIn(("place", (1,)), {(each.code, each.frames) for each in found})
        self.assertIn("Holds the pass emission instead of diffuse_direct", " ".join(each.what for each in found))

    def test_a_layer_with_nothing_to_see_is_as_planned(self):
        """Black, as it was rendered; blackened afterwards is another thing."""
        self.rewrite("beauty", lambda plane: plane * 0)
        self.assertIn("blank", self.kinds())
        planes = dict(read_channels(self.path("beauty"), read_parts(self.path("beauty"))[0]).channels)
        self.rewrite("beauty", header={"pixelFingerprint": digest_of(planes)}, says_pixels=True)
        self.assertNotIn("blank", self.kinds())

    def test_a_doubled_component_is_named(self):
        self.rewrite("diffuse_direct", lambda plane: plane * 2)
        (found,) = (each for each in audit_folder(self.plan, self.facts, self.folder) if "components" in each.what)
        self.assertIn("diffuse, direct is 2 times as bright", found.what)
        self.assertEqual((found.frames, found.advice), ((1,), "Render these again."))

    def test_denoised_passes_are_summed_as_well(self):
        plan = self.plan.replace(quality=self.plan.quality.replace(denoise=True), number=3)
        self.carry_out(plan)
        self.assertEqual(self.kinds(plan), set())
        denoised = next(p for p in self.files if p.group.denoised and p.passes[0].key == "diffuse_direct")
        self.rewrite(denoised.group.title, lambda plane: plane * 2)
        self.assertEqual(self.kinds(plan), {"sum"})

    def test_components_of_light_groups_sum_too(self):
        """From Plan to ledger; and the audit tells when one of them lost its light."""
        plan = self.plan.replace(passes=("beauty", "group_components"), number=2)
        self.carry_out(plan)
        self.assertEqual(self.kinds(plan), set())
        sources = find_sources([self.folder / planned.path(1) for planned in self.files])
        self.assertEqual([start.title for start in starts_of(sources)], ["components by light group"])
        ledger = first_ledger(sources)
        self.assertTrue(balance(ledger, sources).balanced)
        lost = ledger.replace(rows=[row for row in ledger.rows if row.source != "diffuse_direct_light_key"])
        self.assertEqual(
            [suggestion.key for suggestion in balance(lost, sources).suggestions], ["diffuse_direct_light_key"]
        )
        self.rewrite("diffuse_direct_light_key", lambda plane: plane * 0)
        self.assertEqual(self.kinds(plan) & {"sum"}, {"sum"})

    def test_other_versions_are_not_strangers(self):
        plan = self.plan.replace(names="{shot}_{pass}_v{version:03}.{frame:04}.{suffix}")
        for number in (1, 2):
            self.carry_out(plan.replace(number=number))
        self.assertEqual(audit_folder(plan.replace(number=2), self.facts, self.folder), [])

    def test_parts_are_stored_each_as_its_pass_asks(self):
        """Lossy colour beside exact data in one file, whatever comes first."""
        storage = Packing(
            rule="parts", colour=Storage(compression="dwaa"), data=Storage(pixel="float", compression="zips")
        )
        plan = self.plan.replace(packing=storage, passes=("depth", "crypto_object", "beauty"), number=3)
        self.carry_out(plan)
        self.assertEqual(audit_folder(plan, self.facts, self.folder), [])
        parts = read_parts(self.folder / self.files[0].path(1))
        self.assertEqual(
            [(part.name, part.compression.split(":")[0]) for part in parts],
            [("depth", "zips"), ("crypto_object", "zips"), ("beauty", "dwaa")],
        )
        exact = self.plan.replace(passes=("crypto_object",), number=4)
        self.carry_out(exact)
        alone = read_channels(self.path("crypto_object"), read_parts(self.path("crypto_object"))[0])
        among = read_channels(self.folder / expand(plan, self.facts)[0].path(1), parts[1])
        for name, plane in alone.channels.items():
            np.testing.assert_array_equal(plane.view(np.uint32), among.plane(name).view(np.uint32))

    def test_warm_up_frames_write_nothing(self):
        before = sorted(self.folder.rglob("*"))
        plan = self.plan.replace(shot=self.plan.shot.replace(warm_up=2))
        self.assertEqual(plan.shot.warm_up_frames, (-1, 0))
        made = make_frame(plan, self.scene, self.facts, next(plan.images()), [], -1, self.folder)
        self.assertEqual((made.paths, sorted(self.folder.rglob("*"))), ((), before))
        self.assertGreater(made.seconds, 0)

    def test_a_part_named_after_the_picture_keeps_its_bare_channels(self):
        path = self.folder / "parts.exr"
        (depth,), (beauty,) = read_parts(self.path("depth")), read_parts(self.path("beauty"))
        write_parts(
            path,
            [
                ("depth", read_channels(self.path("depth"), depth)),
                ("beauty", read_channels(self.path("beauty"), beauty)),
            ],
        )
        names = [name for part in read_parts(path) for name in part.layer_names()]
        self.assertEqual(sorted(names), ["A", "B", "G", "R", "Z"])
