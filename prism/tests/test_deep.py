"""Deep pixels: the worked numbers of "Interpreting OpenEXR Deep Pixels", OpenImageIO's own, and what must hold for
all."""

import json
import unittest
from dataclasses import replace
from functools import partial
from unittest import mock

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from prism.deep import banded
from prism.deep import operations as ops
from prism.deep.costs import Cost, cheapest
from prism.deep.files import read_pixels, read_samples, write_samples
from prism.deep.samples import samples_of
from prism.deep.survey import survey
from prism.elements import disk
from prism.elements.gathering import gather
from prism.errors import BadArgument, MissingChannels, TooLarge, UnreadableFile
from prism.formats.decoding import SAMPLES
from prism.formats.deep import write_deep
from prism.formats.deep_lines import read_blocks
from prism.formats.exr import read_channels, write_exr
from prism.formats.guarded import decode_deep
from prism.formats.headers import read_parts
from prism.intake.checking import check_frame
from prism.ledger.first import first_ledger
from prism.mattes.cryptomatte import name_bits
from prism.pixels.file_formats import EXR_COMPRESSIONS
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.sources.opening import find_sources
from prism.tests.frames import FolderCase, run
from prism.viewing import depth
from prism.viewing.picture import Look

NAMES = ("R", "G", "B", "A", "Z", "ZBack")
A, B = (0.3, 0.1, 0, 0.5, 10, 20), (0.1, 0.2, 0.4, 0.6, 15, 30)


def deep(*pixels, shape=None, window=None):
    """Pixels of samples (R, G, B, A, front, back), in one row unless a shape is said."""
    counts = np.array([len(samples) for samples in pixels], np.int32).reshape(shape or (1, len(pixels)))
    rows = np.array([sample for samples in pixels for sample in samples], np.float32).reshape(-1, 6)
    own = window or Window.of_size(*counts.shape[::-1])
    return samples_of(counts, dict(zip(NAMES, rows.T, strict=True)), window=own, display_window=own)


def rows_of(samples):
    colour = samples.with_names(("R", "G", "B"), ()).colour
    return np.concatenate([colour, samples.alpha[:, None], samples.depth], axis=1)


def flat(samples):
    """(4, P): R, G, B and alpha."""
    alpha, colour, _ = ops.flattened(samples.with_names(("R", "G", "B"), ()))
    return np.concatenate([colour.reshape(3, -1), alpha.reshape(1, -1)])


def any_deep(rng, pixels=40, most=6, depths=12):
    """Points and volumes that meet, overlap and coincide, clear, thin, opaque, glowing; some pixels are empty."""
    made = []
    for _ in range(pixels):
        samples = []
        for _ in range(rng.integers(0, most)):
            front, length = rng.integers(0, depths), rng.choice([0, 0, 1, 3])
            alpha = rng.choice([0, 1e-6, 1, rng.random(), rng.random()])
            colour = rng.random(3) * (alpha if rng.random() < 0.8 else 1)
            samples.append((*colour, alpha, front, front + length))
        made.append(samples)
    return deep(*made)


class Worked(unittest.TestCase):
    """Values of the paper's formulas, worked by hand and with OpenImageIO's DeepData."""

    def check(self, samples, *rows):
        np.testing.assert_allclose(rows_of(samples), rows, atol=2e-7)

    def test_volumes_that_overlap(self):
        merged = ops.merged([deep([A]), deep([B])])
        self.check(
            merged,
            (0.1757360, 0.0585786, 0, 0.2928932, 10, 15),
            (0.1901654, 0.1257181, 0.1495910, 0.4789993, 15, 20),
            (0.0761861, 0.1523722, 0.3047443, 0.4571165, 20, 30),
        )
        np.testing.assert_allclose(flat(merged)[:, 0], (0.3382704, 0.2036091, 0.2180456, 0.8), atol=2e-7)

    def test_what_shares_a_place(self):
        at = lambda row, alpha=None: deep([(*row[:3], row[3] if alpha is None else alpha, 10, 10)])  # noqa: E731
        self.check(ops.merged([at(A), at(B)]), (0.2826346, 0.2207278, 0.3036392, 0.8, 10, 10))
        self.check(ops.merged([at(A, 1), at(B, 1)]), (0.2, 0.15, 0.2, 1, 10, 10))
        self.check(ops.merged([at(A), at(B, 1)]), (0.1, 0.2, 0.4, 1, 10, 10))
        self.check(ops.merged([at(A, 0), at(B, 0)]), (0.4, 0.3, 0.4, 0, 10, 10))
        self.check(ops.merged([at(A), at(B, 0)]), (0.3721348, 0.2442695, 0.2885390, 0.5, 10, 10))

    def test_a_point_in_a_volume(self):
        merged = ops.merged([deep([(0.4, 0.2, 0.1, 0.8, 10, 20)]), deep([(0.1, 0.1, 0.1, 0.5, 15, 15)])])
        half = (0.2763932, 0.1381966, 0.0690983, 0.5527864)
        self.check(merged, (*half, 10, 15), (0.1, 0.1, 0.1, 0.5, 15, 15), (*half, 15, 20))

    def test_cut_in_a_volume(self):
        whole = deep([(0.4, 0.2, 0.1, 0.8, 10, 20)])
        self.check(ops.cut(whole, 0, 12.5), (0.1656298, 0.0828149, 0.0414075, 0.3312597, 10, 12.5))
        self.check(ops.cut(whole, 12.5, 99), (0.3504651, 0.1752326, 0.0876163, 0.7009302, 12.5, 20))
        self.check(ops.cut(deep([(0.4, 0.2, 0.1, 0, 10, 20)]), 0, 12.5), (0.1, 0.05, 0.025, 0, 10, 12.5))
        faint = ops.cut(deep([(0, 0, 0, 1e-8, 10, 20)]), 0, 12.5)
        self.assertAlmostEqual(float(faint.alpha[0]), 2.5e-9, delta=1e-14)

    def test_held_out(self):
        own = deep([(0.3, 0.1, 0, 0.5, 10, 10), (0.2, 0.2, 0.2, 0.4, 30, 30)])
        seen = ops.held_out(own, deep([(0, 0, 0, 0.25, 20, 20)]))
        self.check(seen, (0.3, 0.1, 0, 0.5, 10, 10), (0.15, 0.15, 0.15, 0.3, 30, 30))
        self.assertEqual(len(ops.held_out(own, deep([(0, 0, 0, 1, 5, 5)]))), 0)
        half = ops.held_out(deep([(0.4, 0.2, 0.1, 0.8, 10, 20)]), deep([(0, 0, 0, 1, 15, 15)]))
        self.check(half, (0.2763932, 0.1381966, 0.0690983, 0.5527864, 10, 15))

    def test_placed_and_moved(self):
        rgba = np.zeros((4, 1, 3), np.float32)
        rgba[:, 0, 1], rgba[:, 0, 2] = (0.5, 0.25, 0, 0.5), (1, 0, 0, 0)
        window = Window.of_size(3, 1)
        card = ops.placed(rgba, 7.0, thick=2, window=window, display=window)
        self.assertEqual((card.counts.tolist(), card.depth.tolist()), ([[0, 1, 1]], [[7, 9]] * 2))
        self.assertEqual(ops.moved(card, add=1, times=2).depth.tolist(), [[15, 19]] * 2)
        depth = np.array([[1, np.inf, 4]], np.float32)
        self.assertEqual(
            ops.placed(rgba, depth, window=window, display=window).depth.tolist(), [[4, 4]]
        )  # where nothing is measured there is no place
        with self.assertRaises(BadArgument):
            ops.moved(card, times=-1)


class Laws(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(7)

    def test_tidy(self):
        """Near to far, nothing overlapping; the same when it is done again, in any order, and however it is split."""
        for _ in range(20):
            samples = any_deep(self.rng)
            tidy = ops.tidied(samples)
            pixel = np.repeat(np.arange(len(tidy.offsets) - 1), np.diff(tidy.offsets))
            same = pixel[1:] == pixel[:-1]
            self.assertTrue((tidy.depth[1:, 0] >= tidy.depth[:-1, 1])[same].all())
            again = ops.tidied(ops.moved(tidy).at_depths(tidy.depth))
            np.testing.assert_array_equal(rows_of(again), rows_of(tidy))
            parts = [ops.cut(samples, -1, 5.25), ops.cut(samples, 5.25, 99)]
            np.testing.assert_allclose(flat(ops.merged(parts)), flat(samples), atol=1e-6)

    def test_the_order_of_merging_does_not_matter(self):
        for _ in range(20):
            a, b, c = (any_deep(self.rng) for _ in range(3))
            first = ops.merged([a, b, c])
            for other in (ops.merged([c, a, b]), ops.merged([b, c, a])):
                np.testing.assert_allclose(rows_of(first), rows_of(other), atol=2e-6)

    def test_large_pictures_come_out_the_same_in_bands_of_rows(self):
        first, second = any_deep(self.rng), any_deep(self.rng)
        points = [replace(each, depth=each.depth[:, [0, 0]].copy()) for each in (first, second)]
        for pair in ((first, second), points):
            tall = [replace(each, window=Window(0, 0, 3, 9), display_window=Window(0, 0, 3, 9)) for each in pair]
            asked = (partial(ops.merged, tall), partial(ops.held_out, *tall), partial(ops.thinned, tall[0], most=2))
            for ask in asked:
                whole = ask()
                with mock.patch.object(banded, "BAND_SAMPLES", 20):
                    parts = ask()
                np.testing.assert_array_equal(rows_of(parts), rows_of(whole))
                np.testing.assert_array_equal(parts.offsets, whole.offsets)

    def test_each_held_out_by_the_other_is_the_merge(self):
        for _ in range(40):
            a, b, c = (any_deep(self.rng) for _ in range(3))
            parts = flat(ops.held_out(a, b)) + flat(ops.held_out(b, a))
            np.testing.assert_allclose(parts, flat(ops.merged([a, b])), atol=3e-6)
            three = flat(ops.held_out(a, b, c)) + flat(ops.held_out(b, a, c)) + flat(ops.held_out(c, a, b))
            np.testing.assert_allclose(three, flat(ops.merged([a, b, c])), atol=5e-6)

    def test_solids_at_one_place_give_the_mean_of_all(self):
        pictures = [deep([(value, value, value, 1, 5, 5)]) for value in (0.3, 0.6, 0.9)]
        np.testing.assert_allclose(flat(ops.merged(pictures))[:3], 0.6, atol=1e-6)
        shown = [flat(ops.held_out(one, *(p for p in pictures if p is not one)))[0].item() for one in pictures]
        np.testing.assert_allclose(shown, [0.1, 0.2, 0.3], atol=1e-6)

    def test_a_card_covers_no_more_than_all(self):
        card = ops.placed(
            np.float32([[[0.5, 0.5]]] * 3 + [[[1.2, -0.1]]]), 3.0, window=Window(0, 0, 1, 0), display=Window(0, 0, 1, 0)
        )
        self.assertEqual(card.alpha.tolist(), [1, 0])

    def test_windows_and_channels_are_united(self):
        left = deep([A], [], window=Window(0, 0, 1, 0))
        right = deep([B], [B], window=Window(1, 0, 2, 0))
        self.assertRaisesRegex(Exception, "display windows", ops.merged, [left, right])
        merged = ops.merged([left, replace(right, display_window=left.display_window)])
        self.assertEqual((merged.window, merged.counts.tolist()), (Window(0, 0, 2, 0), [[1, 1, 1]]))
        opaque = deep([(0, 0, 0, 1, 1, 1)], window=Window(-1, 0, -1, 0))
        seen = ops.held_out(left, replace(opaque, display_window=left.display_window))
        self.assertEqual((seen.window, seen.counts.tolist()), (Window(-1, 0, 1, 0), [[0, 1, 0]]))

    def test_thinned(self):
        """The flat picture stays; no pixel has more than it may; and what a card between them changes is told truly."""
        for _ in range(20):
            samples = any_deep(self.rng, most=9)
            for how in ({"tolerance": 2.5}, {"most": 2}, {"tolerance": 1, "most": 1}):
                thin = ops.thinned(samples, **how)
                np.testing.assert_allclose(flat(thin), flat(samples), atol=3e-6)
                self.assertLessEqual(thin.counts.max(), how.get("most", 99))
                self.assertLess(len(thin), len(ops.tidied(samples)))
        self.assertLess(ops.holdout_error(samples, ops.tidied(samples))[0], 1e-6)
        # A card between two that were joined: what lay behind it is seen in front of it.
        pair = deep([(0.3, 0.3, 0.3, 0.5, 1, 1), (0.2, 0.2, 0.2, 0.6, 2, 2), (0.1, 0.1, 0.1, 0.1, 3, 3)])
        error, _ = ops.holdout_error(pair, ops.thinned(pair, tolerance=1))
        self.assertAlmostEqual(error, 0.5 * 0.6, places=6)  # (1 - a1) a2, as the hidden sample's alpha shows

    def test_the_error_in_front_of_cards_holds_at_every_depth(self):
        """Of random points and volumes, held against cuts at 200 depths and at every edge."""
        for _ in range(12):
            samples = any_deep(self.rng, most=7)
            thin = ops.thinned(samples, most=2)
            error, mean = ops.holdout_error(samples, thin)
            edges = np.unique(samples.depth[np.isfinite(samples.depth)])
            behind, between = np.nextafter(edges, np.float32(np.inf)), (edges[1:] + edges[:-1]) / 2
            depths = np.unique([*np.linspace(edges[0], edges[-1], 100), *edges, *behind, *between])
            seen = [
                np.abs(flat(ops.cut(samples, -np.inf, float(z))) - flat(ops.cut(thin, -np.inf, float(z)))).max()
                for z in depths
            ]
            self.assertLessEqual(max(seen), error + 1e-5)
            self.assertGreaterEqual(max(seen), error - 0.02)
            self.assertLessEqual(mean, error)


class Costs(unittest.TestCase):
    def test_the_cheapest_within_an_error_and_of_equals_the_coarser(self):
        cost = lambda size, tolerance, flat=0.0, held=0.0: Cost(tolerance, 0, 1, size, flat, held, 0.0)  # noqa: E731
        fine, coarse, small, off = cost(9, 0.1), cost(9, 0.2), cost(5, 0.0, held=0.02), cost(1, 0.3, flat=0.5)
        for found in ((fine, coarse, small, off), (off, small, coarse, fine)):
            self.assertEqual(cheapest(found, 0.02), small)
            self.assertEqual(cheapest(found, 0.019), coarse)
            self.assertEqual(cheapest(found, 0.5), off)
        self.assertIsNone(cheapest((off,), 0.4))


class Facts(unittest.TestCase):
    SOUND = [[(0.1, 0, 0, 0.5, z, z) for z in range(1, 1 + count)] for count in (0, 1, 2, 3, 4, 2, 1, 3)]

    def named(self, pixels, **how):
        return [name for name, *_ in survey(deep(*pixels), **how).faults()]

    def test_each_fault_is_named_and_nothing_else(self):
        """Of sound samples one thing is changed at a time."""
        self.assertEqual(self.named(self.SOUND), [])
        facts = survey(deep(*self.SOUND))
        self.assertEqual((facts.samples, facts.most, facts.empty, facts.near, facts.far), (16, 4, 1, 1, 4))
        changed = {
            "deep-strange": {3: (0.1, 0, 0, 0.5, np.nan, np.nan)},
            "deep-alpha": {3: (0.1, 0, 0, 1.5, 3, 3)},
            "deep-untidy": {3: (0.1, 0, 0, 0.5, 0.5, 0.5)},
        }
        for name, ((pixel, sample),) in ((name, change.items()) for name, change in changed.items()):
            pixels = [list(samples) for samples in self.SOUND]
            pixels[pixel][-1] = sample
            self.assertEqual(self.named(pixels), [name])
        pixels = [list(samples) for samples in self.SOUND]
        pixels[4][1] = (0.1, 0, 0, 0.5, 1.5, 3.5)  # a volume with a point in it
        self.assertEqual(survey(deep(*pixels)).overlapping, 1)
        self.assertEqual(self.named(self.SOUND, has_depth=False), ["no-depth"])
        self.assertEqual(self.named([[(0.1, 0, 0, 0.5, 7, 7)]] * 3), ["one-depth"])
        full = [[(0.1, 0, 0, 0.1, z, z) for z in range(8)]] * 30
        self.assertEqual(self.named([*self.SOUND, *full]), ["deep-limit"])


class Frames(FolderCase):
    def test_the_same_samples_elsewhere_are_another_frame(self):
        """What moves across a picture, or in depth, may have the very samples of the frame before."""
        pixels = {1: ([A], []), 2: ([], [A]), 3: ([], [(*A[:4], 11, 21)]), 4: ([], [(*A[:4], 11, 21)])}
        for frame, samples in pixels.items():
            write_samples(self.folder / f"fx.{frame:04}.exr", deep(*samples))
        (element,) = gather(disk.scan(self.folder).sequences, root=self.folder).elements
        digests = [check_frame(element, frame).passes["deep"].digest for frame in pixels]
        self.assertEqual((len(set(digests[:3])), digests[2] == digests[3]), (3, True))


class Library(FolderCase):
    def test_tidy_and_flat_as_the_library_has_them(self):
        """OpenImageIO's DeepData: split at all edges, sort, merge overlaps, cull what is hidden; then over."""
        rng = np.random.default_rng(3)
        for _ in range(10):
            samples = any_deep(rng, pixels=30)
            data = self.library(samples)
            edges = np.unique(samples.depth)
            for pixel in range(30):
                for edge in edges:
                    data.split(pixel, float(edge))
                data.sort(pixel)
                data.merge_overlaps(pixel)
                data.occlusion_cull(pixel)
            tidy = ops.tidied(samples)
            for pixel in range(30):
                begin, end = tidy.offsets[pixel : pixel + 2]
                ours = flat(samples)[:, pixel]
                total, through = np.zeros(4), 1.0
                for sample in range(data.samples(pixel)):
                    values = np.array([data.deep_value(pixel, channel, sample) for channel in range(4)])
                    total += through * values
                    through *= 1 - values[3]
                np.testing.assert_allclose(ours, total, atol=3e-6)
                self.assertLessEqual(end - begin, data.samples(pixel))  # it is split at no edge of its own alone

    def library(self, samples):
        data = oiio.DeepData()
        pixels = len(samples.offsets) - 1
        data.init(pixels, 6, [oiio.TypeFloat] * 6, list(NAMES))
        rows = rows_of(samples)
        for pixel in range(pixels):
            begin, end = samples.offsets[pixel : pixel + 2]
            data.set_samples(pixel, int(end - begin))
            for sample in range(begin, end):
                for channel in range(6):
                    data.set_deep_value(pixel, channel, int(sample - begin), float(rows[sample, channel]))
        return data

    def test_written_and_read_again(self):
        """Every bit, half and whole numbers, by us and by the library."""
        rng = np.random.default_rng(4)
        counts = rng.integers(0, 4, (5, 7)).astype(np.int32)
        total = int(counts.sum())
        runs = {name: rng.random(total).astype(np.float32) for name in (*"RGBAZ", "glow.R")}
        runs |= {"ZBack": runs["Z"] + 1, "id": rng.integers(0, 1 << 32, total, dtype=np.uint32)}
        window = Window(-2, -1, 4, 3)
        samples = samples_of(counts, runs, window=window, display_window=Window.of_size(4, 4))
        path = self.folder / "a.exr"
        self.assertEqual(write_samples(path, samples), [])
        back = read_samples(path)
        self.assertEqual((back.window, back.display_window), (window, Window.of_size(4, 4)))
        np.testing.assert_array_equal(back.counts, counts)
        for name, values in samples.runs.items():
            np.testing.assert_array_equal(back.runs[name], values)
        source = oiio.ImageInput.open(str(path))
        read = source.read_native_deep_image()
        place = list(source.spec().channelnames).index("id")
        found = [read.deep_value_uint(p, place, s) for p in range(counts.size) for s in range(read.samples(p))]
        self.assertEqual(found, runs["id"].tolist())

    def test_some_pixels_alone_are_those_of_the_whole(self):
        rng = np.random.default_rng(6)
        counts = rng.integers(0, 4, (5, 7)).astype(np.int32)
        counts[0, 0] = 2
        runs = {name: rng.random(int(counts.sum())).astype(np.float32) for name in "RGBAZ"}
        whole = Window.of_size(7, 5)
        write_samples(self.folder / "a.exr", samples_of(counts, runs, window=whole, display_window=whole))
        pixels, window = np.array([30, -1, 0, 17]), Window.of_size(2, 2)
        part = read_parts(self.folder / "a.exr")[0]
        some = read_pixels(self.folder / "a.exr", part, pixels, window)
        flat = counts.reshape(-1)
        ends = np.cumsum(flat)
        taken = [sample for pixel in pixels if pixel >= 0 for sample in range(ends[pixel] - flat[pixel], ends[pixel])]
        np.testing.assert_array_equal(rows_of(some), rows_of(read_samples(self.folder / "a.exr"))[taken])
        self.assertEqual(some.counts.reshape(-1).tolist(), [flat[30], 0, 2, flat[17]])

    def test_any_deep_file_reads_as_by_the_format_s_own_library(self):
        """Compressions, types, windows, parts beside flat ones; and what we write reads the same there."""
        rng = np.random.default_rng(6)
        compressions = {name: each.code for name, each in EXR_COMPRESSIONS.items() if each.deep}
        for compression, code in compressions.items():
            for parts in (1, 2):
                path = self.folder / "theirs.exr"
                counts = rng.choice([0, 1, 2, 9], (6, 5)).astype(np.int32)
                total = int(counts.sum())
                runs = {"Z": rng.random(total).astype(np.float32), "A": rng.random(total).astype(np.float16)}
                runs |= {"B.id": rng.integers(0, 5, total, dtype=np.uint32), "ZBack": np.ones(total, np.float32)}
                corner = np.array([-3, 7], np.int32)
                header = {"type": OpenEXR.deepscanline, "compression": OpenEXR.Compression(code)}
                header["dataWindow"] = corner, corner + np.array([4, 5], np.int32)
                ends = np.cumsum(counts)[:-1]
                planes = {}
                for name, values in runs.items():
                    planes[name] = np.empty(counts.size, object)
                    planes[name][:] = np.split(values, ends)
                    planes[name] = planes[name].reshape(counts.shape)
                flat_part = OpenEXR.Part({"type": OpenEXR.scanlineimage}, {"R": np.ones((6, 5), np.float16)}, "flat")
                deep_part = OpenEXR.Part(header, planes, "deep")
                OpenEXR.File([flat_part, deep_part][2 - parts :]).write(str(path))
                part = next(each for each in read_parts(path) if each.deep)
                read = dict(decode_deep(path, part).planes)
                with self.subTest(compression, parts=parts):
                    np.testing.assert_array_equal(read.pop(SAMPLES), counts)
                    for name, values in runs.items():
                        np.testing.assert_array_equal(read[name], values, name)
                    ours = self.folder / "ours.exr"
                    where = {"data_window": part.data_window, "display_window": part.display_window}
                    write_deep(ours, counts, runs, compression=compression, **where)
                    with OpenEXR.File(str(ours), separate_channels=True) as file:
                        for name, channel in file.channels().items():
                            pixels = [values for values in channel.pixels.reshape(-1) if values is not None]
                            np.testing.assert_array_equal(np.concatenate(pixels), runs[name])

    def test_tiles_as_the_library_writes_them(self):
        rng = np.random.default_rng(8)
        for compression in ("none", "zips"):  # it writes no other
            spec = oiio.ImageSpec(7, 9, 3, "float")
            spec.channelnames, spec.channelformats = ("A", "Z", "ZBack"), (oiio.HALF, oiio.FLOAT, oiio.FLOAT)
            spec.deep, spec.tile_width, spec.tile_height = True, 4, 4
            spec.attribute("compression", compression)
            data = oiio.DeepData()
            data.init(spec)
            counts = rng.choice([0, 1, 3, 7], 63)
            values = rng.random((int(counts.sum()), 3)).astype(np.float16).astype(np.float32)
            ends = np.cumsum(counts)
            for pixel, count in enumerate(counts):
                data.set_samples(pixel, int(count))
                for sample in range(count):
                    for channel in range(3):
                        value = float(values[ends[pixel] - count + sample, channel])
                        data.set_deep_value(pixel, channel, sample, value)
            path = self.folder / "tiles.exr"
            written = oiio.ImageOutput.create(str(path))
            self.assertTrue(written.open(str(path), spec) and written.write_deep_image(data), written.geterror())
            written.close()
            part = read_parts(path)[0]
            read = dict(decode_deep(path, part).planes)
            with self.subTest(compression):
                self.assertEqual(part.tile, (4, 4))
                np.testing.assert_array_equal(read[SAMPLES].reshape(-1), counts)
                for channel, name in enumerate(("A", "Z", "ZBack")):
                    np.testing.assert_array_equal(read[name], values[:, channel])

    def test_tiles_of_ours_as_two_libraries_read_them(self):
        rng = np.random.default_rng(4)
        samples = replace(any_deep(rng, pixels=63), window=Window(-2, 3, 4, 11), display_window=Window(-2, 3, 4, 11))
        path = self.folder / "ours.exr"
        for compression in ("none", "rle", "zips"):
            for tile in ((4, 4), (16, 2), (1, 1)):
                write_samples(path, samples, compression=compression, tile=tile)
                with self.subTest(compression, tile=tile):
                    self.assertEqual((read_parts(path)[0].tile, read_parts(path)[0].compression), (tile, compression))
                    np.testing.assert_array_equal(rows_of(read_samples(path)), rows_of(samples))
                    with OpenEXR.File(str(path), separate_channels=True) as file:
                        pixels = file.channels()["Z"].pixels.reshape(-1)
                    theirs = np.concatenate([values for values in pixels if values is not None])
                    np.testing.assert_array_equal(theirs, samples.depth[:, 0])
                    source = oiio.ImageInput.open(str(path))
                    read = source.read_native_deep_image()
                    alpha = list(source.spec().channelnames).index("A")
                    found = [read.deep_value(p, alpha, s) for p in range(63) for s in range(read.samples(p))]
                    np.testing.assert_array_equal(np.float32(found), samples.alpha)

    def test_damaged_files_end_in_one_sentence(self):
        """Every byte of a small file changed, and the file cut at every length; of lines and of tiles."""
        path = self.folder / "whole.exr"
        for tile in (None, (2, 2)):
            write_samples(path, deep([A, B], [], [B], shape=(3, 1)), tile=tile)
            whole = path.read_bytes()
            part = read_parts(path)[0]
            request = {
                "shape": part.data_window.shape, "top": part.data_window.y0, "table": part.table, "in_parts": False,
                "compression": "zips", "channels": dict(part.channels), "tile": part.tile, "chunks": part.chunks,
            }  # fmt: skip
            refused = 0
            for at in range(part.table, len(whole)):
                for change in (whole[:at], whole[:at] + bytes([whole[at] ^ 0xFF]) + whole[at + 1 :]):
                    path.write_bytes(change)
                    with open(path, "rb") as source:
                        try:
                            counts, runs = read_blocks(source, request)
                        except (UnreadableFile, TooLarge) as error:
                            refused += 1
                            self.assertNotIn("\n", str(error))
                        else:
                            self.assertEqual({len(run) for run in runs.values()}, {int(counts.sum())})
            self.assertGreater(refused, (len(whole) - part.table) * 1.2)

    def test_files_that_are_not_deep(self):
        flat_file = self.folder / "flat.exr"
        write_exr(flat_file, Image.of_planes({"R": np.ones((2, 2), np.float16)}))
        with self.assertRaisesRegex(UnreadableFile, "no deep part"):
            read_samples(flat_file)
        counts = np.ones((1, 1), np.int32)
        with self.assertRaisesRegex(MissingChannels, "no depth; found R"):
            samples_of(
                counts, {"R": np.ones(1, np.float32)}, window=Window(0, 0, 0, 0), display_window=Window(0, 0, 0, 0)
            )


class Commands(FolderCase):
    def asked(self, *arguments):
        code, out, err = run("deep", *arguments, "--json")
        self.assertEqual(code, 0, err)
        return json.loads(out)

    def setUp(self):
        super().setUp()
        rng = np.random.default_rng(9)
        self.a, self.b = (self.folder / name for name in ("a.exr", "b.exr"))
        self.samples = [any_deep(rng), any_deep(rng)]
        for path, samples in zip((self.a, self.b), self.samples, strict=True):
            write_samples(path, samples)

    def test_one_after_the_other(self):
        told = self.asked("info", self.a)
        self.assertEqual((told["width"], told["height"], told["samples"]), (40, 1, len(self.samples[0])))
        self.assertEqual((told["tidy"], told["empty"]), (False, int((self.samples[0].counts == 0).sum())))
        out = self.folder / "out.exr"
        self.asked("merge", self.a, self.b, "--out", out)
        merged = ops.merged(self.samples)
        np.testing.assert_array_equal(rows_of(read_samples(out)), rows_of(merged))
        self.assertTrue(self.asked("info", out)["tidy"])
        flat_file = self.folder / "flat.exr"
        self.asked("flatten", out, "--out", flat_file)
        image = read_channels(flat_file, read_parts(flat_file)[0])
        np.testing.assert_array_equal([image.plane(name).ravel() for name in "RGBA"], flat(merged))
        parts = []
        for own, other in ((self.a, self.b), (self.b, self.a)):
            self.asked("holdout", own, "--by", other, "--out", out)
            parts.append(flat(read_samples(out)))
        np.testing.assert_allclose(sum(parts), flat(merged), atol=3e-6)
        self.asked("cut", self.a, "--near", 3, "--far", 6, "--out", out)
        depth = read_samples(out).depth
        self.assertTrue(((depth >= 3) & (depth <= 6)).all() and len(depth))
        self.asked("move", self.a, "--add", 5, "--times", 2, "--out", out)
        np.testing.assert_array_equal(read_samples(out).depth, self.samples[0].depth * 2 + 5)
        told = self.asked("thin", self.a, "--most", 1, "--out", out)
        self.assertEqual(told["samples_after"], int((self.samples[0].counts > 0).sum()))
        self.assertLess(told["flat_error"], 3e-6)
        self.assertGreater(told["holdout_error"], 0.1)
        cloud = self.folder / "cloud.ply"
        self.asked("points", self.a, "--out", cloud)
        head, _, body = cloud.read_bytes().partition(b"end_header\n")
        points = np.frombuffer(body, "<f4").reshape(-1, 7)
        self.assertEqual(points[:, 2].tolist(), self.samples[0].depth[:, 0].tolist())
        self.assertIn(f"element vertex {len(self.samples[0])}".encode(), head)

    def test_points_lie_about_the_middle_of_the_picture(self):
        frame = find_sources([self.a])
        ledger = first_ledger(frame)
        points = depth.cloud(ledger, ledger.rows[0].id, frame, Look(), most=100_000)
        own = self.samples[0]
        columns = np.repeat(np.arange(40), own.counts[0])
        due = np.stack([columns + 0.5 - 20, 0 * columns, own.depth.mean(axis=1)], axis=1)
        self.assertEqual(points.total, len(own))
        np.testing.assert_allclose(points.places, due, rtol=1e-6)

    def test_colour_ids_and_windows(self):
        """Names as a mask has them: uint32 of a Cryptomatte's hash in every sample."""
        own, out = self.samples[0], self.folder / "out.exr"
        ids = np.random.default_rng(2).choice([name_bits("sun"), name_bits("moon"), 7], len(own)).astype(np.uint32)
        named = self.folder / "named.exr"
        write_samples(named, replace(own, ids=ids[:, np.newaxis], id_names=("thing",)))
        sun = ids == name_bits("sun")
        self.asked("keep", named, "--channel", "thing", "--names", "sun", "--out", out)
        np.testing.assert_array_equal(rows_of(read_samples(out)), rows_of(own)[sun])
        self.asked("keep", named, "--channel", "thing", "--ids", 7, name_bits("moon"), "--others", "--out", out)
        np.testing.assert_array_equal(rows_of(read_samples(out)), rows_of(own)[sun])
        gain = ("--gain", 2, 1, 0.5)
        self.asked("recolour", named, *gain, "--channel", "thing", "--names", "sun", "--out", out)
        wanted = np.where(sun[:, np.newaxis], rows_of(own) * [2, 1, 0.5, 1, 1, 1], rows_of(own))
        np.testing.assert_allclose(rows_of(read_samples(out)), wanted, rtol=1e-6)
        self.asked("recolour", self.a, *gain, "--near", 3, "--far", 6, "--out", out)
        apart = flat(ops.merged([ops.cut(own, -np.inf, 3), ops.cut(own, 6, np.inf)]))
        self.assertFalse(np.allclose(flat(read_samples(out)), apart))
        parts = ops.split_at(own, [3, 6])
        chosen = ops.by_depth(parts, 3, 6)[:, np.newaxis]
        wanted = np.where(chosen, rows_of(parts) * [2, 1, 0.5, 1, 1, 1], rows_of(parts))
        np.testing.assert_allclose(rows_of(read_samples(out)), wanted, rtol=1e-6)
        np.testing.assert_allclose(flat(parts), flat(own), atol=3e-6)
        self.asked("crop", self.a, "--window", -1, 0, 9, 2, "--out", out)
        cropped = read_samples(out)
        self.assertEqual(cropped.window, Window(-1, 0, 9, 2))
        np.testing.assert_array_equal(flat(cropped).reshape(4, 3, 11)[:, 0, 1:], flat(own)[:, :10])
        self.assertFalse(flat(cropped).reshape(4, 3, 11)[:, 1:].any())
        self.asked("resize", self.a, "--size", 20, 2, "--out", out)
        np.testing.assert_array_equal(flat(read_samples(out)).reshape(4, 2, 20)[:, 1], flat(own)[:, 1::2])
        self.asked("tidy", self.a, "--tile", 8, 8, "--out", out)
        self.assertEqual(read_parts(out)[0].tile, (8, 8))
        np.testing.assert_array_equal(rows_of(read_samples(out)), rows_of(ops.tidied(own)))

    def test_a_flat_picture_between_the_samples(self):
        rgba = np.zeros((4, 1, 40), np.float32)
        rgba[:, :, 10:30] = 0.5
        card = self.folder / "card.exr"
        write_exr(
            card, Image.of_planes(dict(zip("RGBA", rgba, strict=True)) | {"Z": np.full((1, 40), 4.5, np.float32)})
        )
        at, by_pass = self.folder / "at.exr", self.folder / "by.exr"
        self.asked("place", card, "--at", 4.5, "--out", at)
        self.asked("place", card, "--depth", "Z", "--out", by_pass)
        np.testing.assert_array_equal(rows_of(read_samples(at)), rows_of(read_samples(by_pass)))
        self.assertEqual(read_samples(at).counts.sum(), 20)

    def test_faults_are_one_sentence(self):
        for arguments in (
            ("info", self.folder / "none.exr"),
            ("cut", self.a, "--near", 5, "--far", 2, "--out", self.a),
            ("keep", self.a, "--channel", "thing", "--ids", 1, "--out", self.a),
            ("resize", self.a, "--size", 0, 4, "--out", self.a),
            ("crop", self.a, "--window", 4, 4, 2, 2, "--out", self.a),
        ):
            code, _, err = run("deep", *arguments)
            self.assertEqual((code, err.count("\n")), (1, 1))
