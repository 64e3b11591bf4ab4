"""Parts of the stand-in's compiled loops on their own: deep samples, fog, places on surfaces, cameras."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from standin.accumulation import (
    COMPONENTS,
    DIFFUSE,
    SPECULAR,
    SUBSURFACE,
    TRANSMISSION,
    VOLUME,
    component_of,
    part_row,
    rows_of,
)
from standin.deepening import DEEP_CHANNELS, ITEM_VALUES, RAY_VALUES, deepen, item_rows, sort_by_depth
from standin.medium import phase, phase_direction, transmittance, within
from standin.rays import FAR
from standin.sampling import pair
from standin.scene import Camera, Shape
from standin.stage import Fog, build_stage
from standin.surfaces import moved, on_screen, sheet_place, step_between
from standin.tests.test_standin import scene_of, white_sky
from standin.tracing import camera_ray
from standin.view import camera_axes, camera_table

rays_of = st.lists(
    st.tuples(
        *(
            st.floats(1, 100),
            st.floats(0, 1),
            st.floats(0, 5),
            st.floats(0, 5),
            st.floats(0, 5),
            st.floats(0, 0.9),
            st.floats(0, 0.9),
        )
    ),
    min_size=1,
    max_size=12,
)


class DeepSamples(unittest.TestCase):
    def table(self, rays):
        """Camera rays as (depth, coverage, r, g, b, fog alpha, share of the way at which it begins); fog is grey,
        0.2."""
        table = np.zeros((len(rays), RAY_VALUES))
        for ray, (depth, covered, *colour, fog, begin) in zip(table, rays, strict=True):
            ray[0], ray[1], ray[2:5] = depth, covered * (1 - fog) / len(rays), np.array(colour) / len(rays)
            ray[5:8] = fog, begin * depth, depth
            ray[8:11] = 0.2 * fog / len(rays)
        return table

    def samples(self, table, most, distance):
        out = np.zeros((most, DEEP_CHANNELS), np.float32)
        items = np.zeros((item_rows(len(table)), ITEM_VALUES))
        return out[: deepen(table.copy(), len(table), most, distance, FAR, items, out)].astype(float)

    @settings(max_examples=80, deadline=None)
    @given(rays_of, st.integers(1, 12), st.sampled_from((0.0, 0.5, 30.0)))
    def test_flattened_it_is_the_sum_of_its_rays(self, rays, most, distance):
        """Over (Porter & Duff), near to far, whatever was merged; and tidy, as "Interpreting OpenEXR Deep Pixels" has
        it: sorted, and no two samples share any depth. One sample alone still holds the fog."""
        table = self.table(rays)
        light = table[:, 2:5].sum(axis=0) + table[:, 8:11].sum(axis=0)
        covered = table[:, 1].sum() + table[:, 5].mean()
        samples = self.samples(table, most, distance)
        flat, alpha = np.zeros(3), 0.0
        for sample in samples:
            flat += (1 - alpha) * sample[:3]
            alpha += (1 - alpha) * sample[3]
        np.testing.assert_allclose(flat, light, rtol=1e-4, atol=1e-4)
        self.assertAlmostEqual(alpha, min(1, covered), places=4)
        self.assertTrue((samples[:, 5] >= samples[:, 4]).all())
        self.assertTrue((samples[1:, 4] >= samples[:-1, 5] - 1e-5 * samples[:-1, 5]).all())
        self.assertLessEqual(len(samples), most)

    def test_fog_that_begins_behind_a_surface_stays_behind_it(self):
        near = self.table([(2, 1, 1, 1, 1, 0, 1), (10, 1, 0, 1, 0, 0.5, 0.5)])
        samples = self.samples(near, 8, 0.0)
        self.assertEqual([tuple(sample[4:]) for sample in samples], [(2, 2), (5, 10), (10, 10)])
        np.testing.assert_allclose(samples[:, 3], [0.5, 0.5, 1.0], atol=1e-6)

    def test_fog_is_cut_where_surfaces_lie_in_it(self):
        """Beer-Lambert: half way through fog of alpha 0.75 half its light is gone."""
        table = self.table([(4, 1, 0, 0, 0, 0, 1), (8, 1, 0, 0, 0, 0.75, 0)])
        samples = self.samples(table, 8, 0.0)
        self.assertEqual([tuple(sample[4:]) for sample in samples], [(0, 4), (4, 4), (4, 8), (8, 8)])
        self.assertAlmostEqual(samples[0, 3], 0.5 * 0.5, places=6)

    def test_sorted(self):
        rng = np.random.default_rng(1)
        table = rng.random((900, 5))
        expected = table[np.argsort(table[:, 0])]
        sort_by_depth(table, 900)
        np.testing.assert_array_equal(table, expected)

    def test_what_merges(self):
        """Bunches are counted from their first; joined depths are means by coverage; the closest two go first."""
        depths = np.array([1.0, 1.05, 1.09, 1.2, 5.0])
        table = self.table([(depth, 1, 1, 1, 1, 0, 1) for depth in depths])
        np.testing.assert_allclose(self.samples(table, 9, 0.1)[:, 4], (depths[:3].mean(), 1.2, 5.0), rtol=1e-6)
        two = self.samples(table, 2, 0.1)
        np.testing.assert_allclose(two[:, 4], ((3 * depths[:3].mean() + 1.2) / 4, 5.0), rtol=1e-6)
        np.testing.assert_allclose(two[:, 3], (0.8, 1.0), rtol=1e-6)


class FogAlone(unittest.TestCase):
    def test_the_phase_function_is_a_density_with_its_mean_cosine(self):
        """Henyey & Greenstein, 1941: it integrates to 1 over the sphere, and the mean cosine is its parameter."""
        cosines = np.linspace(-1, 1, 20001)
        for forward in (-0.6, 0.0, 0.3, 0.8):
            fog = Fog(1.0, 0.0, forward, (1.0, 1.0, 1.0), 1)
            density = np.array([phase(fog, cosine) for cosine in cosines]) * 2 * math.pi
            self.assertAlmostEqual(np.trapezoid(density, cosines), 1, places=4)
            self.assertAlmostEqual(np.trapezoid(density * cosines, cosines), forward, places=4)
            axis = (0.6, 0.0, 0.8)
            drawn = [phase_direction(fog, axis, *pair(np.uint64(5), n, 3)) for n in range(2048)]
            self.assertAlmostEqual(np.mean(np.array(drawn) @ axis), forward, delta=0.01)
            np.testing.assert_allclose(np.linalg.norm(drawn, axis=1), 1, atol=1e-9)

    def test_the_stretch_of_a_ray_below_its_top(self):
        fog = Fog(0.5, 2.0, 0.0, (1.0, 1.0, 1.0), 1)
        up, down, level = (0.0, 0.0, 1.0), (0.0, 0.0, -1.0), (1.0, 0.0, 0.0)
        cases = [
            ((0, 0, 0), up, (0, 2)),
            ((0, 0, 5), down, (3, 9)),
            ((0, 0, 1), level, (0, 9)),
        ]
        for origin, direction, stretch in cases:
            origin = tuple(map(float, origin))
            self.assertEqual(within(fog, origin, direction, 0.0, 9.0), stretch)
            expected = math.exp(-0.5 * (stretch[1] - stretch[0]))
            self.assertAlmostEqual(transmittance(fog, origin, direction, 0.0, 9.0), expected)
        for origin, direction in (((0.0, 0.0, 5.0), up), ((0.0, 0.0, 5.0), level)):
            self.assertEqual(transmittance(fog, origin, direction, 0.0, 9.0), 1)


class Accounts(unittest.TestCase):
    def test_rows_and_names_of_light(self):
        self.assertEqual((rows_of(3, False), rows_of(3, True)), (10 + 3, 10 + 3 + 27))
        rows = {part_row(component, group, 3) for component in range(len(COMPONENTS)) for group in range(3)}
        self.assertEqual(rows, set(range(13, 40)))
        for lobe in (TRANSMISSION, SUBSURFACE, VOLUME):
            self.assertEqual({component_of(lobe, bounces) for bounces in (1, 2, 5)}, {lobe})
        for lobe in (DIFFUSE, SPECULAR):
            self.assertEqual([component_of(lobe, bounces) for bounces in (1, 2, 5)], [lobe, lobe + 1, lobe + 1])


class Places(unittest.TestCase):
    SIZES = {
        "sphere": (0.8, 0, 0),
        "cylinder": (0.5, 0.7, 0),
        "ring": (0.7, 0.2, 0),
        "box": (0.6, 0.4, 0.8),
        "disc": (0.9, 0, 0),
        "dome": (0.8, 0, 0),
    }

    def test_sheets_span_the_unit_square(self):
        """Points all over each shape have places from edge to edge of its sheet, and never beyond."""
        rng = np.random.default_rng(4)
        around, up = rng.uniform(0, 2 * math.pi, 800), rng.uniform(-1, 1, 800)
        flat = np.sqrt(1 - up * up)
        ball = np.stack([flat * np.cos(around), flat * np.sin(around), up], 1)
        second = rng.uniform(0, 2 * math.pi, 800)
        points = {
            "sphere": 0.8 * ball,
            "dome": 0.8 * np.abs(ball) * np.stack([np.sign(ball[:, 0]), np.sign(ball[:, 1]), np.ones(800)], 1),
            "cylinder": np.stack([0.5 * np.cos(around), 0.5 * np.sin(around), 0.7 * up], 1),
            "ring": np.stack(
                [
                    (0.7 + 0.2 * np.cos(second)) * np.cos(around),
                    (0.7 + 0.2 * np.cos(second)) * np.sin(around),
                    0.2 * np.sin(second),
                ],
                1,
            ),
            "box": np.stack([np.full(800, 0.6), 0.4 * up, 0.8 * rng.uniform(-1, 1, 800)], 1),
            "disc": np.stack([0.9 * ball[:, 0], 0.9 * ball[:, 1], np.zeros(800)], 1),
        }
        for kind, size in self.SIZES.items():
            shape = Shape(name="s", group="all", material="white", kind=kind, centre=(1, 2, 3), size=size)
            record = build_stage(scene_of([shape], [white_sky()]), 1).shapes[0]
            world = points[kind] @ record["frame"] + record["centre"]
            places = np.array([sheet_place(record, tuple(point)) for point in world])
            self.assertTrue((places >= 0).all() and (places <= 1).all(), kind)
            self.assertGreater(np.ptp(places, axis=0).min(), 0.9, kind)

    def test_a_sheet_that_closes_on_itself(self):
        self.assertAlmostEqual(step_between(0.98, 0.03), 0.05)
        self.assertAlmostEqual(step_between(0.03, 0.98), -0.05)

    def test_what_does_not_turn_stays(self):
        shape = Shape(name="s", group="all", material="white", kind="box", centre=(1, 0, 0), size=(1, 1, 1))
        record = build_stage(scene_of([shape], [white_sky()]), 1).shapes[0]
        self.assertEqual(moved(record, (1.0, 2.0, 3.0), 5.0), (1, 2, 3))


class Cameras(unittest.TestCase):
    CAMERA = Camera(name="c", position=(1, -4, 2), target=(0, 0.5, 1), fov=50)

    def test_rays_and_projection_are_each_others_inverse(self):
        table = camera_table(self.CAMERA, 64, 36, margin=(6, 4))
        for x, y in ((0.0, 0.0), (38.0, 22.0), (70.5, 3.25)):
            direction = np.array(camera_ray(table, x, y))
            point = tuple(np.array(self.CAMERA.position) + 3.7 * direction)
            np.testing.assert_allclose(on_screen(table, point), (x, y), atol=1e-9)

    def test_a_margin_shows_more_of_the_same(self):
        """Overscan leaves every ray of the picture where it was."""
        plain, wide = camera_table(self.CAMERA, 64, 36), camera_table(self.CAMERA, 64, 36, margin=(6, 4))
        for x, y in ((0.0, 0.0), (10.5, 30.25), (64.0, 36.0)):
            np.testing.assert_allclose(camera_ray(wide, x + 6, y + 4), camera_ray(plain, x, y), atol=1e-12)

    def test_axes_are_a_frame(self):
        _, forward, right, down = camera_axes(self.CAMERA)
        axes = np.array([forward, right, down])
        np.testing.assert_allclose(axes @ axes.T, np.eye(3), atol=1e-12)
        self.assertLess(down[2], 0)
