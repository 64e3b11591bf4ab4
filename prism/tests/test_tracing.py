"""Parts of the stand-in's compiled loops on their own: deep samples, fog, places on surfaces, cameras."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from prism.standin.booking import (
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
from prism.standin.deepening import DEEP_CHANNELS, deepen, merge_closest, merge_near, sort_by_depth
from prism.standin.medium import phase, phase_direction, transmittance, within
from prism.standin.rays import FAR
from prism.standin.sampling import pair
from prism.standin.scene import Camera, Shape
from prism.standin.stage import Fog, build_stage
from prism.standin.surfaces import moved, on_screen, sheet_place, step_between
from prism.standin.tracing import camera_ray
from prism.standin.view import camera_axes, camera_table
from prism.tests.test_standin import scene_of, white_sky

rays_of = st.lists(
    st.tuples(st.floats(1, 100), st.floats(0, 1), st.floats(0, 5), st.floats(0, 5), st.floats(0, 5)),
    min_size=1,
    max_size=12,
)


class DeepSamples(unittest.TestCase):
    def table(self, rays):
        """Camera rays as (depth, coverage, r, g, b), each a share of the pixel."""
        table = np.array(rays, np.float64)
        table[:, 1:] /= len(rays)
        return table

    @settings(max_examples=60, deadline=None)
    @given(rays_of, st.integers(1, 12), st.sampled_from((0.0, 0.5, 30.0)), st.sampled_from((0.0, 0.3)))
    def test_flattened_it_is_the_sum_of_its_rays(self, rays, most, distance, fog):
        """Over (Porter & Duff), near to far, whatever was merged; with fog, coverage 1 - (1 - fog) (1 - rays)."""
        table = self.table(rays)
        light, covered = table[:, 2:].sum(axis=0), table[:, 1].sum()
        out = np.zeros((max(2, most), DEEP_CHANNELS), np.float32)
        haze = (0.1, 0.2, 0.3)
        count = deepen(table, len(rays), max(2, most), distance, fog, 0.5, haze, FAR, out)
        flat, alpha = np.zeros(3), 0.0
        for sample in out[:count].astype(float):
            flat += (1 - alpha) * sample[:3]
            alpha += (1 - alpha) * sample[3]
        expected = light + (haze if fog else 0)
        np.testing.assert_allclose(flat, expected, rtol=1e-4, atol=1e-4)
        self.assertAlmostEqual(alpha, 1 - (1 - fog) * (1 - covered), places=4)
        self.assertTrue((np.diff(out[:count, 4]) >= 0).all())
        self.assertLessEqual(count, max(2, most))

    def test_sorted(self):
        rng = np.random.default_rng(1)
        table = rng.random((900, 5))
        expected = table[np.argsort(table[:, 0])]
        sort_by_depth(table, 900)
        np.testing.assert_array_equal(table, expected)

    def test_what_merges(self):
        """Bunches are counted from their first; joined depths are means by coverage; the closest two go first."""
        depths = np.array([1.0, 1.05, 1.09, 1.2, 5.0])
        table = np.column_stack([depths, np.full(5, 0.2), np.ones((5, 3))])
        self.assertEqual(merge_near(table, 5, 0.1), 3)
        np.testing.assert_allclose(table[:3, 0], (depths[:3].mean(), 1.2, 5.0))
        np.testing.assert_allclose(table[:3, 1], (0.6, 0.2, 0.2))
        self.assertEqual(merge_closest(table, 3, 2), 2)
        np.testing.assert_allclose(table[:2, 1], (0.8, 0.2))
        self.assertEqual(merge_near(table, 0, 1.0), 0)


class FogAlone(unittest.TestCase):
    def test_the_phase_function_is_a_density_with_its_mean_cosine(self):
        """Henyey & Greenstein, 1941: it integrates to 1 over the sphere, and the mean cosine is its parameter."""
        cosines = np.linspace(-1, 1, 20001)
        for forward in (-0.6, 0.0, 0.3, 0.8):
            fog = Fog(1.0, 0.0, forward, (1.0, 1.0, 1.0))
            density = np.array([phase(fog, cosine) for cosine in cosines]) * 2 * math.pi
            self.assertAlmostEqual(np.trapezoid(density, cosines), 1, places=4)
            self.assertAlmostEqual(np.trapezoid(density * cosines, cosines), forward, places=4)
            axis = (0.6, 0.0, 0.8)
            drawn = [phase_direction(fog, axis, *pair(np.uint64(5), n, 3)) for n in range(2048)]
            self.assertAlmostEqual(np.mean(np.array(drawn) @ axis), forward, delta=0.01)
            np.testing.assert_allclose(np.linalg.norm(drawn, axis=1), 1, atol=1e-9)

    def test_the_stretch_of_a_ray_below_its_top(self):
        fog = Fog(0.5, 2.0, 0.0, (1.0, 1.0, 1.0))
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
