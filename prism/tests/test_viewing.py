"""What the viewer shows of a frame, and how light and data are told apart on the screen."""

import io
import unittest

import numpy as np
from PIL import Image as Pillow

from prism.combine.evaluate import Evaluator
from prism.combine.first import first_ledger
from prism.elements.opening import find_sources
from prism.elements.pixels import Pixels
from prism.elements.store import PixelStore
from prism.errors import BadArgument, SizeMismatch
from prism.mattes.cryptomatte import name_floats
from prism.tests.frames import FolderCase, passes
from prism.viewing.compare import difference_of, difference_picture
from prism.viewing.marks import marked
from prism.viewing.picture import CHECKER_SIDE, Look, Subject, encode, picture, step_for, to_screen
from prism.viewing.remap import EMPTY_DEPTH, Remap, hashed, motion_arrows, motion_colours, remapped


class Showing(FolderCase):
    def setUp(self):
        super().setUp()
        self.planes = passes(self.rng, height=30, width=40)
        self.planes["Z"][:5] = 1e10
        self.sources = find_sources([self.write("shot.exr", self.planes)])
        self.ledger = first_ledger(self.sources)

    def show(self, **subject):
        return picture(self.ledger, self.sources, Subject(**subject), Evaluator(PixelStore()))

    def test_normals_are_shown_by_half_and_a_half(self):
        """(0, 0, 1) is shown as (.5, .5, 1), codes 128, 128, 255 (common practice, no source), without a view transform."""
        shown, data = self.show(show="source", key="normals")
        self.assertTrue(data)
        for channel, axis in enumerate("XYZ"):
            np.testing.assert_allclose(shown[channel], self.planes[f"N.{axis}"] * 0.5 + 0.5, atol=1e-6)
        straight = np.broadcast_to(np.float32([0.5, 0.5, 1, 1]).reshape(4, 1, 1), (4, 2, 2))
        self.assertEqual(to_screen(straight, Look(), data=True)[0, 0].tolist(), [128, 128, 255])

    def test_depth_runs_from_near_to_far_over_surfaces_only(self):
        shown, data = self.show(show="source", key="depth")
        surface = self.planes["Z"] < EMPTY_DEPTH
        self.assertTrue(data)
        self.assertEqual(shown[0][~surface].max(), 0)
        self.assertEqual((shown[0][surface].max(), shown[0][surface].min()), (1, 0))
        nearest = np.unravel_index(np.argmin(np.where(surface, self.planes["Z"], np.inf)), surface.shape)
        self.assertEqual(shown[0][nearest], 1)

    def test_depth_of_an_empty_picture(self):
        planes = self.planes | {"Z": np.full((30, 40), 1e10, np.float32)}
        sources = find_sources([self.write("empty.exr", planes)])
        shown, _ = picture(self.ledger, sources, Subject(show="source", key="depth"), Evaluator(PixelStore()))
        self.assertEqual(shown[:3].max(), 0)

    def test_a_row_shows_the_sum_down_to_it(self):
        shown, data = self.show(show="row", key="diffuse_indirect")
        self.assertFalse(data)
        expected = self.planes["diffuse_direct.B"] + self.planes["diffuse_indirect.B"]
        np.testing.assert_array_equal(shown[2], expected)

    def test_checker_shows_through_where_nothing_covers(self):
        clear = np.zeros((4, 2 * CHECKER_SIDE, 2 * CHECKER_SIDE), np.float32)
        shown = to_screen(clear, Look(ground="checker"))
        self.assertEqual(len(np.unique(shown[..., 0])), 2)
        self.assertNotEqual(shown[0, 0, 0], shown[0, CHECKER_SIDE, 0])
        clear[3] = 1
        self.assertEqual(to_screen(clear, Look(ground="checker")).max(), 0)

    def test_single_channels_are_grey(self):
        shown, _ = self.show()
        for channel in ("r", "g", "b", "a", "luminance"):
            grey = to_screen(shown, Look(channel=channel))
            np.testing.assert_array_equal(grey[..., 0], grey[..., 1])
        luminance = to_screen(np.float32([1, 0, 0, 1]).reshape(4, 1, 1), Look(channel="luminance"))
        self.assertEqual(luminance[0, 0, 0], round(255 * (1.055 * 0.2126 ** (1 / 2.4) - 0.055)))  # BT.709 weight of red

    def test_alpha_is_coverage_whatever_the_exposure(self):
        half = np.full((4, 1, 1), 0.5, np.float32)
        self.assertEqual(to_screen(half, Look(channel="a", stops=5))[0, 0, 0], 128)

    def test_png_is_exact_and_jpeg_close(self):
        rgb = to_screen(self.show()[0], Look())
        png = np.asarray(Pillow.open(io.BytesIO(encode(rgb, "png"))))
        np.testing.assert_array_equal(png, rgb)
        flat = np.full((16, 16, 3), 90, np.uint8)
        jpeg = np.asarray(Pillow.open(io.BytesIO(encode(flat, "jpeg")))).astype(int)
        self.assertLessEqual(np.abs(jpeg - 90).max(), 1)


class Remaps(FolderCase):
    def source(self, **channels):
        return find_sources([self.write("beauty.exr", channels | {c: np.ones((4, 6), np.float32) for c in "RGB"})])

    def shown(self, frame, key, remap=Remap()):
        return remapped(frame.source(key), frame.pixels(key), remap)

    def test_ranges_run_from_near_to_far_in_steps_or_ratios(self):
        depth = np.float32([[1, 10, 100, np.inf]])
        frame = find_sources([self.write("z.exr", {"Z": depth, **{c: depth for c in "RGB"}})])
        np.testing.assert_allclose(self.shown(frame, "depth")[0], [[1, 1 - 9 / 99, 0, 0]], atol=1e-6)
        np.testing.assert_allclose(self.shown(frame, "depth", Remap(log=True))[0], [[1, 0.5, 0, 0]], atol=1e-6)
        np.testing.assert_allclose(self.shown(frame, "depth", Remap(near=10, far=20))[0], [[1, 1, 0, 0]], atol=1e-6)

    def test_motion_is_hue_and_length(self):
        """Right is red, and the three hues lie a third of a turn apart; standing still is black."""
        turn = np.arange(3) * 2 * np.pi / 3
        u, v = (np.float32([[*part(turn), 0]]) for part in (np.cos, np.sin))
        np.testing.assert_allclose(
            motion_colours(u, v)[:, 0].T, [[1, 0, 0], [0, 1, 0], [0, 0, 1], [0, 0, 0]], atol=1e-6
        )
        np.testing.assert_allclose(motion_colours(u / 2, v / 2, full=1)[:, 0, 0], [0.5, 0, 0], atol=1e-6)

    def test_arrows_point_where_things_move(self):
        """All to the right: along every line to the right it is bright, to the left of its dot it is not."""
        still, right = np.zeros((96, 96), np.float32), np.full((96, 96), 5, np.float32)
        drawn = motion_arrows(right, still)[0]
        cell = 4
        middle = drawn[cell // 2 :: cell]
        self.assertGreater(middle[:, cell // 2 + 2 :: cell].mean(), 0.9)
        self.assertLess(drawn[0::cell].mean(), 0.3)
        np.testing.assert_allclose(motion_arrows(still, right)[0].T[:, :-4], drawn[:, :-4], atol=0.34)
        self.assertLess(motion_arrows(still, still).max(), 0.5)

    def test_names_have_colours_of_their_own_by_their_share(self):
        bits = name_floats(["planet", "ring"])
        planes = {
            "R": np.float32([[bits[0], bits[1], 0]]), "G": np.float32([[1, 0.5, 0]]),
            "B": np.float32([[0, bits[0], 0]]), "A": np.float32([[0, 0.5, 0]]),
        }  # fmt: skip
        frame = find_sources([self.write("c.exr", {f"crypto_object00.{c}": plane for c, plane in planes.items()})])
        shown = hashed(frame.pixels("crypto_object00"))[:, 0].T
        self.assertEqual(shown[2].tolist(), [0, 0, 0])
        self.assertGreater(np.abs(shown[0] - shown[1]).max(), 0.1)
        alone = hashed(Pixels(tuple(np.float32([[v]]) for v in (bits[1], 1, 0)), np.float32([[0]])))[:, 0, 0]
        np.testing.assert_allclose(shown[1], (shown[0] + alone) / 2, atol=1e-6)

    def test_marks_tell_what_a_look_hides(self):
        light = np.float32([[[0.5, 3, -1, np.nan]]] * 3)
        shown = marked(np.zeros((1, 4, 3), np.uint8), light, ("over", "negative", "nan"), white=2)
        self.assertEqual(len({tuple(pixel) for pixel in shown[0].tolist()}), 4)
        self.assertEqual(marked(np.zeros((1, 4, 3), np.uint8), light, ("over",), white=4).max(), 0)


class TwoPictures(FolderCase):
    def test_black_is_the_same_and_a_gap_is_four_times_as_bright(self):
        """A gap of .05, brightened to .2, has the sRGB code 124 (IEC 61966-2-1); one pixel and one channel suffice."""
        same = {c: np.full((3, 4), 0.25, np.float32) for c in "RGB"}
        other = {c: plane.copy() for c, plane in same.items()}
        other["G"][1, 2] += 0.05
        other["B"][2, 3] = np.nan
        first, second = (find_sources([self.write(f"{n}.exr", p)]) for n, p in (("a", same), ("b", other)))
        shown = difference_picture(first, second, width=4)
        self.assertEqual(shown[..., 0].tolist(), [[0, 0, 0, 0], [0, 0, 124, 0], [0, 0, 0, 255]])
        self.assertEqual(difference_of(first, first).largest, 0)
        with self.assertRaisesRegex(SizeMismatch, "4 x 3 and 2 x 2 pixels"):
            difference_of(first, find_sources([self.write("c.exr", {c: np.ones((2, 2), np.float32) for c in "RGB"})]))


class Choices(unittest.TestCase):
    def test_step(self):
        for width, at_most, step in [(960, 960, 1), (961, 960, 2), (1920, 96, 20), (10, 0, 10), (5, 99, 1)]:
            self.assertEqual(step_for(width, at_most), step)

    def test_unknown_settings_list_the_known(self):
        for setting in ({"channel": "q"}, {"ground": "lava"}):
            with self.subTest(setting), self.assertRaisesRegex(BadArgument, "Use "):
                Look(**setting)
        with self.assertRaises(BadArgument):
            encode(np.zeros((1, 1, 3), np.uint8), "gif")
