"""What the viewer shows of a frame, and how light and data are told apart on the screen."""

import io
import unittest

import numpy as np
from PIL import Image as Pillow

from prism.combine.evaluate import Evaluator
from prism.errors import BadArgument, SizeMismatch
from prism.formats.deep import write_deep
from prism.formats.exr import write_exr
from prism.ledger.first import first_ledger
from prism.mattes.cryptomatte import name_floats
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.sheets.passes import pass_sheet
from prism.sources.opening import find_sources
from prism.sources.pixels import Pixels
from prism.sources.store import PixelStore
from prism.tests.frames import FolderCase, passes
from prism.viewing.compare import difference_of, difference_picture
from prism.viewing.edges import ACROSS, DOWN, ENLARGED, edge_picture
from prism.viewing.finish_chain import FinishSubject, chain_thumbnails
from prism.viewing.marks import marked
from prism.viewing.picture import CHECKER_SIDE, Look, encode, step_for, to_screen
from prism.viewing.reading import codes_of, probe_passes
from prism.viewing.remap import EMPTY_DEPTH, Remap, hashed, motion_arrows, motion_colours, remapped
from prism.viewing.subjects import LedgerSubject, PassSubject, gap


class Showing(FolderCase):
    def setUp(self):
        super().setUp()
        self.planes = passes(self.rng, height=30, width=40)
        self.planes["Z"][:5] = 1e10
        self.sources = find_sources([self.write("shot.exr", self.planes)])
        self.ledger = first_ledger(self.sources)

    def show(self, **subject):
        shown = LedgerSubject(ledger=self.ledger, **subject).shown(self.sources)
        return shown.picture.rgba, shown.data

    def test_normals_are_shown_by_half_and_a_half(self):
        """(0, 0, 1) is shown as (.5, .5, 1), codes 128, 128, 255 (common practice, no source), without a view
        transform."""
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
        self.assertEqual(PassSubject("depth").shown(sources).picture.rgba[:3].max(), 0)

    def test_a_row_shows_the_sum_down_to_it(self):
        shown, data = self.show(show="row", key="diffuse_indirect")
        self.assertFalse(data)
        expected = self.planes["diffuse_direct.B"] + self.planes["diffuse_indirect.B"]
        np.testing.assert_array_equal(shown[2], expected)

    def test_each_stage_of_a_chain_is_the_picture_after_that_step(self):
        steps = [{"id": "key", "kind": "grade", "exposure": 0.5}, {"id": "off", "kind": "glow", "enabled": False},
                 {"id": "film", "kind": "film", "amount": 0.7}, {"id": "soft", "kind": "sharpen", "radius": 2},
                 {"id": "noise", "kind": "grain"}]  # fmt: skip
        ledger = type(self.ledger).from_json(self.ledger.as_json() | {"finish": steps})
        stages = chain_thumbnails(ledger, self.sources, Look(), step=1, evaluator=Evaluator(PixelStore()))
        wanted = [("rebuilt", ""), *(("after", step["id"]) for step in steps)]
        for stage, (show, key) in zip(stages, wanted, strict=True):
            shown = FinishSubject(ledger=ledger, show=show, key=key).shown(self.sources)
            due = to_screen(shown.picture.on_display, Look(), after_view=shown.after_view)
            np.testing.assert_array_equal(stage, due, key)

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
            self.assertEqual(step_for(Window(0, 0, width - 1, 99), at_most), step)
        self.assertEqual(step_for(Window(0, 0, 4999, 2), 96), 3)  # no fewer than one row is left

    def test_unknown_settings_list_the_known(self):
        for setting in ({"channel": "q"}, {"ground": "lava"}):
            with self.subTest(setting), self.assertRaisesRegex(BadArgument, "Use "):
                Look(**setting)
        with self.assertRaises(BadArgument):
            encode(np.zeros((1, 1, 3), np.uint8), "gif")


class Probed(FolderCase):
    def setUp(self):
        super().setUp()
        self.planes = passes(self.rng, height=12, width=20)
        self.frame = find_sources([self.write("shot.exr", self.planes)])

    def test_code_values_are_those_of_the_standard_curve(self):
        """IEC 61966-2-1 at .18 is .4613561: codes 118, 472 and 30235 of 8, 10 and 16 bits; a stop more is .36."""
        self.assertEqual(codes_of([0.18] * 3, Look()), {8: (118,) * 3, 10: (472,) * 3, 16: (30235,) * 3})
        encoded = 1.055 * 0.36 ** (1 / 2.4) - 0.055
        self.assertEqual(codes_of([0.18] * 3, Look(stops=1.0))[8], (int(encoded * 255 + 0.5),) * 3)
        self.assertEqual(codes_of([0.18] * 3, Look(gamma=2.0))[8], (int(0.4613561**0.5 * 255 + 0.5),) * 3)

    def test_a_pixel_and_the_average_of_a_box_for_every_pass(self):
        lines = {line.key: line for line in probe_passes(self.frame, Window(4, 3, 4, 3), Look())}
        self.assertEqual(set(lines), {source.key for source in self.frame})
        self.assertEqual(lines["depth"].stored, (float(self.planes["Z"][3, 4]),))
        self.assertEqual(lines["normals"].stored, tuple(float(self.planes[f"N.{axis}"][3, 4]) for axis in "XYZ"))
        self.assertEqual(lines["beauty"].alpha, float(self.planes["A"][3, 4]))
        self.assertIsNone(lines["depth"].codes)
        box = {line.key: line for line in probe_passes(self.frame, Window(4, 3, 9, 7), Look(), keys=["emission"])}
        mean = self.planes["emission.G"][3:8, 4:10].mean(dtype=np.float64)
        self.assertEqual(set(box), {"emission"})
        self.assertAlmostEqual(box["emission"].stored[1], mean, 6)

    def test_deep_passes_are_left_to_the_deep_probe(self):
        path = self.folder / "shot_deep.exr"
        counts, runs = (
            np.ones((12, 20), np.uint32),
            {c: np.full(240, 0.5, np.float32) for c in ("R", "G", "B", "A", "Z")},
        )
        write_deep(path, counts, runs, data_window=Window.of_size(20, 12), display_window=Window.of_size(20, 12))
        frame = find_sources([self.folder / "shot.exr", path])
        self.assertTrue(any(source.is_deep for source in frame))
        lines = probe_passes(frame, Window(4, 3, 4, 3), Look())
        self.assertEqual([line.key for line in lines], [source.key for source in frame if not source.is_deep])

    def test_nothing_is_read_outside_of_the_picture(self):
        for box in (Window(-1, 0, 3, 3), Window(0, 0, 20, 3), Window(90, 90, 91, 91)):
            with self.assertRaises(BadArgument):
                probe_passes(self.frame, box, Look())

    def test_overscan_counts_from_the_corner_of_the_picture(self):
        window = Window(-2, -1, 5, 4)
        plane = np.arange(48, dtype=np.float32).reshape(6, 8)
        path = self.folder / "over.exr"
        write_exr(
            path, Image(channels=dict.fromkeys("RGB", plane), data_window=window, display_window=Window.of_size(4, 3))
        )
        (line,) = probe_passes(find_sources([path]), Window(0, 0, 0, 0), Look())
        self.assertEqual(line.stored[0], plane[1, 2])
        (line,) = probe_passes(find_sources([path]), Window(-2, -1, -2, -1), Look())
        self.assertEqual(line.stored[0], 0)


class Sheets(FolderCase):
    def test_every_pass_but_those_aside_is_on_the_sheet_in_its_own_picture(self):
        colours = {"diffuse": (1, 0, 0), "specular": (0, 1, 0), "emission": (0, 0, 1)}
        planes = {
            f"{name}.{c}": np.full((9, 16), v, np.float32)
            for name, rgb in colours.items()
            for c, v in zip("RGB", rgb, strict=True)
        }
        planes |= {c: np.ones((9, 16), np.float32) for c in "RGB"} | {"Z": np.ones((9, 16), np.float32)}
        frame = find_sources([self.write("s.exr", planes)])
        sheet = pass_sheet(frame, Look(), width=160, title="a frame")
        for colour in ((255, 0, 0), (0, 255, 0), (0, 0, 255)):
            found = (sheet == colour).all(axis=-1)
            self.assertEqual(int(found.sum()), 9 * 16)
            rows, columns = np.nonzero(found)
            self.assertEqual((np.ptp(rows) + 1, np.ptp(columns) + 1), (9, 16))
        self.assertEqual(sheet.dtype, np.uint8)

    def test_the_edge_that_is_shown_is_where_alpha_is_soft(self):
        alpha = np.zeros((120, 160), np.float32)
        alpha[:, 90:] = 1
        alpha[:, 88:90] = 0.5
        colour = {c: np.ones_like(alpha) * alpha for c in "RGB"}
        frame = find_sources([self.write("e.exr", colour | {"A": alpha})])
        shown = edge_picture(frame, "beauty", Look(ground="grey"))
        self.assertEqual(shown.shape, (DOWN * ENLARGED, ACROSS * ENLARGED, 3))
        line = shown[0, ::ENLARGED, 0].astype(int)
        self.assertEqual(len(set(line)), 3)  # the ground, the soft edge, the picture
        self.assertEqual(line.max(), 255)
        np.testing.assert_array_equal(shown[::ENLARGED, ::ENLARGED].repeat(ENLARGED, 0).repeat(ENLARGED, 1), shown)

    def test_gaps_of_two_passes(self):
        a, b = (self.write(f"{name}.exr", {c: plane for c in "RGB"}) for name, plane in (
            ("a", np.float32([[1, np.inf, 2, np.nan]])), ("b", np.float32([[0.5, np.inf, 4, 1]]))))  # fmt: skip
        first, second = (PassSubject("beauty").shown(find_sources([path])) for path in (a, b))
        np.testing.assert_array_equal(gap(first, second).rgba[0], [[0.5, 0, 2, 1]])
        np.testing.assert_array_equal(gap(second, first, gain=4).rgba[0], [[2, 0, 8, 4]])
        small = self.write("c.exr", {c: np.ones((2, 2), np.float32) for c in "RGB"})
        with self.assertRaises(SizeMismatch):
            gap(first, PassSubject("beauty").shown(find_sources([small])))
