"""Every pass of the catalogue as the stand-in renders and writes it, against closed forms and other libraries."""

import itertools
import json
import math
import unittest
from pathlib import Path

import mmh3
import numpy as np
import OpenEXR
import OpenImageIO as oiio

from demo.conservatory import build_scene
from prism.balance.balance import balance
from prism.formats.exr import read_channels
from prism.formats.headers import read_parts
from prism.intake.auditing import audit_folder
from prism.judging.finding import ERROR
from prism.ledger.first import first_ledger, starts_of
from prism.mattes.cryptomatte import flat_colours, header, name_bits, name_float, ranked
from prism.passes.catalogue import BY_KEY, CATALOGUE
from prism.plan.checks import check
from prism.plan.expansion import expand
from prism.plan.packing import Packing, Storage
from prism.plan.plan import Deep, Layer, LightGroups, Mist, Overlay, Plan, Quality, ShotSettings
from prism.sources.opening import find_sources
from prism.tests.frames import FolderCase
from standin.accumulation import COMPONENTS
from standin.denoise import denoise
from standin.facts import facts_of
from standin.planes import is_drawn
from standin.render import Order, render, with_labels
from standin.render import Quality as RenderQuality
from standin.scene import Camera, Group, Light, Material, Medium, Shape, Turn
from standin.shot import make_frame, order_of
from standin.tests.test_standin import ball, scene_of, white_sky

SIZE = (48, 28)
FLOOR = Shape(name="floor", group="all", material="white", kind="disc", centre=(0, 0, 0), size=(50, 0, 0))
DOWN = Camera(name="down", position=(0, -1, 5), target=(0, 0, 0), fov=30)


def drawn(scene, *keys, frame=1, size=None, samples=16, **more):
    """The planes of passes by key, stacked (channels, H, W), and the frame itself under None."""
    quality = RenderQuality(**{"samples": samples, "indirect_limit": 0.0} | more.pop("quality", {}))
    passes = {key: BY_KEY["light_group" if key.startswith("light_") else key] for key in keys}
    rendered = render(scene, frame, Order(size=size, passes=passes, quality=quality, **more))
    return {key: np.stack(planes).astype(float) for key, planes in rendered.planes.items()} | {None: rendered}


class Everything(FolderCase):
    """All entries of the catalogue on the demo scene, which has fog, wax, glass, and things that turn."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.scene = build_scene()
        cls.facts = facts_of(cls.scene)
        cls.plan = Plan(
            shot=ShotSettings(production="ORR", code="orr", frames="1007", width=48, height=28),
            cameras=("wide",),
            passes=tuple(kind.key for kind in CATALOGUE),
            quality=Quality(samples=4),
            names="v{version:03}/{pass}.{frame:04}.{suffix}",
        )
        image = next(cls.plan.images())
        cls.rendered = render(cls.scene, 1007, order_of(cls.plan, image, expand(cls.plan, cls.facts), Path("/nowhere")))
        cls.planes = {key: np.stack(planes).astype(float) for key, planes in cls.rendered.planes.items()}

    def test_nothing_is_left_undrawn(self):
        self.assertEqual([kind.key for kind in CATALOGUE if not is_drawn(kind.key)], [])
        for key, planes in self.planes.items():
            self.assertTrue((np.isfinite(planes) | key.startswith("depth")).all(), key)
            if key not in ("background_light_moon_rim",):  # the moon stands behind the camera
                self.assertGreater(np.abs(planes).max(), 0, key)

    def test_components_groups_and_both_sum_to_the_beauty(self):
        labels = self.scene.light_groups
        beauty = self.planes["beauty"][:3]
        parts = [f"{component}_light_{label}" for component in COMPONENTS for label in labels]
        for names in (
            COMPONENTS,
            [f"light_{label}" for label in labels],
            [part for part in parts if part in self.planes],
        ):
            total = sum(self.planes[name] for name in names)
            np.testing.assert_allclose(total, beauty, rtol=1e-5, atol=1e-6)
        for component in COMPONENTS:
            own = [self.planes[part] for part in parts if part in self.planes and part.startswith(f"{component}_light")]
            np.testing.assert_allclose(sum(own), self.planes[component], rtol=1e-5, atol=1e-6)
        for total in ("diffuse", "specular"):
            halves = self.planes[f"{total}_direct"] + self.planes[f"{total}_indirect"]
            np.testing.assert_allclose(self.planes[total], halves, rtol=1e-5, atol=1e-6)

    def test_deep_flattens_to_the_beauty(self):
        """Front to back over (Porter & Duff), by hand and by OpenImageIO; exact whatever was merged."""
        for merge, most in ((0.0, 1000), (0.5, 1000), (0.0, 2)):
            plan = self.plan.replace(passes=("beauty", "deep"), deep=Deep(most_samples=most, merge_distance=merge))
            folder = self.folder / f"{merge}{most}"
            image = next(plan.images())
            make_frame(plan, self.scene, self.facts, image, expand(plan, self.facts), 1007, folder)
            flat = oiio.ImageBufAlgo.flatten(oiio.ImageBuf(str(folder / "v001" / "deep.1007.exr")))
            channels = [flat.spec().channelnames.index(name) for name in "RGBA"]
            beauty = read_channels(
                folder / "v001" / "passes.1007.exr", read_parts(folder / "v001" / "passes.1007.exr")[0]
            )
            expected = np.stack([beauty.plane(name).astype(np.float32) for name in "RGBA"], -1)
            np.testing.assert_allclose(flat.get_pixels(oiio.FLOAT)[..., channels], expected, rtol=2e-3, atol=1e-3)
        deep = self.rendered.deep
        self.assertLessEqual(deep.counts.max(), 32)
        self.assertTrue((deep.depth[:, 1] >= deep.depth[:, 0]).all())
        self.assertTrue((deep.alpha <= 1).all())

    def test_every_packing_is_written_as_planned(self):
        """The audit finds nothing, with overscan, denoised files beside, and in each format that can hold the
        passes."""
        shot = self.plan.shot.replace(overscan=10)
        quality = self.plan.quality.replace(denoise=True)
        flat = ("beauty", "emission", "occlusion", "albedo", "variance", "normals")
        tiff = Storage(format="tiff", pixel="float")
        cases = [
            (Packing(rule=rule, beauty_in_data=True), self.plan.passes)
            for rule in ("one-file", "each-pass", "colour-and-data", "parts")
        ]
        cases += [
            (Packing(rule="each-pass", colour=Storage(format="png", pixel="uint16"), data=tiff), flat),
            (Packing(rule="each-pass", colour=tiff, data=tiff), flat),
            (
                Packing(rule="each-pass", colour=Storage(format="tga", pixel="uint8", compression="rle"), data=tiff),
                flat,
            ),
            (
                Packing(rule="each-pass", colour=Storage(format="jpeg", pixel="uint8", compression="jpeg"), data=tiff),
                flat,
            ),
            (
                Packing(
                    rule="each-pass", colour=Storage(compression="dwaa"), data=Storage(pixel="float", compression="piz")
                ),
                flat,
            ),
        ]
        for number, (packing, passes) in enumerate(cases):
            plan = self.plan.replace(shot=shot, packing=packing, passes=passes, quality=quality, number=number + 1)
            files = expand(plan, self.facts)
            folder = self.folder / str(number)
            with self.subTest(packing=packing):
                made = make_frame(plan, self.scene, self.facts, next(plan.images()), files, 1007, folder)
                self.assertEqual(audit_folder(plan, self.facts, folder), [])
                self.assertEqual(len(made.paths), len(files))
            if packing.rule != "parts" and packing.colour.format == "exr":
                self.check_rebuilds(folder / f"v{number + 1:03}")
        part = read_parts(self.folder / "0" / "v001" / "passes.1007.exr")[0]
        self.assertEqual((str(part.data_window), str(part.display_window)), ("58 x 34 at -5,-3", "48 x 28 at 0,0"))

    def check_rebuilds(self, folder):
        """Noisy passes still sum to the noisy beauty, and denoised ones beside them to the denoised, which is
        another."""
        sources = find_sources(sorted(path for path in folder.iterdir() if "deep" not in path.name))
        self.assertIn("beauty_denoised", sources)
        if "diffuse_direct" in sources:
            for start in starts_of(sources):
                ledger = first_ledger(sources, by=start.by, denoised=start.denoised)
                self.assertTrue(balance(ledger, sources).balanced, start)
                self.assertTrue(
                    all(sources.source(row.source).denoised == start.denoised for row in ledger.passes if row.on)
                )
            self.assertEqual({start.denoised for start in starts_of(sources)}, {False, True})
            crossed = first_ledger(sources).replace(beauty="beauty_denoised")
            self.assertFalse(balance(crossed, sources, causes=0).balanced)

    def test_light_groups_as_the_plan_labels_and_chooses_them(self):
        plan = self.plan.replace(
            passes=("beauty", "light_group"),
            light_labels={"moon": "", "sun": "sun"},
            light_groups=LightGroups(mode="all-but", labels=("lanterns",)),
        )
        self.assertEqual(
            with_labels(self.scene, plan.light_labels).light_groups, ("sun", "dusk_sky", "lanterns", "rest")
        )
        image = next(plan.images())
        files = expand(plan, self.facts)
        make_frame(plan, self.scene, self.facts, image, files, 1007, self.folder)
        self.assertEqual(audit_folder(plan, self.facts, self.folder), [])
        self.assertIn("light_rest.R", files[0].channels)
        self.assertNotIn("light_lanterns.R", files[0].channels)
        self.assertNotIn(ERROR, [finding.severity for finding in check(plan, self.facts)])


class Measured(unittest.TestCase):
    """Passes whose values can be worked out."""

    def test_a_moving_point_is_where_the_next_frame_has_it(self):
        """The place a pixel shows, turned on and back and projected by hand."""
        scene = scene_of([ball(radius=0.3, centre=(0.9, 0, 0))], [white_sky()])
        turned = scene.replace(groups=[Group(name="all", turn=Turn(through=(0, 0), degrees_per_frame=3))])
        found = drawn(turned, "motion_forward", "motion_backward", "position", "depth", frame=3)
        seen = np.isfinite(found["depth"][0])
        place = found["position"][:, seen]

        def on_screen(frames):
            angle = math.radians(3 * frames)
            x = place[0] * math.cos(angle) - place[1] * math.sin(angle)
            y = place[0] * math.sin(angle) + place[1] * math.cos(angle)
            return 16 + 16 / math.tan(math.radians(15)) * np.stack([x, -place[2]]) / (5 + y)

        rows, columns = np.nonzero(seen)
        at = on_screen(0)
        self.assertTrue((np.floor(at[0]) == columns).all() and (np.floor(at[1]) == rows).all())
        np.testing.assert_allclose(found["motion_forward"][:, seen], on_screen(1) - at, atol=1e-4)
        np.testing.assert_allclose(found["motion_backward"][:, seen], at - on_screen(-1), atol=1e-4)
        self.assertGreater(seen.sum(), 20)

    def test_directions_and_places(self):
        """A ball seen from the front: its nearest point looks at the camera, and lies half way around and up its
        sheet."""
        found = drawn(scene_of([ball()], [white_sky()]), "normals", "normals_camera", "uv", "depth", "depth_filtered")
        centre = (slice(None), 16, 16)
        np.testing.assert_allclose(found["normals"][centre], (0, -1, 0), atol=0.06)
        np.testing.assert_allclose(found["normals_camera"][centre], (0, 0, 1), atol=0.06)
        np.testing.assert_allclose(found["uv"][centre], (0.5, 0.5), atol=0.03)
        self.assertAlmostEqual(found["depth_filtered"][0, 16, 16], 4, places=2)
        self.assertLessEqual(found["depth"][0, 16, 16], found["depth_filtered"][0, 16, 16])
        self.assertEqual(found["depth_filtered"][0, 0, 0], np.inf)

    def test_a_shadow_is_the_share_of_light_that_arrives(self):
        """A small ball over a white floor under a narrow sun: 0 in the middle of its shadow, 1 in the open."""
        sun = Light(name="sun", kind="distant", radiance=(9, 9, 9), direction=(1, 0, 1), angle=0.3)
        small = ball(radius=0.3, centre=(1, 0, 1))
        scene = scene_of([FLOOR, small], [sun], camera=DOWN.replace(fov=60))
        found = drawn(scene, "shadow", "diffuse_direct", samples=4)
        shadow, lit = found["shadow"][0], found["diffuse_direct"][0]
        self.assertEqual((shadow[16, 16], shadow[30, 2]), (0, 1))
        floor = (slice(None), slice(0, 20))  # the ball hangs over the rest
        np.testing.assert_allclose(lit[floor], shadow[floor] * lit[30, 2], rtol=0.01, atol=1e-6)

    def test_fog_dims_by_beer_and_lambert(self):
        """Alpha of a clear view through fog of length L is 1 - exp(-density L), and a white furnace stays white."""
        straight = Camera(name="flat", position=(0, -5, 0.5), target=(0, 0, 0.5), fov=2)
        wall = Shape(name="wall", group="all", material="white", kind="box", centre=(0, 3, 0), size=(9, 1, 9))
        fog = Medium(density=0.1, top=50, colour=(0, 0, 0))
        lamp = Light(name="lamp", kind="sphere", radiance=(4, 4, 4), centre=(0, 1, 0.5), radius=0.5)
        found = drawn(
            scene_of([wall], [lamp], camera=straight, medium=fog), "emission", "volume", samples=4096, size=(2, 2)
        )
        self.assertAlmostEqual(found["emission"].mean() / (4 * math.exp(-0.1 * 5.5)), 1, delta=0.02)
        self.assertEqual(found["volume"].max(), 0)  # black fog swallows all
        up = Camera(name="up", position=(0, 0, 0), target=(0, 0.01, 9), fov=2)
        alpha = drawn(scene_of([], [white_sky()], camera=up, medium=fog), "beauty", samples=4)["beauty"][3]
        np.testing.assert_allclose(alpha, 1 - math.exp(-5), rtol=1e-4)
        white = Medium(density=0.3, top=1.0, colour=(1, 1, 1), forward=0.4)
        furnace = scene_of([FLOOR], [white_sky()], camera=DOWN, medium=white)
        beauty = drawn(furnace, "beauty", samples=256, size=(8, 8), quality={"most_bounces": 32})["beauty"][0]
        self.assertAlmostEqual(beauty.mean(), 1, delta=0.03)

    def test_wax_only_moves_light_about(self):
        """Under an even sky a flat wax sends back what a gloss of its colour does, as subsurface instead of diffuse."""
        found = {}
        for kind in ("gloss", "wax"):
            materials = {"white": Material(kind=kind, colour=(0.6, 0.6, 0.6), depth=0.1)}
            scene = scene_of([FLOOR], [white_sky()], materials=materials, camera=DOWN)
            found[kind] = drawn(scene, "beauty", "diffuse", "subsurface", samples=64, size=(16, 16))
        self.assertAlmostEqual(found["wax"]["beauty"][0].mean() / found["gloss"]["beauty"][0].mean(), 1, delta=0.02)
        self.assertEqual((found["wax"]["diffuse"].max(), found["gloss"]["subsurface"].max()), (0, 0))
        self.assertGreater(found["wax"]["subsurface"].mean(), 0.4)

    def test_wire_lines_have_their_width(self):
        """A disc seen straight on with 8 divisions each way: its lines cover width x lines / side of it."""
        above = Camera(name="above", position=(0, -0.001, 10), target=(0, 0, 0), fov=60)
        disc = FLOOR.replace(size=(50, 0, 0))
        scene = scene_of([disc], [white_sky()], camera=above)
        side = 2 * 10 * math.tan(math.radians(30))  # of the floor that is seen
        for width in (1.0, 2.0):
            overlay = Overlay(width=width, divisions=64, colour=(0.5, 1, 0))
            wire = drawn(scene, "wire", size=(64, 64), samples=64, overlay=overlay)["wire"]
            spacing_u, spacing_v = (100 / lines / side * 64 for lines in (64, 32))
            expected = 1 - (1 - width / spacing_u) * (1 - width / spacing_v)
            self.assertAlmostEqual(wire[1].mean() / expected, 1, delta=0.15)
            np.testing.assert_allclose(wire[0], wire[1] / 2, atol=1e-6)
            self.assertEqual(wire[2].max(), 0)

    def test_hidden_lines_show_through(self):
        front = drawn(scene_of([ball()], [white_sky()]), "wire", overlay=Overlay())["wire"][0].sum()
        both = drawn(scene_of([ball()], [white_sky()]), "wire", overlay=Overlay(hidden_lines=True))["wire"][0].sum()
        self.assertGreater(both, 1.3 * front)

    def test_variance_is_that_of_many_renders(self):
        lamp = Light(name="lamp", kind="sphere", radiance=(9, 9, 9), centre=(2, -2, 2), radius=0.8)
        scene = scene_of([ball()], [lamp])
        runs = [
            drawn(scene, "beauty", "variance", samples=4, size=(12, 12), quality={"seed": 50 + n}) for n in range(60)
        ]
        spread = np.var([run["beauty"][:3] for run in runs], axis=0).mean()
        told = np.mean([run["variance"] for run in runs])
        self.assertLess(spread / told, 1.2)  # well spread samples do better than the formula for random ones
        self.assertGreater(spread / told, 0.2)

    def test_clean_pixels_end_early_and_a_time_limit_cuts_in(self):
        lamp = Light(name="lamp", kind="sphere", radiance=(9, 9, 9), centre=(2, -2, 2), radius=0.8)
        scene = scene_of([ball()], [lamp])
        all_taken, few = (
            drawn(scene, "beauty", samples=64, quality={"noise_threshold": threshold})[None]
            for threshold in (0.0, 0.05)
        )
        self.assertEqual(all_taken.samples, 64)
        self.assertLess(few.samples, 40)
        limited = drawn(scene, "beauty", samples=100_000, size=(64, 64), quality={"time_limit": 0.5})[None]
        self.assertLess(limited.samples, 100_000)
        self.assertEqual(limited.attributes["samples"], round(limited.samples))


class Layers(unittest.TestCase):
    """Object groups hidden, held out, or throwing shadows alone; materials overridden."""

    def setUp(self):
        other = ball(radius=0.6, centre=(0.7, 0.9, 0.2)).replace(name="other", group="back")
        sun = Light(name="sun", kind="distant", radiance=(9, 9, 9), direction=(-1, -1, 1), angle=2)
        scene = scene_of([ball(radius=0.7)], [sun])
        self.scene = scene.replace(shapes=[*scene.shapes, other], groups=[Group(name="all"), Group(name="back")])

    def test_what_is_held_out_and_what_holds_it_are_the_whole(self):
        whole = drawn(self.scene, "beauty")["beauty"]
        held = [drawn(self.scene, "beauty", visibility={group: "holdout"})["beauty"] for group in ("all", "back")]
        np.testing.assert_allclose(held[0] + held[1], whole, rtol=1e-5, atol=1e-6)
        self.assertGreater(min(layer[3].sum() for layer in held), 5)

    def test_unseen_but_casting_shadows(self):
        seen, unseen, hidden = (
            drawn(self.scene, "beauty", "crypto_object", visibility={"all": how})
            for how in ("visible", "shadow-only", "hidden")
        )
        self.assertGreater(seen["beauty"][3].sum(), unseen["beauty"][3].sum())
        np.testing.assert_array_equal(unseen["beauty"][3], hidden["beauty"][3])
        self.assertLess(unseen["beauty"][0].sum(), 0.95 * hidden["beauty"][0].sum())
        self.assertNotIn(name_float("ball"), unseen["crypto_object"][0])

    def test_overrides(self):
        black, clay, openness = (
            drawn(self.scene, "beauty", "albedo", "occlusion", override=how)
            for how in ("matte-black", "clay", "occlusion")
        )
        solid = black["beauty"][3] == 1
        self.assertEqual((black["beauty"][:3].max(), black["albedo"].max()), (0, 0))
        np.testing.assert_allclose(clay["albedo"][:, solid], 0.5)
        np.testing.assert_allclose(openness["beauty"][0][solid], openness["occlusion"][0][solid], atol=1e-6)

    def test_mist_of_the_plan_and_of_the_scene(self):
        near = drawn(self.scene, "mist", mist=Mist(start=0, depth=0.1))["mist"]
        self.assertEqual(near.min(), 1)
        self.assertLess(drawn(self.scene, "mist")["mist"].min(), 0.6)


class Cryptomattes(unittest.TestCase):
    """Cryptomatte specification 1.2.0. Hashes and bits: computed with mmh3 5.3.1 and an implementation of
    MurmurHash3."""

    HASHES = {
        "hello": 0x248BFA47, "hero": 0x82CE30B4, "bunny": 0x13851A76, "set/floor_01": 0xEB78D37D, "Körper": 0xF3931A00,
        "木": 0x049EF31C, "🌲": 0xB3B6D331, "": 0x00800000,
    }  # fmt: skip
    FIXED = {
        "obj_0138": 0x00DD0F20,
        "cube190": 0x00EFCCE3,
        "sphere513": 0x80BC1210,
        "lamp7": 0x7F0233E9,
        "sphere126": 0xFF3CC62B,
    }

    def test_names_as_numbers(self):
        for name, bits in (self.HASHES | self.FIXED).items():
            self.assertEqual(f"{name_bits(name):08x}", f"{bits:08x}", name)
            self.assertEqual(name_float(name).view(np.uint32), bits)
        self.assertAlmostEqual(float(name_float("hero")), -3.02969338e-37, places=44)
        self.assertTrue(all(np.isfinite(name_float(f"object{n}")) for n in range(3000)))
        for count in (1, 7, 27, 200):
            colours = flat_colours([f"object{n}" for n in range(count)])
            with_black = np.vstack([np.zeros(3), colours])
            apart = np.abs(with_black[:, None] - with_black[None]).max(axis=-1)[np.triu_indices(count + 1, 1)]
            self.assertGreaterEqual(apart.min(), 1 / np.ceil((count + 1) ** (1 / 3)) - 1e-6)

    def test_header(self):
        """The key is the first seven digits of the hash of the layer's name: CryptoObject is 3ae39a5."""
        entries = header("CryptoObject", ["hero", "bunny", "Körper"])
        self.assertEqual(entries["cryptomatte/3ae39a5/name"], "CryptoObject")
        self.assertEqual(entries["cryptomatte/3ae39a5/hash"], "MurmurHash3_32")
        manifest = json.loads(entries["cryptomatte/3ae39a5/manifest"])
        self.assertEqual(manifest, {"hero": "82ce30b4", "bunny": "13851a76", "Körper": "f3931a00"})

    def test_ranks(self):
        things = np.array([[[4, 2, 7, *[-1] * 5]]], np.int32)
        shares = np.array([[[0.15, 0.5, 0.3, *[0] * 5]]])
        ids = np.arange(8, dtype=np.float32)
        values = [float(plane[0, 0]) for plane in ranked(things, shares, ids, 6)]
        np.testing.assert_allclose(values, (2, 0.5, 7, 0.3, 4, 0.15, 0, 0, 0, 0, 0, 0), rtol=1e-6)
        odd = [float(plane[0, 0]) for plane in ranked(things, shares, ids, 1)]
        np.testing.assert_allclose(odd, (2, 0.5, 0, 0), rtol=1e-6)  # one level in a layer that has room for two

    def test_coverages_sum_to_alpha_and_name_what_is_seen(self):
        scene = build_scene().replace(medium=None)
        keys = [f"crypto_{what}" for what in ("object", "material", "group")]
        found = drawn(scene, "beauty", *keys, "id_object", frame=1007, size=SIZE, samples=8, levels=16)
        for key in keys:
            coverage = found[key][1::2]
            np.testing.assert_allclose(coverage.sum(axis=0), found["beauty"][3], atol=1e-6)
            self.assertTrue((np.diff(coverage, axis=0) <= 1e-7).all())
        known = {name_bits(shape.name) for shape in scene.shapes} | {name_bits(light.name) for light in scene.lights}
        planes = found[None].planes["crypto_object"]
        ids = {int(bits) for rank in planes[::2] for bits in np.unique(rank.view(np.uint32))} - {0}
        self.assertLessEqual(ids, known)
        self.assertGreater(len(ids), 25)

    def test_what_a_file_holds(self):
        """Read by OpenEXR's own binding: header entries, and ids to the last bit through a ZIP file."""
        scene = build_scene()
        facts = facts_of(scene)
        plan = Plan(
            shot=ShotSettings(production="ORR", code="orr", frames="1007", width=48, height=28),
            cameras=("wide",), passes=("crypto_material",), quality=Quality(samples=1),
        )  # fmt: skip
        case = FolderCase("run")
        case.setUp()
        self.addCleanup(case.doCleanups)
        (path,) = make_frame(plan, scene, facts, next(plan.images()), expand(plan, facts), 1007, case.folder).paths
        with OpenEXR.File(str(path), separate_channels=True) as file:
            key = f"{mmh3.hash(b'crypto_material', signed=False):08x}"[:7]
            manifest = json.loads(file.header()[f"cryptomatte/{key}/manifest"])
            first = file.channels()["crypto_material00.R"].pixels
        self.assertEqual(manifest["brass"], f"{name_bits('brass'):08x}")
        held = {int(bits) for bits in np.unique(first.view(np.uint32))}
        self.assertLessEqual(held, {int(bits, 16) for bits in manifest.values()} | {0})
        self.assertGreater(len(held), 5)


class Denoising(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(3)
        x, y = np.meshgrid(np.linspace(0, 1, 64), np.linspace(0, 1, 48))
        self.truth = np.stack([0.3 + 0.4 * x, 0.5 - 0.2 * y, np.where(x > 0.5, 0.8, 0.2)])
        self.noise = rng.normal(0, 0.1, (2, *self.truth.shape))
        edge = np.where(x > 0.5, 0.9, 0.1)
        self.guides = {
            "variance": np.full(self.truth.shape, 0.01, np.float32),
            "albedo": np.stack([edge] * 3).astype(np.float32),
            "normals": np.zeros(self.truth.shape, np.float32),
        }

    def clean(self, **layers):
        beauty = (self.truth + self.noise[0]).astype(np.float32)
        layers = {name: planes.astype(np.float32) for name, planes in layers.items()}
        return denoise({"beauty": beauty, **layers}, beauty=beauty, **self.guides), beauty

    def test_noise_goes_and_edges_stay(self):
        """At most a third of the error is left; the step that the albedo shows is as steep as before."""
        cleaned, noisy = self.clean()
        error = np.sqrt(((cleaned["beauty"] - self.truth) ** 2).mean()) / np.sqrt(((noisy - self.truth) ** 2).mean())
        self.assertLess(error, 1 / 3)
        step = cleaned["beauty"][2, :, 33].mean() - cleaned["beauty"][2, :, 30].mean()
        self.assertAlmostEqual(step, 0.6, delta=0.05)

    def test_parts_still_sum(self):
        half = self.truth * 0.3 + self.noise[1] * 0.2
        noisy = self.truth + self.noise[0]
        cleaned, _ = self.clean(a=half, b=noisy - half)
        np.testing.assert_allclose(cleaned["a"] + cleaned["b"], cleaned["beauty"], atol=2e-6)

    def test_a_highlight_stays_and_a_stray_dot_goes(self):
        """Both are as bright; but many samples agree on the one, and the other is a single sample of 16: of value x, it
        leaves a mean of x / 16 and a variance of the mean of (x / 16)^2 (sample variance over n, exactly)."""
        picture = np.full((3, 21, 41), 0.2, np.float32)
        variance = np.full_like(picture, 1e-4)
        picture[:, 10, 10] = picture[:, 10, 30] = 2.6
        variance[:, 10, 10] = 0.04
        variance[:, 10, 30] = 2.4**2
        even = np.zeros_like(picture)
        cleaned = denoise({"a": picture}, beauty=picture, variance=variance, albedo=even, normals=even)["a"]
        self.assertGreater(cleaned[0, 10, 10], 2.5)
        self.assertLess(cleaned[0, 10, 30], 0.5)

    def test_what_is_even_stays_as_it_is(self):
        flat = np.full((3, 20, 20), 0.4, np.float32)
        calm = np.zeros_like(flat)
        cleaned = denoise({"flat": flat}, beauty=flat, variance=calm, albedo=calm, normals=calm)
        np.testing.assert_allclose(cleaned["flat"], flat, rtol=1e-5)


class Carried(FolderCase):
    def test_a_plan_of_layers_and_cameras(self):
        """Every layer through every camera, a pass less for one of them; together just what the plan lists."""
        scene = build_scene()
        facts = facts_of(scene)
        turning = [group.name for group in scene.groups if group.turn]
        plan = Plan(
            shot=ShotSettings(production="ORR", code="orr", frames="1001-1002", width=32, height=18),
            cameras=("wide", "close"),
            layers=(
                Layer(name="room", visibility=dict.fromkeys(turning, "shadow-only"), passes=("beauty", "depth")),
                Layer(
                    name="lines",
                    override="matte-black",
                    for_camera={"close": ("beauty", "wire")},
                    passes=("wire", "beauty", "uv"),
                ),
            ),
            quality=Quality(samples=1),
            names="{layer}/{camera}/{pass}_v{version:03}.{frame:04}.{suffix}",
        )
        files = expand(plan, facts)
        for image, frame in itertools.product(plan.images(), (1001, 1002)):
            own = [
                planned
                for planned in files
                if (planned.values["layer"], planned.values["camera"]) == (image.layer.name, image.camera)
            ]
            make_frame(plan, scene, facts, image, own, frame, self.folder)
        self.assertEqual(audit_folder(plan, facts, self.folder), [])
        self.assertNotIn("uv.u", files[3].channels)
