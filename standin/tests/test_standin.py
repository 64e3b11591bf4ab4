"""The stand-in renderer: its sums, closed-form answers, and geometry checked by other means."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numba import njit

from demo.conservatory import build_scene
from prism.balance.balance import balance
from prism.combine.evaluate import evaluate
from prism.errors import BadArgument, BadDocument, Superseded
from prism.ledger.bases import BASES, RAW
from prism.ledger.document import Ledger
from prism.ledger.first import first_ledger
from prism.ledger.rows import PassRow
from prism.naming.patterns import parse_pattern
from prism.sources.opening import find_sources
from prism.tests.frames import FolderCase
from standin.accumulation import COMPONENTS
from standin.rays import FAR, enter_boxes, hit_shape, nearest
from standin.render import Order, Quality, render_frame, settings_of
from standin.sampling import pair
from standin.scene import Camera, Group, Light, Material, Mist, Scene, Shape, Turn
from standin.shading import dielectric, ggx, ggx_direction
from standin.stage import build_stage
from standin.survey import mist_amount
from standin.tree import LOPSIDED, MOST_WAITING, WIDE, grow, new_walk
from standin.write import IN_ONE_FILE, write_frame

SIZE = (64, 36)
EACH_PASS = parse_pattern("{shot}/{pass}/{shot}_{pass}.{frame:04}.exr")


def scene_of(shapes, lights, materials=None, camera=None, **more) -> Scene:
    return Scene(
        name="test",
        first=1,
        last=10,
        size=(32, 32),
        materials=materials or {"white": Material(kind="matte", colour=(1, 1, 1))},
        groups=[Group(name="all")],
        shapes=shapes,
        lights=lights,
        cameras=[camera or Camera(name="front", position=(0, -5, 0), target=(0, 0, 0), fov=30)],
        mist=more.pop("mist", Mist(start=3, depth=4)),
        **more,
    )


def ball(radius=1.0, material="white", centre=(0, 0, 0)) -> Shape:
    return Shape(name="ball", group="all", material=material, kind="sphere", centre=centre, size=(radius, 0, 0))


def white_sky(level=1.0) -> Light:
    """The same radiance from everywhere above the horizon."""
    return Light(name="sky", kind="sky", radiance=(level,) * 3, horizon=(level,) * 3)


def plane(image, name):
    return image.plane(name).astype(np.float64)


class Sums(FolderCase):
    """A renderer's components, and likewise its light groups, add up to its beauty (common practice, no source)."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.scene = build_scene()
        cls.image = render_frame(cls.scene, 1007, size=SIZE, quality=Quality(samples=2))

    def rgb(self, layer):
        return np.stack([plane(self.image, f"{layer}.{c}" if layer else c) for c in "RGB"])

    def test_components_and_groups_sum_to_the_beauty(self):
        beauty = self.rgb("")
        for names in (COMPONENTS, [f"light_{group}" for group in self.scene.light_groups]):
            total = sum(self.rgb(name) for name in names)
            # each float32 plane is rounded once: half a unit in the last place of every term
            allowed = 2.0**-24 * (sum(np.abs(self.rgb(name)) for name in names) + np.abs(beauty)) + 1e-30
            self.assertTrue((np.abs(total - beauty) <= allowed).all())
        self.assertGreater(beauty.max(), 1)

    def test_every_component_carries_something_in_the_demo(self):
        for name in (*COMPONENTS, *(f"light_{group}" for group in self.scene.light_groups)):
            self.assertGreater(self.rgb(name).mean(), 1e-5, name)

    def test_raw_light_times_surface_colour_is_diffuse(self):
        lit = self.rgb("diffuse_direct") + self.rgb("diffuse_indirect")
        np.testing.assert_allclose(self.rgb("raw_light") * self.rgb("surface_colour"), lit, rtol=1e-6, atol=1e-9)

    def test_nothing_is_strange(self):
        for name, values in self.image.channels.items():
            self.assertTrue((np.isfinite(values) | (name == "Z")).all(), name)
        for name in ("A", "mist.V", "occlusion.V"):
            self.assertTrue(((plane(self.image, name) >= 0) & (plane(self.image, name) <= 1 + 1e-6)).all(), name)

    def test_mist_follows_depth_on_solid_pixels(self):
        """t = (Z - near) / (far - near), clamped; where all samples of a pixel see one smooth surface."""
        depth, mist = plane(self.image, "Z"), plane(self.image, "mist.V")
        expected = np.clip((depth - self.scene.mist.near) / (self.scene.mist.far - self.scene.mist.near), 0, 1)
        self.assertLess(np.median(np.abs(expected - mist)[np.isfinite(depth)]), 0.02)
        np.testing.assert_array_equal(mist[np.isinf(depth)], 1)

    def test_the_same_bits_again_and_others_by_seed(self):
        again = render_frame(self.scene, 1007, size=SIZE, quality=Quality(samples=2))
        other = render_frame(self.scene, 1007, size=SIZE, quality=Quality(samples=2, seed=2))
        np.testing.assert_array_equal(again.plane("R"), self.image.plane("R"))
        self.assertFalse(np.array_equal(other.plane("R"), self.image.plane("R")))

    def test_written_passes_rebuild_the_written_beauty(self):
        for pattern in (IN_ONE_FILE, EACH_PASS):
            files = write_frame(self.image, self.folder, "orr", 1007, pattern=pattern)
            sources = find_sources(files)
            for way in (*BASES[:2], RAW):
                with self.subTest(pattern.text, way=way):
                    self.assertTrue(balance(first_ledger(sources, by=way), sources).balanced)
            raw = Ledger(
                alpha=None,
                rows=(
                    PassRow(id="c", source="surface_colour", operator="over"),
                    PassRow(id="l", source="raw_light", operator="multiply"),
                ),
            )
            lit = self.rgb("diffuse_direct") + self.rgb("diffuse_indirect")
            np.testing.assert_allclose(evaluate(raw, sources).rgba[:3], lit, rtol=2e-3, atol=1e-5)

    def test_files_hold_what_the_catalogue_says(self):
        """Every pass is known, in the channels and the pixel type its entry names."""
        sources = list(find_sources(write_frame(self.image, self.folder, "orr", 7)))
        self.assertEqual(len(sources), 3 + len(COMPONENTS) + len(self.scene.light_groups) + 4)
        for source in sources:
            with self.subTest(source.key):
                channels = [*source.colour, *([source.alpha] if source.alpha else [])]
                self.assertEqual(tuple(name.rpartition(".")[2] for name in channels), source.kind.channels)
                self.assertEqual(source.pixel_type, source.kind.pixel)

    def test_one_file_or_one_for_each_pass(self):
        self.assertEqual([path.name for path in write_frame(self.image, self.folder, "orr", 7)], ["orr.0007.exr"])
        names = {path.name for path in write_frame(self.image, self.folder, "orr", 7, pattern=EACH_PASS)}
        self.assertLessEqual(
            {"orr_beauty.0007.exr", "orr_depth.0007.exr", "orr_normals.0007.exr", "orr_light_lanterns.0007.exr"}, names
        )

    def test_a_dropped_render(self):
        with self.assertRaises(Superseded):
            render_frame(self.scene, 1007, size=SIZE, is_stale=lambda: True)


class ClosedForm(unittest.TestCase):
    """Scenes whose answer can be written down."""

    def render(self, scene, samples=64, **quality):
        return render_frame(scene, 1, quality=Quality(samples=samples, **quality))

    def test_white_furnace(self):
        """A white body under a sky of 1 sends back 1 wherever it sees only sky: radiance in equals radiance out."""
        scene = scene_of(
            [Shape(name="floor", group="all", material="white", kind="disc", centre=(0, 0, 0), size=(50, 0, 0))],
            [white_sky()],
            camera=Camera(name="down", position=(0, -1, 5), target=(0, 0, 0), fov=30),
        )
        image = self.render(scene, samples=16)
        np.testing.assert_allclose(plane(image, "R"), 1, rtol=1e-6)
        np.testing.assert_allclose(plane(image, "diffuse_direct.R"), 1, rtol=1e-6)

    def test_sun_on_a_plane(self):
        """A distant disc of half angle a at height h: E = L pi sin^2 a sin h, and a matte of albedo r sends r E /
        pi."""
        angle, height, radiance, albedo = 3.0, 40.0, 20.0, 0.5
        h = math.radians(height)
        scene = scene_of(
            [Shape(name="floor", group="all", material="grey", kind="disc", centre=(0, 0, 0), size=(50, 0, 0))],
            [
                Light(
                    name="sun",
                    kind="distant",
                    radiance=(radiance,) * 3,
                    direction=(math.cos(h), 0, math.sin(h)),
                    angle=angle,
                )
            ],
            materials={"grey": Material(kind="matte", colour=(albedo,) * 3)},
            camera=Camera(name="down", position=(0, -1, 5), target=(0, 0, 0), fov=30),
        )
        expected = albedo * radiance * math.sin(math.radians(angle)) ** 2 * math.sin(h)
        image = self.render(scene)
        self.assertAlmostEqual(plane(image, "R").mean() / expected, 1, places=2)

    def test_ball_light_above_a_plane(self):
        """A ball of radius r at distance d straight above: E = pi L (r/d)^2 (form factor of a sphere, closed form)."""
        radius, distance, radiance = 0.5, 2.0, 10.0
        scene = scene_of(
            [Shape(name="floor", group="all", material="white", kind="disc", centre=(0, 0, 0), size=(50, 0, 0))],
            [Light(name="lamp", kind="sphere", radiance=(radiance,) * 3, centre=(0, 0, distance), radius=radius)],
            camera=Camera(name="spot", position=(0, -3, 0.9), target=(0, 0, 0), fov=1.5),
        )
        image = self.render(scene, samples=256)
        self.assertAlmostEqual(
            plane(image, "R")[14:18, 14:18].mean() / (radiance * (radius / distance) ** 2), 1, places=2
        )

    def test_depth_and_normal_of_a_sphere(self):
        image = self.render(scene_of([ball()], [white_sky()]), samples=64)
        self.assertAlmostEqual(plane(image, "Z")[16, 16], 4, places=2)
        self.assertAlmostEqual(plane(image, "N.Y")[16, 16], -1, places=2)
        self.assertEqual(plane(image, "Z")[0, 0], np.inf)
        # A sphere of radius r at distance d covers a disc of half angle asin(r / d).
        covered = plane(image, "A").sum() / 32**2
        half_width = math.tan(math.radians(15))
        expected = math.pi * math.tan(math.asin(1 / 5)) ** 2 / (2 * half_width) ** 2
        self.assertAlmostEqual(covered / expected, 1, places=2)

    def test_occlusion_in_the_open_and_in_a_box(self):
        floor = Shape(name="floor", group="all", material="white", kind="disc", centre=(0, 0, 0), size=(50, 0, 0))
        roof = Shape(name="roof", group="all", material="white", kind="disc", centre=(0, 0, 0.5), size=(50, 0, 0))
        camera = Camera(name="in", position=(0, -1, 0.25), target=(0, 0, 0), fov=30)
        opened = self.render(scene_of([floor], [white_sky()], camera=camera), samples=16)
        closed = self.render(scene_of([floor, roof], [white_sky()], camera=camera, occlusion_distance=100), samples=16)
        self.assertEqual(plane(opened, "occlusion.V").min(), 1)
        self.assertEqual(np.median(plane(closed, "occlusion.V")), 0)

    def test_a_pane_keeps_the_background_a_background(self):
        """Looking through a thin pane: light splits into what comes through and what is mirrored, and alpha into the
        same."""
        pane = Shape(
            name="pane", group="all", material="pane", kind="disc", centre=(0, -3, 0), axis=(0, 1, 0), size=(9, 0, 0)
        )
        materials = {"pane": Material(kind="pane", colour=(1, 1, 1), ior=1.5)}
        up = Camera(name="up", position=(0, -5, 0), target=(0, -3, 0.3), fov=5)
        image = self.render(scene_of([pane], [white_sky()], materials=materials, camera=up), samples=256)
        single = ((1.5 - 1) / (1.5 + 1)) ** 2  # Fresnel at the normal
        mirrored = 2 * single / (1 + single)
        self.assertAlmostEqual(plane(image, "A").mean(), mirrored, places=2)
        self.assertAlmostEqual(plane(image, "background.R").mean(), 1 - mirrored, places=2)
        self.assertAlmostEqual(plane(image, "specular_direct.R").mean(), mirrored, places=2)

    def test_noise_falls_with_samples(self):
        """At least as fast as 1 / sqrt(n): four times the samples, at most 0.62 of the noise."""
        scene = scene_of(
            [ball()],
            [Light(name="lamp", kind="sphere", radiance=(9, 9, 9), centre=(2, -2, 2), radius=0.8)],
        )
        reference = plane(self.render(scene, samples=1024), "diffuse_direct.R")
        errors = [
            np.sqrt(((plane(self.render(scene, samples=n, seed=5), "diffuse_direct.R") - reference) ** 2).mean())
            for n in (4, 16)
        ]
        self.assertLess(errors[1] / errors[0], 0.62)


class Geometry(unittest.TestCase):
    SHAPES = {
        "sphere": (0.8, 0, 0),
        "cylinder": (0.5, 0.7, 0),
        "band": (0.5, 0.7, 0),
        "ring": (0.7, 0.2, 0),
        "box": (0.6, 0.4, 0.8),
        "disc": (0.9, 0, 0),
        "dome": (0.8, 0, 0),
    }

    def stage_of(self, *kinds):
        shapes = [
            Shape(
                name=f"s{i}",
                group="all",
                material="white",
                kind=kind,
                centre=(0, 0, 0),
                axis=(0.3, -0.5, 0.8),
                size=self.SHAPES[kind],
            )
            for i, kind in enumerate(kinds)
        ]
        return build_stage(scene_of(shapes, [white_sky()]), 1)

    def rays(self, count, seed=4):
        rng = np.random.default_rng(seed)
        origins = rng.normal(0, 1, (count, 3))
        origins *= 3 / np.linalg.norm(origins, axis=1, keepdims=True)
        towards = rng.normal(0, 0.5, (count, 3)) - origins
        return origins, towards / np.linalg.norm(towards, axis=1, keepdims=True)

    @staticmethod
    def outside(kind, p, size):
        """Signed measure that is 0 on the surface: the shape's own equation, written independently."""
        x, y, z = p
        a, b, c = size
        return {
            "sphere": math.hypot(x, y, z) - a,
            "dome": math.hypot(x, y, z) - a,
            "disc": z,
            "ring": math.hypot(math.hypot(x, y) - a, z) - b,
            "cylinder": max(math.hypot(x, y) - a, abs(z) - b),
            "band": math.hypot(x, y) - a,
            "box": max(abs(x) - a, abs(y) - b, abs(z) - c),
        }[kind]

    def test_hits_lie_on_the_surface_and_face_outwards(self):
        for kind, size in self.SHAPES.items():
            shape = self.stage_of(kind).shapes[0]
            hits = 0
            for origin, towards in zip(*self.rays(300), strict=True):
                t, normal = hit_shape(shape, tuple(origin), tuple(towards), 1e-6)
                if t >= FAR:
                    continue
                hits += 1
                local = shape["frame"] @ (origin + t * towards)
                self.assertAlmostEqual(self.outside(kind, local, size), 0, places=5, msg=kind)
                self.assertAlmostEqual(math.hypot(*normal), 1, places=6)
                ahead = self.outside(kind, local + 1e-3 * (shape["frame"] @ np.array(normal)), size)
                self.assertGreater(ahead, 0, kind)
            self.assertGreater(hits, 30, kind)

    def test_a_torus_against_the_roots_of_its_quartic(self):
        """NumPy's polynomial roots as reference; near misses (roots that nearly meet) are left out."""
        shape = self.stage_of("ring").shapes[0]
        big, small, _ = self.SHAPES["ring"]
        compared = 0
        for origin, towards in zip(*self.rays(400, seed=9), strict=True):
            o, d = shape["frame"] @ origin, shape["frame"] @ towards
            point = [np.polynomial.Polynomial([o[i], d[i]]) for i in range(3)]
            square = sum(p * p for p in point)
            flat = point[0] ** 2 + point[1] ** 2
            roots = ((square + (big**2 - small**2)) ** 2 - 4 * big**2 * flat).roots()
            real = sorted(root.real for root in roots if abs(root.imag) < 1e-9 and root.real > 0)
            t, _ = hit_shape(shape, tuple(origin), tuple(towards), 1e-6)
            if real and real[1] - real[0] > 1e-2:
                self.assertAlmostEqual(t, real[0], places=5)
                compared += 1
            elif not real and min(abs(root.imag) for root in roots) > 1e-2:
                self.assertEqual(t, FAR)
        self.assertGreater(compared, 100)

    def test_no_ray_enters_the_tree_of_an_empty_scene(self):
        boxes = build_stage(scene_of([], [white_sky()]), 1).tree.boxes
        for towards in np.concatenate([np.eye(3), -np.eye(3), np.random.default_rng(2).normal(0, 1, (200, 3))]):
            inverse = tuple(1 / np.where(towards == 0, 1e-300, towards))
            for origin in ((0.0, 0.0, 0.0), (5.0, -7.0, 2.0)):
                enter_boxes(boxes, 0, origin, inverse, FAR, entries := np.zeros(WIDE))
                self.assertEqual([*entries], [FAR] * WIDE)

    def test_the_box_tree_finds_what_a_full_search_finds(self):
        stage = build_stage(build_scene(), 1013)
        walk = new_walk()

        @njit
        def search(shapes, origin, towards):
            best = FAR
            for i in range(shapes.size):
                t, _ = hit_shape(shapes[i], origin, towards, 0.0)
                best = min(best, t)
            return best

        rng = np.random.default_rng(1)
        for _ in range(500):
            origin = tuple(rng.uniform((-4, -4, 0.05), (4, 4, 3)))
            towards = rng.normal(0, 1, 3)
            towards = tuple(towards / np.linalg.norm(towards))
            self.assertEqual(nearest(stage, origin, towards, 0.0, FAR, walk)[0], search(stage.shapes, origin, towards))

    def test_no_tree_is_deeper_than_a_ray_has_room_for(self):
        """Boxes that double in size and distance are split off one by one, which stops after a while."""
        low = 2.0 ** np.arange(600)[:, np.newaxis].repeat(3, axis=1) / 2**300
        tree, order = grow(np.hstack([low, 1.5 * low]))
        self.assertEqual(sorted(order), list(range(600)))

        def deepest(branch):
            return 1 + max((deepest(inside) for inside in tree.inside[branch] if inside > 0), default=0)

        halved = math.ceil(math.log2(len(order)))
        self.assertLessEqual(deepest(0), LOPSIDED + halved)
        self.assertLess((LOPSIDED + 40) * (WIDE - 1), MOST_WAITING)

    def test_groups_turn(self):
        scene = scene_of([ball(centre=(1, 0, 0))], [white_sky()])
        turning = scene.model_copy(
            update={"groups": [Group(name="all", turn=Turn(through=(0, 0), degrees_per_frame=10))]}
        )
        np.testing.assert_allclose(build_stage(turning, 10).shapes[0]["centre"], (0, 1, 0), atol=1e-12)


class Scattering(unittest.TestCase):
    def test_fresnel(self):
        """Glass of index 1.5: 4 % at the normal, all at grazing; total reflection inside beyond 41.8 degrees."""
        self.assertAlmostEqual(dielectric(1.0, 1 / 1.5), 0.04)
        self.assertAlmostEqual(dielectric(1e-9, 1 / 1.5), 1, places=6)
        self.assertEqual(dielectric(math.cos(math.radians(42)), 1.5), 1)
        self.assertLess(dielectric(math.cos(math.radians(41)), 1.5), 1)

    def test_reflection_density_is_that_of_the_sampled_directions(self):
        """Share of samples in a cap equals the integral of the density over it, for a rough and a smooth surface."""
        n, view = (0.0, 0.0, 1.0), (0.6, 0.0, 0.8)
        for alpha in (0.15, 0.6):
            mirror = np.array([-0.6, 0, 0.8])
            drawn = np.array([ggx_direction(n, view, alpha, *pair(np.uint64(3), i, 1)) for i in range(4096)])
            share = (drawn @ mirror > 0.9).mean()
            rng = np.random.default_rng(0)
            z, around = rng.uniform(0.9, 1, 20000), rng.uniform(0, 2 * math.pi, 20000)
            side = np.cross(mirror, [0, 1, 0])
            flat = np.sqrt(1 - z * z)
            cap = (
                z[:, None] * mirror
                + (flat * np.cos(around))[:, None] * side
                + (flat * np.sin(around))[:, None] * [0, 1, 0]
            )
            density = np.mean([ggx(n, view, tuple(direction), alpha)[1] for direction in cap]) * 2 * math.pi * 0.1
            self.assertAlmostEqual(share, density, places=1)
            self.assertLess(abs(share - density), 0.03)

    def test_reflected_light_by_sampling_and_by_quadrature(self):
        """A white GGX surface returns what its reflection factor integrates to over the hemisphere, and never gains."""
        n, view = (0.0, 0.0, 1.0), (0.3, 0.0, math.sqrt(0.91))
        z = (np.arange(200) + 0.5) / 200
        around = (np.arange(100) + 0.5) / 100 * 2 * math.pi
        for alpha in (0.1, 0.3, 0.5):
            grid = [
                ggx(n, view, (math.sqrt(1 - c * c) * math.cos(p), math.sqrt(1 - c * c) * math.sin(p), c), alpha)[0]
                for c in z
                for p in around
            ]
            integral = np.mean(grid) * 2 * math.pi
            drawn = [ggx(n, view, ggx_direction(n, view, alpha, *pair(np.uint64(1), i, 1)), alpha) for i in range(2048)]
            sampled = sum(value / density for value, density in drawn if density > 0) / len(drawn)
            self.assertAlmostEqual(sampled, integral, delta=0.01)
            self.assertLess(integral, 1)

    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 2**32 - 1), st.integers(0, 5000))
    def test_samples_are_stratified(self, seed, purpose):
        """Of 16 Sobol points, one lies in each cell of a 4 x 4, a 16 x 1 and a 1 x 16 grid, however scrambled."""
        points = np.array([pair(np.uint64(seed), i, purpose) for i in range(16)])
        self.assertTrue(((points >= 0) & (points < 1)).all())
        self.assertEqual(len({tuple(cell) for cell in (points * 4).astype(int)}), 16)
        for axis in (0, 1):
            self.assertEqual(len(set((points[:, axis] * 16).astype(int))), 16)


class MistAndScenes(unittest.TestCase):
    def test_the_mist_of_a_ray_is_that_of_its_depth(self):
        """t, t^2 and sqrt(t) between near 5 and far 30 (common practice, no source)."""
        table = {
            5: (0, 0, 0),
            11.25: (0.25, 0.0625, 0.5),
            17.5: (0.5, 0.25, 0.7071068),
            30: (1, 1, 1),
            99: (1, 1, 1),
            0: (0, 0, 0),
        }
        for depth, expected in table.items():
            for power, value in zip((1, 2, 0.5), expected, strict=True):
                made = settings_of(scene_of([], []), Order(mist=Mist(near=5, far=30, power=power)), 1, ())
                self.assertAlmostEqual(mist_amount(made, float(depth)), value, places=6)

    def test_lights_without_a_label_are_the_rest(self):
        lights = [white_sky(), Light(name="a", label="key", kind="distant", radiance=(1, 1, 1))]
        self.assertEqual(scene_of([ball()], lights).light_groups, ("key", "rest"))

    def test_scenes_that_make_no_sense(self):
        good = scene_of([ball()], [white_sky()]).as_json()
        cases = [
            (
                "shapes.0.material: there is no material absent",
                {"shapes": [{**good["shapes"][0], "material": "absent"}]},
            ),
            ("shapes.0.group: there is no group absent", {"shapes": [{**good["shapes"][0], "group": "absent"}]}),
            ("cameras", {"cameras": []}),
            ("last frame is before", {"last": 0}),
            ("shapes.1.name: there is another", {"shapes": good["shapes"] * 2}),
            ("lights.0.name: there is another", {"lights": [{**good["lights"][0], "name": good["shapes"][0]["name"]}]}),
            ("shapes.0.axis", {"shapes": [{**good["shapes"][0], "axis": [0, 0, 0]}]}),
            (
                "stands in its own target",
                {"cameras": [{**good["cameras"][0], "target": good["cameras"][0]["position"]}]},
            ),
            ("lights.0.group: there is no group", {"lights": [{**good["lights"][0], "group": "absent"}]}),
            ("lights.0.radiance.1", {"lights": [{**good["lights"][0], "radiance": [1, -1, 1]}]}),
        ]
        for text, change in cases:
            with self.subTest(text), self.assertRaisesRegex(BadDocument, text):
                Scene.from_json(good | change)

    def test_unknown_camera(self):
        with self.assertRaisesRegex(BadArgument, "The scene has front"):
            scene_of([ball()], [white_sky()]).camera("back")

    def test_an_empty_scene_is_all_background(self):
        image = render_frame(scene_of([], [white_sky(0.5)]), 1, quality=Quality(samples=2))
        self.assertEqual(plane(image, "A").max(), 0)
        self.assertEqual(plane(image, "Z").min(), np.inf)
