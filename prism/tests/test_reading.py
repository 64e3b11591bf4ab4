"""Files of every kind read rightly: written by other libraries or by hand, compared with known pixels."""

import shutil
import unittest
from unittest import mock

import numpy as np
import OpenImageIO as oiio

from prism.balance.balance import balance
from prism.balance.best_ledger import best_ledger
from prism.colour.spaces import CHROMATICITIES, decode_srgb, luminance_weights
from prism.delivery.deliver import deliver
from prism.delivery.encodings.exr import Exr
from prism.elements import disk
from prism.elements.alpha import evidence
from prism.elements.element import ElementPass
from prism.elements.gathering import gather
from prism.errors import TooCostly, UnreadableFile
from prism.formats import budget, guarded
from prism.formats.exr import write_exr, write_parts
from prism.formats.headers import chromaticities_entry, read_parts
from prism.formats.reading import as_float, read_header, read_planes
from prism.ledger.first import first_ledger
from prism.limits import limited
from prism.pixels.image import Image
from prism.pixels.resize import resized
from prism.pixels.stats import plane_stats
from prism.pixels.window import Window
from prism.sources.opening import find_sources, open_frame
from prism.sources.pixels import Region
from prism.sources.store import PixelStore
from prism.tests import zoo
from prism.tests.frames import FolderCase


def gathered(folder, **options):
    return gather(disk.scan(folder).sequences, root=folder, **options)


class Kinds(FolderCase):
    def test_tiles_and_the_top_of_mip_maps(self):
        planes = {name: self.rng.random((40, 36)).astype(np.float32) for name in "RGB"}
        for mip in (False, True):
            path = zoo.tiled(self.folder / f"{mip}.exr", planes, mip=mip)
            mode = path.read_bytes().partition(b"tiles\0tiledesc\0\x09\0\0\0")[2][8] & 0xF
            self.assertEqual((read_header(path)[0].tiled, mode), (True, int(mip)))
            for name, plane in planes.items():
                np.testing.assert_array_equal(read_planes(path, read_header(path)[0]).channels[name], plane)

    def test_rows_stored_from_the_bottom(self):
        planes = {name: self.rng.random((40, 36)).astype(np.float32) for name in "RGB"}
        whole = oiio.ImageBuf(np.ascontiguousarray(np.dstack(list(planes.values()))))
        whole.specmod().attribute("openexr:lineOrder", "decreasingY")
        path = self.folder / "down.exr"
        whole.write(str(path))
        order = path.read_bytes().partition(b"lineOrder\0lineOrder\0\1\0\0\0")[2][0]
        self.assertEqual(order, 1)  # decreasing, by the OpenEXR file layout
        for channel, plane in planes.items():
            np.testing.assert_array_equal(read_planes(path, read_header(path)[0]).channels[channel], plane)

    def test_eight_and_sixteen_bits_become_float_rightly(self):
        """code / (2^n - 1); references of the image library: 46 of 8 bits, 11796 of 16 for 0.18."""
        for suffix, kind, top, code in (
            ("png", "uint8", 255, 46),
            ("tif", "uint16", 65535, 11796),
            ("sgi", "uint8", 255, 46),
            ("tga", "uint8", 255, 46),
            ("dpx", "uint16", 65535, 11796),
            ("bmp", "uint8", 255, 46),
        ):
            with self.subTest(suffix):
                path = zoo.still(self.folder / f"s.{suffix}", np.full((4, 6, 3), 0.18), kind=kind)
                part = read_header(path)[0]
                plane = find_sources([path]).pixels("beauty").planes[1]
                self.assertEqual((part.stored, part.data_window.shape, part.pixel_aspect), (kind, (4, 6), 1.0))
                np.testing.assert_allclose(plane, code / top, rtol=1e-6)

    def test_stills_take_no_more_memory_than_their_pixels_are_stored_in(self):
        """100 million pixels of 8 bits are 300 MB then; the image library decodes the same values to float."""
        for suffix, kind, stored in (("png", "uint8", 1), ("png", "uint16", 2), ("hdr", "float", 4)):
            with self.subTest(suffix, kind=kind):
                path = zoo.still(self.folder / f"{kind}.{suffix}", self.rng.random((70, 30, 3)), kind=kind)
                planes = guarded.decode_still(path, 70 * 30 * 3).planes
                self.assertEqual({plane.itemsize for plane in planes.values()}, {stored})
                expected = oiio.ImageInput.open(str(path)).read_image(oiio.FLOAT)
                for place, name in enumerate("RGB"):
                    np.testing.assert_allclose(as_float(planes[name]), expected[..., place], rtol=2e-7)
                    said = plane_stats(planes[name], as_values=as_float)
                    self.assertAlmostEqual(said.mean, float(expected[..., place].mean(dtype=float)), places=7)

    def test_what_else_the_image_library_reads(self):
        for suffix in ("hdr", "pfm", "jpg"):
            path = zoo.still(
                self.folder / f"s.{suffix}", np.full((8, 8, 3), 0.5), kind="uint8" if suffix == "jpg" else "float"
            )
            np.testing.assert_allclose(find_sources([path]).pixels("beauty").planes[0], 0.5, atol=0.003)
        found = find_sources([zoo.palette(self.folder / "pic.gif")])
        self.assertEqual([float(plane[0, 0]) for plane in found.pixels("beauty").planes], [1, 0, 0])
        (self.folder / "x.png").write_bytes(b"no picture")
        with self.assertRaises(UnreadableFile):
            find_sources([self.folder / "x.png"])

    def test_luma_and_chroma_become_rgb_as_the_library_does_it(self):
        """Codes of the library's own preview maker (OpenEXR 3.1, exposure -1), which cuts off fractions: every third
        pixel of five rows of this picture."""
        height, width = 16, 24
        y, x = np.mgrid[:height, :width]
        rgb = np.stack([0.2 + 0.15 * np.sin(x / 3), 0.25 + 0.2 * np.cos(y / 4), 0.2 + 0.1 * np.sin((x + y) / 5)])
        rgb[:, 6:10, 10:14] = [[[0.4]], [[0.02]], [[0.02]]]
        luma = np.tensordot([0.212639, 0.715169, 0.072192], rgb, 1)
        halves = [
            plane.astype(np.float16) for plane in (luma, *((c - luma)[::2, ::2] / luma[::2, ::2] for c in rgb[::2]))
        ]
        path = zoo.luma_chroma(self.folder / "yc.exr", *halves)
        pixels = find_sources([path]).pixels("beauty")
        light = np.maximum(0, np.stack(pixels.planes)) * 2**1.47393
        light = np.where(light > 1, 1 + np.log1p((np.maximum(light, 1) - 1) * 0.184874) / 0.184874, light)
        codes = np.moveaxis(84.66 * light**0.4545, 0, -1)
        recorded = {
            0: [
                [64, 93, 64],
                [81, 93, 72],
                [82, 93, 77],
                [67, 93, 77],
                [44, 93, 73],
                [36, 93, 66],
                [58, 93, 57],
                [78, 93, 49],
            ],
            5: [
                [64, 79, 75],
                [80, 79, 78],
                [81, 79, 75],
                [89, 73, 64],
                [97, 64, 51],
                [21, 80, 53],
                [58, 79, 47],
                [78, 79, 49],
            ],
            7: [
                [65, 66, 78],
                [79, 67, 77],
                [82, 66, 72],
                [103, 51, 49],
                [91, 18, 22],
                [21, 68, 53],
                [58, 66, 48],
                [79, 66, 54],
            ],
            9: [
                [64, 52, 77],
                [80, 52, 73],
                [81, 52, 66],
                [77, 48, 53],
                [67, 39, 39],
                [30, 53, 47],
                [57, 52, 51],
                [78, 52, 60],
            ],
            15: [
                [68, 41, 72],
                [85, 40, 62],
                [86, 40, 54],
                [71, 41, 50],
                [46, 42, 54],
                [39, 42, 63],
                [62, 41, 71],
                [81, 40, 78],
            ],
        }
        for row, expected in recorded.items():
            gap = codes[row, ::3] - expected
            self.assertTrue((gap > -0.01).all() and (gap < 1.02).all(), (row, gap))

    def test_chroma_at_full_size_is_taken_back_exactly(self):
        """RY = (R-Y)/Y and BY = (B-Y)/Y undone, with the weights of the file's own primaries."""
        rgb = self.rng.uniform(0.05, 4, (3, 9, 7))
        for space in ("lin_rec709", "acescg"):
            weights = luminance_weights(space).astype(np.float64)
            luma = np.tensordot(weights, rgb, 1)
            planes = {"Y": luma, "RY": (rgb[0] - luma) / luma, "BY": (rgb[2] - luma) / luma}
            path = self.folder / f"{space}.exr"
            says = chromaticities_entry(CHROMATICITIES[space])
            write_exr(path, Image.of_planes({n: p.astype(np.float32) for n, p in planes.items()}, chromaticities=says))
            got = np.stack(find_sources([path]).pixels("beauty").planes)
            np.testing.assert_allclose(got, rgb, rtol=2e-4, atol=2e-5)

    def test_a_still_that_was_replaced_is_read_anew(self):
        path = zoo.still(self.folder / "s.png", np.full((4, 6, 3), 0.2))
        self.assertEqual(read_header(path)[0].data_window.shape, (4, 6))
        before = find_sources([path])
        before.pixels("beauty")
        zoo.still(path, np.full((5, 7, 4), 0.9), straight=True)
        self.assertEqual(read_header(path)[0].data_window.shape, (5, 7))
        self.assertEqual(find_sources([path]).pixels("beauty").planes[0].shape, (5, 7))

    def test_every_kind_as_the_image_library_has_it(self):
        """Each stored channel, against the library's own reader asked for what is stored; codes within half a rounding,
        since it multiplies by a rounded 1 / (2^n - 1)."""
        rng = np.random.default_rng(4)
        for suffix, kind, count in (
            ("png", "uint8", 4),
            ("png", "uint16", 3),
            ("tif", "uint8", 4),
            ("tif", "float", 3),
            ("tga", "uint8", 4),
            ("sgi", "uint16", 4),
            ("bmp", "uint8", 3),
            ("dpx", "uint8", 3),
            ("hdr", "float", 3),
            ("ppm", "uint8", 3),
        ):
            with self.subTest((suffix, kind, count)):
                path = zoo.still(self.folder / f"s.{suffix}", rng.random((6, 9, count)), straight=True, kind=kind)
                asked = oiio.ImageSpec()
                asked.attribute("oiio:UnassociatedAlpha", 1)
                theirs = oiio.ImageInput.open(str(path), asked)
                expected = theirs.read_image(oiio.FLOAT)
                part = read_header(path)[0]
                planes = read_planes(path, part).channels
                self.assertEqual(list(planes), list(theirs.spec().channelnames))
                for place, name in enumerate(planes):
                    np.testing.assert_allclose(planes[name], expected[..., place], rtol=1.2e-7 if "u" in kind else 0)
                self.assertEqual(part.stored, str(theirs.spec().format))

    def test_deep_pixels_are_listed_and_flattened(self):
        """Interpreting OpenEXR Deep Pixels: (.3,.1,0,.5 @10) over (.1,.2,.4,.6 @30) is (.35,.20,.20,.8)."""
        path = zoo.deep(self.folder / "deep.exr")
        source = next(iter(find_sources([path])))
        self.assertEqual((source.key, source.pass_.deep), ("deep", True))
        pixels = find_sources([path]).pixels("deep")
        np.testing.assert_allclose(
            [plane[0, 0] for plane in (*pixels.planes, pixels.alpha)], [0.35, 0.2, 0.2, 0.8], rtol=1e-6
        )
        np.testing.assert_array_equal(pixels.alpha[0, 1], 0)

    def test_channels_that_are_spelt_out(self):
        planes = {
            name: np.full((2, 3), value, np.float32)
            for name, value in (("red", 1), ("green", 2), ("blue", 3), ("alpha", 0.5))
        }
        path = self.write("spelt.exr", {f"diffuse.{name}": plane for name, plane in planes.items()} | planes)
        for key in ("beauty", "diffuse"):
            pixels = find_sources([path]).pixels(key)
            self.assertEqual([float(plane[0, 0]) for plane in pixels.planes], [1, 2, 3])
            self.assertEqual(float(pixels.alpha[0, 0]), 0.5)


class Colour(FolderCase):
    def primaries(self, space):
        return {"chromaticities": chromaticities_entry(CHROMATICITIES[space])}

    def test_other_primaries_are_converted_and_said_so(self):
        """Linear Rec.709 to ACEScg by Bradford, matrix of the ACES and OCIO configs: red becomes .613097, .070194,
        .020616."""
        red = {"R": np.ones((2, 2), np.float32), "G": np.zeros((2, 2), np.float32), "B": np.zeros((2, 2), np.float32)}
        path = self.folder / "x_beauty.exr"
        write_exr(path, Image.of_planes(red, **self.primaries("lin_rec709")))
        frame = find_sources([path], space=CHROMATICITIES["acescg"])
        got = [float(plane[0, 0]) for plane in frame.pixels("beauty").planes]
        np.testing.assert_allclose(got, [0.613097, 0.070194, 0.020616], atol=2e-6)
        same = find_sources([path])
        self.assertIs(same.source("beauty").space, None)
        np.testing.assert_array_equal(same.pixels("beauty").planes[0], red["R"])
        planes = {f"emission.{name}": plane for name, plane in red.items()}
        both = [path, self.folder / "x_emission.exr"]
        write_exr(both[1], Image.of_planes(planes, **self.primaries("lin_rec709")))
        frame = find_sources(both, space=CHROMATICITIES["acescg"])
        out = self.folder / "out.exr"
        deliver(first_ledger(frame), frame, out, Exr(pixel="float"))
        np.testing.assert_allclose(read_parts(out)[0].says("chromaticities"), CHROMATICITIES["acescg"], atol=1e-6)

    def test_other_primaries_than_the_header_says(self):
        """Asked for, they are converted from; the matrices are those of the ACES and OCIO configs."""
        red = {"R": np.ones((2, 2), np.float32), "G": np.zeros((2, 2), np.float32), "B": np.zeros((2, 2), np.float32)}
        write_exr(self.folder / "x_beauty.0001.exr", Image.of_planes(red, **self.primaries("acescg")))
        (element,) = gathered(self.folder).elements
        for primaries, expected in (
            ("header", [1.705051, -0.130256, -0.024003]), ("working", [1, 0, 0]), ("lin_rec709", [1, 0, 0]),
        ):  # fmt: skip
            asked = element.replace(passes=tuple(pass_.replace(primaries=primaries) for pass_ in element.passes))
            got = open_frame(asked, 1, space=CHROMATICITIES["lin_rec709"]).pixels("beauty")
            np.testing.assert_allclose([plane[0, 0] for plane in got.planes], expected, atol=3e-6)

    def test_primaries_that_span_nothing_are_passed_over(self):
        path = self.folder / "bad.exr"
        for bad in ((0.0,) * 8, (0.3, 0.3) * 4, (float("nan"),) * 8):
            planes = {c: np.full((2, 2), 0.5, np.float32) for c in "RGB"}
            write_exr(path, Image.of_planes(planes, chromaticities=chromaticities_entry(bad)))
            pixels = find_sources([path], space=CHROMATICITIES["acescg"]).pixels("beauty")
            self.assertEqual(float(pixels.planes[0][0, 0]), 0.5)

    def test_data_is_never_converted(self):
        path = self.folder / "n.exr"
        planes = {f"N.{axis}": np.full((2, 2), 0.5, np.float32) for axis in "XYZ"}
        write_exr(path, Image.of_planes(planes, **self.primaries("acescg")))
        frame = find_sources([path], space=CHROMATICITIES["lin_rec709"])
        self.assertEqual(float(frame.pixels("normals").planes[0][0, 0]), 0.5)

    def test_a_display_curve_is_taken_out_when_it_is_said(self):
        """IEC 61966-2-1: code .5 is .2140411 of light, straight and premultiplied alike."""
        self.assertAlmostEqual(float(decode_srgb(np.float64(0.5))), 0.2140411, 7)
        zoo.still(
            self.folder / "s.0001.png",
            np.dstack([np.full((2, 2, 3), 128 / 255), np.full((2, 2), 128 / 255)]),
            straight=True,
        )
        element = gathered(self.folder).elements[0]
        linear = element.replace(passes=(element.passes[0].replace(curve="srgb"),))
        pixels = open_frame(linear, 1).pixels("beauty")
        np.testing.assert_allclose(pixels.planes[0], 0.2158605 * 128 / 255, rtol=1e-5)

    def test_a_display_curve_of_premultiplied_values(self):
        """IEC 61966-2-1 is for whole light: what is stored is alpha times the code."""
        planes = {c: np.full((2, 2), 0.5 * 0.25, np.float32) for c in "RGB"} | {"A": np.full((2, 2), 0.25, np.float32)}
        self.write("s.0001.exr", planes)
        element = gathered(self.folder).elements[0]
        said = element.replace(passes=(element.passes[0].replace(curve="srgb", state="premultiplied"),))
        got = open_frame(said, 1).pixels("beauty").planes[0]
        np.testing.assert_allclose(got, float(decode_srgb(np.float64(0.5))) * 0.25, rtol=1e-6)


class Alpha(FolderCase):
    def both(self):
        """The same picture straight and premultiplied, as half in EXR."""
        colour, alpha = zoo.disc()
        for name, planes in (("straight", colour), ("premultiplied", colour * alpha)):
            rgba = dict(zip("RGBA", [*planes, alpha], strict=True))
            yield (
                name,
                self.write(f"{name}.exr", {channel: plane.astype(np.float16) for channel, plane in rgba.items()}),
            )

    def test_soft_edges_tell(self):
        for state, path in self.both():
            part = read_header(path)[0]
            planes = read_planes(path, part).channels
            seen = evidence(np.stack([planes[c] for c in "RGB"]), planes["A"], part)
            self.assertEqual(seen.state, state, seen)
            self.assertGreater(seen.certainty, 0.7)
            self.assertGreater(seen.edge_pixels, 16)
        self.assertIn("pixels have colour where alpha is 0", " ".join(next(self.seen("straight")).reasons))

    def seen(self, name):
        part = read_header(self.folder / f"{name}.exr")[0]
        planes = read_planes(self.folder / f"{name}.exr", part).channels
        yield evidence(np.stack([planes[c] for c in "RGB"]), planes["A"], part)

    def test_both_read_the_same_once_they_are_said(self):
        read = []
        for state, path in self.both():
            (element,) = gather([disk.single(path)], root=self.folder, as_one=True).elements
            said = element.replace(passes=(element.passes[0].replace(state=state),))
            read.append(open_frame(said, 0).pixels("beauty"))
        for a, b in zip(read[0].planes, read[1].planes, strict=True):
            np.testing.assert_allclose(a.astype(np.float32), b.astype(np.float32), rtol=2e-3, atol=1e-4)

    def test_formats_that_say_it(self):
        """PNG specification: not premultiplied. TIFF: ExtraSamples 1 is associated, 2 unassociated."""
        colour, alpha = zoo.disc()
        rgba = np.moveaxis(np.stack([*colour * alpha, alpha]), 0, -1)
        for name, straight, state in (
            ("a.png", True, "straight"),
            ("b.tif", False, "premultiplied"),
            ("c.tif", True, "straight"),
        ):
            path = zoo.still(self.folder / name, rgba, straight=straight)
            (element,) = gather([disk.single(path)], root=self.folder, as_one=True).elements
            self.assertEqual(element.passes[0].state, state, name)
            part = read_header(path)[0]
            planes = read_planes(path, part).channels
            self.assertEqual(evidence(np.stack([planes[c] for c in "RGB"]), planes["A"], part).state, state)

    def soft_row(self, solid, soft):
        """One long soft edge along the top of a picture, its solid side below it or at the other end of the frame."""
        alpha = np.zeros((40, 40), np.float32)
        alpha[0], alpha[solid] = 0.5, 1
        colour = np.stack([np.where(alpha == 1, 1, np.where(alpha > 0, soft, 0)).astype(np.float32)] * 3)
        return evidence(colour, alpha, read_header(self.write("x.exr", {c: alpha for c in "RGBA"}))[0])

    def test_an_edge_tells_the_same_on_every_side(self):
        """The solid lies right beside what is soft, and not a pixel further."""
        for turns in range(4):
            for away, count in ((1, 40), (2, 0)):
                alpha = np.zeros((40, 40), np.float32)
                alpha[10], alpha[10 + away] = 0.5, 1
                alpha = np.ascontiguousarray(np.rot90(alpha, turns))
                colour = np.stack([(alpha > 0).astype(np.float32)] * 3)
                part = read_header(self.write("x.exr", {c: alpha for c in "RGBA"}))[0]
                self.assertEqual(evidence(colour, alpha, part).edge_pixels, count, (turns, away))

    def test_an_edge_does_not_reach_round_the_frame(self):
        self.assertEqual(self.soft_row(solid=1, soft=1).edge_pixels, 40)
        self.assertEqual(self.soft_row(solid=-1, soft=1).edge_pixels, 0)

    def test_light_beyond_the_coverage_tells_where_no_edge_does(self):
        """All soft, all brighter than their alpha: straight if there is light outside too, else as the format has
        it."""
        rng = np.random.default_rng(1)
        alpha = rng.uniform(0.1, 0.6, (40, 40)).astype(np.float32)
        alpha[:, :20] = 0
        part = read_header(self.write("x.exr", {c: alpha for c in "RGBA"}))[0]
        for outside, state in ((0.0, "premultiplied"), (0.5, "straight")):
            colour = np.stack([np.where(alpha > 0, rng.uniform(0.7, 9, alpha.shape), outside)] * 3)
            seen = evidence(colour.astype(np.float32), alpha, part)
            self.assertEqual((seen.state, seen.outside), (state, 800 if outside else 0))

    def test_without_alpha_and_without_edges(self):
        part = read_header(self.write("x.exr", {c: np.ones((4, 4), np.float32) for c in "RGBA"}))[0]
        self.assertEqual(evidence(np.ones((3, 4, 4)), None, part).state, "none")
        flat = evidence(np.ones((3, 4, 4)), np.ones((4, 4)), part)
        self.assertEqual((flat.state, flat.certainty), ("premultiplied", 0.6))


class Places(FolderCase):
    def test_another_size_is_placed_or_scaled_and_keeps_nothing_out(self):
        beauty = self.write("s_beauty.1.exr", {c: np.ones((4, 6), np.float32) for c in "RGB"})
        wire = self.write("s_wire.1.exr", {c: np.full((2, 3), 0.5, np.float32) for c in "RGB"})
        frame = find_sources([wire, beauty])
        self.assertEqual((frame.display_window.shape, frame.window.shape), ((4, 6), (4, 6)))
        placed = frame.pixels("wire").planes[0]
        self.assertEqual((placed[:2, :3].min(), placed[2:].max(), placed[:, 3:].max()), (0.5, 0, 0))
        (element,) = gather([disk.single(path) for path in (beauty, wire)], root=self.folder, as_one=True).elements
        scaled = element.replace(passes=tuple(p.replace(fit="scale") for p in element.passes))
        frame = open_frame(scaled, 1)
        np.testing.assert_array_equal(frame.pixels("wire").planes[0], np.full((4, 6), 0.5))

    def test_display_windows_elsewhere_are_brought_together(self):
        first = self.write("s_beauty.exr", {c: np.ones((4, 4), np.float32) for c in "RGB"})
        moved = self.folder / "s_emission.exr"
        planes = {c: np.full((2, 2), 3, np.float32) for c in "RGB"}
        write_exr(
            moved, Image(channels=planes, data_window=Window(11, 21, 12, 22), display_window=Window(10, 20, 13, 23))
        )
        placed = find_sources([first, moved]).pixels("emission").planes[0]
        self.assertEqual((placed[1:3, 1:3].min(), placed.sum()), (3, 12))

    def test_what_is_huge_is_made_smaller_band_by_band(self):
        """To the same pixels as from the whole, whatever is done to them on the way, and however the rows divide."""
        rng = np.random.default_rng(4)
        pixels = rng.random((41, 23, 4)) * [1, 1, 1, 0.9] + [0, 0, 0, 0.02]
        zoo.still(self.folder / "s_beauty.0001.png", pixels, straight=True)
        for name, planes in (
            ("emission", {c: rng.random((41, 23)).astype(np.float16) for c in "RGB"}),
            ("depth", {"Z": rng.random((41, 23)).astype(np.float32)}),
        ):
            write_exr(self.folder / f"s_{name}.0001.exr", Image.of_planes(planes))
        (element,) = gathered(self.folder).elements
        beauty = element.find("beauty").replace(curve="srgb", state="straight")
        element = element.replace(passes=(beauty, *(p for p in element.passes if p.key != "beauty")))
        whole = open_frame(element, 1)
        with mock.patch.multiple("prism.sources.frame", HUGE=0, HUGE_ROWS=9):
            for step in (2, 3, 8, 50):
                for key in ("beauty", "emission", "depth"):
                    got, wanted = open_frame(element, 1).pixels(key, step=step), whole.pixels(key, step=step)
                    box = Region(open_frame(element, 1), Window(5, 30, 9, 33)).pixels(key)
                    np.testing.assert_array_equal(box.planes[1], whole.pixels(key).planes[1][30:34, 5:10])
                    for a, b in zip((*got.planes, got.alpha), (*wanted.planes, wanted.alpha), strict=True):
                        if b is not None:
                            np.testing.assert_allclose(a, b, rtol=1e-5 if b.dtype == np.float32 else 1e-3)
                            self.assertEqual(a.dtype, b.dtype)

    def test_huge_is_more_than_so_many_bytes_of_floats(self):
        write_exr(self.folder / "s_depth.0001.exr", Image.of_planes({"Z": np.ones((20, 30), np.float32)}))
        (element,) = gathered(self.folder).elements
        for most, huge in ((4 * 20 * 30, False), (4 * 20 * 30 - 1, True)):
            frame = open_frame(element, 1)
            with (
                mock.patch("prism.sources.frame.HUGE", most),
                mock.patch.object(type(frame), "_reduced", autospec=True, side_effect=type(frame)._reduced) as reduced,
            ):
                frame.pixels("depth", step=2)
            self.assertEqual(reduced.called, huge)

    def test_decoders_share_one_budget_of_memory(self):
        total = budget.UNIT * 4
        with (
            mock.patch.object(budget, "total", return_value=total),
            mock.patch("prism.formats.budget.gettempdir", return_value=self.folder),
        ):
            with budget.share(total // 2), budget.share(total // 4):
                with self.assertRaises(TooCostly), limited(0.1), budget.share(total // 2):
                    pass
                with limited(5), budget.share(total // 4):
                    pass
            with budget.share(budget.UNIT + 1), budget.share(budget.UNIT + 1):  # two whole units each
                with self.assertRaises(TooCostly), limited(0.1), budget.share(1):
                    pass
            with limited(5), budget.share(3 * total):  # never more than there is
                pass

    def test_data_is_picked_and_colour_filtered(self):
        plane = np.float32([[0, 4], [8, 12]])
        np.testing.assert_array_equal(resized(plane, (4, 4), pick=True), np.repeat(np.repeat(plane, 2, 0), 2, 1))
        row = resized(np.float32([[0, 1, 2, 3, 4, 5, 6, 7]]), (1, 16), pick=False)[0]
        np.testing.assert_allclose(
            row[:5], [0, 0.25, 0.75, 1.25, 1.75], atol=1e-6
        )  # triangle, as Pillow and OpenImageIO

    def test_a_region_is_a_cut_of_the_whole(self):
        frame = self.frame()
        cut = Region(frame, Window(3, 2, 7, 4))
        for key in ("beauty", "depth"):
            np.testing.assert_array_equal(cut.pixels(key).planes[0], frame.pixels(key).planes[0][2:5, 3:8])
        self.assertEqual(cut.shape(), (3, 5))


class Gathering(FolderCase):
    def planes(self, *names, size=(4, 6)):
        return {f"{name}.{c}" if name else c: np.ones(size, np.float16) for name in names for c in "RGB"}

    def test_passes_in_folders_of_their_own_are_one_element(self):
        for name in ("beauty", "diff", "spec"):
            (self.folder / "v002" / name).mkdir(parents=True)
            for frame in (1, 2):
                self.write(f"v002/{name}/shot.{frame:04}.exr", self.planes(""))
        (element,) = gathered(self.folder).elements
        self.assertEqual([pass_.key for pass_ in element.passes], ["beauty", "diffuse", "specular"])
        self.assertEqual((element.frames, element.number), ((1, 2), 2))

    def test_layers_versions_and_views_are_elements_of_their_own(self):
        for layer in ("char", "set"):
            for version in (1, 2):
                self.write(f"s_{layer}_beauty_v{version:03}.0001.exr", self.planes(""))
        names = [element.name for element in gathered(self.folder).elements]
        self.assertEqual(sorted(names), ["char v001", "char v002", "set v001", "set v002"])

    def test_elements_are_called_after_what_tells_them_apart(self):
        for paths, names in (
            (("sh010_hero_v001.1001.png", "sh010_hero_v002.1001.png"), {"hero v001", "hero v002"}),
            (("v001/beauty.1001.png", "v002/beauty.1001.png"), {"v001", "v002"}),
            (("hero/beauty.1001.png", "hero/left/beauty.1001.png"), {"hero", "hero left"}),
            (("sh010_hero.1001.png", "sh010.1001.png"), {"hero", "sh 010"}),
        ):
            with self.subTest(paths):
                folder = self.folder / str(len(list(self.folder.iterdir())))
                for path in paths:
                    (folder / path).parent.mkdir(parents=True, exist_ok=True)
                    zoo.still(folder / path, np.full((2, 2, 3), 0.5))
                self.assertEqual({element.name for element in gathered(folder).elements}, names)

    def test_layers_and_views_inside_one_file(self):
        self.write("all.0001.exr", self.planes("char.diffuse", "char.specular", "set.diffuse", "set.specular"))
        found = {e.layer: [pass_.key for pass_ in e.passes] for e in gathered(self.folder).elements}
        self.assertEqual(found, {"char": ["diffuse", "specular"], "set": ["diffuse", "specular"]})
        stereo = self.folder / "stereo"
        stereo.mkdir()
        views = [
            ("rgba.left", Image.of_planes(self.planes(""), view="left")),
            ("rgba.right", Image.of_planes(self.planes(""), view="right")),
        ]
        write_parts(stereo / "s.0001.exr", views)
        self.assertEqual([e.camera for e in gathered(stereo).elements], ["", "right"])

    def test_whatever_a_set_calls_its_light_its_ledger_lands(self):
        """Sets of names as people write them (common practice, no source); each name is a part of the beauty, but for
        those behind a slash."""
        for names in (
            "TransDir TransInd DiffDir DiffInd",
            "VolumeDir VolumeInd diffuse specular",
            "diffuse coat_direct sheen_direct specular",
            "key_diffuse fill_diffuse key_specular fill_specular",
            "diffuse_key specular_key diffuse_rim specular_rim",
            "diffuse_direct_key diffuse_indirect_key diffuse_direct_fill",
            "RGBA_key RGBA_fill", "Combined_key Combined_rim", "C_key C_fill C_rim", "beauty_key beauty_moon",
            "lighting GI reflection refraction selfIllumination / diffuse",
            "diffuse_direct diffuse_indirect specular / diffuse_filter",
        ):  # fmt: skip
            with self.subTest(names):
                lit = names.partition("/")[0]
                shutil.rmtree(self.folder)
                self.folder.mkdir()
                called = [name for name in names.split() if name != "/"]
                light = {name: self.rng.uniform(0.1, 1, (3, 4, 6)).astype(np.float32) for name in called}
                planes = {f"{name}.{c}": light[name][place] for name in called for place, c in enumerate("RGB")}
                whole = sum(light[name] for name in lit.split())
                planes |= dict(zip("RGB", whole.astype(np.float32), strict=True)) | {"A": np.ones((4, 6), np.float32)}
                frame = find_sources([self.write("shot.1001.exr", planes)])
                self.assertTrue(balance(best_ledger(frame), frame, causes=0).balanced, [s.key for s in frame])

    def test_two_that_claim_one_pass_are_both_kept(self):
        planes = self.planes("") | {"Z": np.ones((4, 6), np.float32), "depth.V": np.ones((4, 6), np.float32)}
        self.write("s.0001.exr", planes)
        (element,) = gathered(self.folder).elements
        by_key = {pass_.key: pass_ for pass_ in element.passes}
        self.assertEqual(by_key["depth"].channels, ("Z",))
        aside = next(pass_ for pass_ in element.passes if pass_.excluded)
        self.assertEqual((aside.channels, aside.kind), (("depth.V",), "depth"))
        frame = open_frame(element, 1)
        self.assertTrue(frame.source(aside.key).excluded)

    def test_a_stray_beauty_beside_data_stands_aside(self):
        self.write("s_beauty.0001.exr", self.planes(""))
        self.write("s_data.0001.exr", self.planes("") | {"Z": np.ones((4, 6), np.float32)})
        (element,) = gathered(self.folder).elements
        beauty = element.find("beauty")
        self.assertEqual(beauty.files.head, "s_beauty.")
        before = element.passes[0].model_dump(mode="json", exclude={"excluded"}) | {"aside": "a copy"}
        self.assertEqual(ElementPass.model_validate(before).excluded, "a copy", "as documents of before call it")
        self.assertIn("rides along with data", next(pass_.excluded for pass_ in element.passes if pass_.excluded))

    def test_stills_are_held_and_bad_files_hide_nothing(self):
        for frame in (1, 2):
            self.write(f"s_beauty.{frame:04}.exr", self.planes(""))
        self.write("s_background.exr", self.planes(""))
        (self.folder / "s_depth.0001.exr").write_bytes(b"RGBA")
        found = gathered(self.folder)
        (element,) = found.elements
        self.assertEqual(element.frames, (1, 2))
        self.assertTrue(element.find("background").files.is_still)
        self.assertIn("background", open_frame(element, 2))
        self.assertEqual([fault.sequence.pattern for fault in found.faults], ["s_depth.####.exr"])

    def test_a_light_that_a_rule_names_makes_its_components_known(self):
        for name in ("beauty", "moonlit", "diffuse_gaffer", "specular_gaffer"):
            self.write(f"s_{name}.0001.exr", self.planes(""))
        keys = lambda rules: {pass_.key for e in gathered(self.folder, rules=rules).elements for pass_ in e.passes}  # noqa: E731
        self.assertTrue({"diffuse", "specular"} <= keys([]))
        self.assertEqual(
            keys([zoo_rule("*moonlit*", "light", "gaffer")]),
            {"beauty", "light_gaffer", "diffuse_light_gaffer", "specular_light_gaffer"},
        )

    def test_odd_folders_from_elsewhere(self):
        """Views by file name, grey with alpha, bare directions, a preview of names, an alpha alone, very long names."""
        grey = self.rng.random((4, 6)).astype(np.float32)
        for path, planes in {
            "stereo/s_left.1.exr": self.planes(""), "stereo/s_right.1.exr": self.planes(""),
            "luma/y.1.exr": {"Y": grey},
            "dir/s_P.1.exr": dict.fromkeys("XYZ", grey), "pair/s_motion.1.exr": dict.fromkeys("uv", grey),
            "ids/s.1.exr": self.planes("", "cryptoObject") | {f"cryptoObject00.{c}": grey for c in "RGBA"},
            "alone/x.1.exr": self.planes("Ci") | {"a": grey}, f"{'n' * 200}/{'m' * 120}.1.exr": self.planes("q" * 200),
            "count/n.1.exr": self.planes(""), "Ünï/Ünï_diffuse.1.exr": self.planes(""),
        }.items():  # fmt: skip
            (self.folder / path).parent.mkdir(exist_ok=True)
            self.write(path, planes)
        found = {e.passes[0].files.sequence[0].name: e for e in gathered(self.folder).elements}
        keys = {name: [pass_.key for pass_ in e.passes] for name, e in found.items()}
        self.assertEqual({e.camera for e in gathered(self.folder).elements}, {"", "left", "right"})
        self.assertEqual((keys["dir"], keys["pair"], keys["count"]), (["position"], ["motion_forward"], ["beauty"]))
        self.assertEqual(keys["ids"], ["beauty", "crypto_object00", "cryptoObject"])
        self.assertEqual((set(keys["alone"]), keys["Ünï"], len(keys["luma"])), ({"Ci", "alpha"}, ["diffuse"], 1))
        self.assertTrue(all(len(e.passes) < 4 for e in found.values()))
        self.assertEqual(len(found), 9)  # each in an image of its own, and none swept together

    def test_rules_decide_before_words(self):
        self.write("s_beauty.0001.exr", self.planes("", "wibble", "diffuse"))
        rules = [
            zoo_rule("wibble", "light", "moon"),
            zoo_rule("diff*", "ignore"),
            zoo_rule("*beauty*", "pass", "emission"),
        ]
        (element,) = gathered(self.folder, rules=rules[:2]).elements
        self.assertEqual([pass_.key for pass_ in element.passes], ["beauty", "light_moon"])
        self.assertIn("by your rule", element.find("light_moon").reason)


def zoo_rule(pattern, does, target=""):
    from prism.elements.rules import Rule

    return Rule(pattern=pattern, does=does, target=target)


class Stored(unittest.TestCase):
    def test_the_longest_unused_goes_first(self):
        store, item = PixelStore(8), np.zeros(1, np.float32)
        sized = lambda: type("Item", (), {"byte_count": item.nbytes})()  # noqa: E731
        store.put("a", sized())
        store.put("b", sized())
        store.get("a", sized)
        store.put("c", sized())
        self.assertEqual([key in store for key in "abc"], [True, False, True])
