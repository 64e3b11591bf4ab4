"""OpenEXR files: written by us and read by two libraries, written by them and read by us, and broken ones."""

import os
import struct
import subprocess
import sys
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from prism.errors import MissingChannels, SizeMismatch, TooLarge, UnreadableFile, UnwritableFile
from prism.formats import exr
from prism.formats.exr import read_channels, to_half, write_exr, write_parts
from prism.formats.headers import read_parts
from prism.formats.safe import replacing
from prism.pixels.file_formats import EXR_COMPRESSIONS
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.tests.frames import FolderCase


def mixed_planes(rng, height=70, width=37):
    """One of each type; 70 rows are more than one decoding band."""
    return {
        "R": rng.lognormal(0, 3, (height, width)).astype(np.float16),
        "G": rng.normal(0, 9, (height, width)).astype(np.float16),
        "B": np.full((height, width), np.inf, np.float16),
        "A": rng.random((height, width)).astype(np.float16),
        "Z": rng.uniform(0, 1e10, (height, width)).astype(np.float32),
        "deep.inside.R": rng.normal(0, 1e30, (height, width)).astype(np.float32),
        "id.V": rng.integers(0, 2**32, (height, width), dtype=np.uint64).astype(np.uint32),
    }


def bits(plane):
    return plane.view({2: np.uint16, 4: np.uint32}[plane.itemsize])


class RoundTrip(FolderCase):
    def test_every_lossless_compression_keeps_every_bit(self):
        planes = mixed_planes(self.rng)
        planes["Z"][0, :3] = np.nan, np.inf, -0.0
        for compression in (name for name, each in EXR_COMPRESSIONS.items() if each.lossless):
            with self.subTest(compression):
                path = self.write(f"{compression}.exr", planes, compression=compression)
                part = read_parts(path)[0]
                self.assertEqual(part.compression, compression)
                image = read_channels(path, part)
                for name, plane in planes.items():
                    self.assertEqual(image.plane(name).dtype, plane.dtype, name)
                    np.testing.assert_array_equal(bits(image.plane(name)), bits(plane), name)

    def test_the_table_of_what_compressions_change_is_the_librarys(self):
        """Every compression, type and kind of name, written and read by OpenEXR's binding."""
        values = np.random.default_rng(1).random((64, 64)) * 3
        planes = {
            "half": values.astype(np.float16),
            "float": values.astype(np.float32),
            "uint": (values * 1e6).astype(np.uint32),
        }
        for compression, entry in EXR_COMPRESSIONS.items():
            kind = getattr(OpenEXR, f"{'NO' if compression == 'none' else compression.upper()}_COMPRESSION")
            for pixel, plane in planes.items():
                for names in (
                    ("R", "G", "B", "A"),
                    ("id00.R", "id00.G", "id00.B", "id00.A"),
                    ("Z",),
                    ("N.X", "N.Y", "N.Z"),
                ):
                    path = self.folder / "c.exr"
                    OpenEXR.File({"compression": kind}, {name: plane.copy() for name in names}).write(str(path))
                    with OpenEXR.File(str(path), separate_channels=True) as file:
                        back = {name: file.channels()[name].pixels for name in names}
                    changed = {name for name in names if not np.array_equal(bits(back[name]), bits(plane))}
                    told = {name for name in names if entry.loses(pixel, name)}
                    self.assertLessEqual(changed, told, (compression, pixel))
                    if compression != "lj2k":  # which keeps what happens to fit
                        self.assertEqual(changed, told, (compression, pixel))

    def test_our_files_read_by_openexr(self):
        planes = mixed_planes(self.rng)
        path = self.write("ours.exr", planes)
        with OpenEXR.File(str(path), separate_channels=True) as file:
            for name, plane in planes.items():
                np.testing.assert_array_equal(bits(file.channels()[name].pixels), bits(plane), name)

    def test_our_files_read_by_openimageio(self):
        path = self.write("ours.exr", {"R": np.float32([[1, 2], [3, 4]]), "Z": np.float32([[5, 6], [7, 8]])})
        buffer = oiio.ImageBuf(str(path))
        channel = list(buffer.spec().channelnames).index("Z")
        np.testing.assert_array_equal(buffer.get_pixels(oiio.FLOAT)[..., channel], [[5, 6], [7, 8]])

    def test_files_of_openimageio_scanline_and_tiled(self):
        pixels = self.rng.lognormal(0, 1, (90, 70, 4)).astype(np.float32)
        for tile in (0, 32):
            with self.subTest(tile=tile):
                spec = oiio.ImageSpec(70, 90, 4, oiio.FLOAT)
                spec.tile_width = spec.tile_height = tile
                path = str(self.folder / f"theirs{tile}.exr")
                output = oiio.ImageOutput.create(path)
                output.open(path, spec)
                output.write_image(pixels)
                output.close()
                part = read_parts(path)[0]
                self.assertEqual(part.tiled, bool(tile))
                image = read_channels(path, part, ["B", "A"])
                self.assertEqual(set(image.channels), {"B", "A"})
                np.testing.assert_array_equal(image.plane("B"), pixels[..., 2])

    def test_views_that_are_not_contiguous(self):
        """The library scrambles them without a word when handed over as they are."""
        whole = self.rng.random((20, 30)).astype(np.float32)
        for name, view in {"flip": whole[::-1], "crop": whole[3:9, 4:20], "turn": whole.T}.items():
            with self.subTest(name):
                path = self.write(f"{name}.exr", {"Y": view})
                np.testing.assert_array_equal(read_channels(path, read_parts(path)[0]).plane("Y"), view)

    def test_data_window_larger_smaller_and_outside(self):
        display = Window.of_size(6, 6)
        for window in (Window(-2, -1, 7, 6), Window(1, 2, 4, 3), Window(10, 10, 12, 11)):
            with self.subTest(str(window)):
                plane = self.rng.random(window.shape).astype(np.float32)
                path = self.folder / "window.exr"
                write_exr(path, Image(channels={"R": plane}, data_window=window, display_window=display))
                part = read_parts(path)[0]
                self.assertEqual((part.data_window, part.display_window), (window, display))
                np.testing.assert_array_equal(read_channels(path, part).plane("R"), plane)
                spec = oiio.ImageInput.open(str(path)).spec()
                self.assertEqual((spec.x, spec.y, spec.full_width), (window.x0, window.y0, 6))

    def test_parts_with_windows_of_their_own(self):
        first = Image.of_planes({"R": np.ones((4, 4), np.float16)})
        second = Image(
            channels={"Z": np.full((2, 2), 7, np.float32)},
            data_window=Window(1, 1, 2, 2),
            display_window=Window.of_size(4, 4),
        )
        path = self.folder / "parts.exr"
        write_parts(path, [("beauty", first), ("depth", second)])
        parts = read_parts(path)
        self.assertEqual([part.name for part in parts], ["beauty", "depth"])
        self.assertEqual(parts[1].data_window, Window(1, 1, 2, 2))
        np.testing.assert_array_equal(read_channels(path, parts[1]).plane("Z"), np.full((2, 2), 7))

    def test_attributes_survive(self):
        image = Image.of_planes({"R": np.ones((2, 2), np.float32)}, camera="wide", frame=1001, gain=0.5)
        path = self.folder / "named.exr"
        write_exr(path, image)
        part = read_parts(path)[0]
        self.assertEqual([part.says(name) for name in ("camera", "frame", "gain")], ["wide", 1001, 0.5])


class Broken(FolderCase):
    def test_cut_short_anywhere_is_one_clear_error(self):
        """A file cut at any place is refused, never read as a picture with a hole."""
        whole = self.write("whole.exr", mixed_planes(self.rng)).read_bytes()
        for share in (0.001, 0.05, 0.3, 0.6, 0.9, 0.999):
            with self.subTest(share=share):
                path = self.folder / "cut.exr"
                path.write_bytes(whole[: int(len(whole) * share)])
                with self.assertRaises(UnreadableFile) as caught:
                    read_channels(path, read_parts(path)[0])
                self.assertEqual(caught.exception.where, str(path))

    def test_not_an_exr(self):
        cases = {"empty.exr": b"", "text.exr": b"RGBA RGBA", "picture.png": b"\x89PNG\r\n\x1a\n"}
        for name, content in cases.items():
            (self.folder / name).write_bytes(content)
            with self.subTest(name), self.assertRaises(UnreadableFile):
                read_parts(self.folder / name)

    def test_a_folder_and_nothing_at_all(self):
        for path in (self.folder, self.folder / "absent.exr"):
            with self.subTest(path.name), self.assertRaises(UnreadableFile):
                read_parts(path)

    def test_a_header_that_lies_about_its_size(self):
        """Every window is bounded before anything is decoded; one that is merely wrong fails when it is."""
        sizes = (
            (19_999, "declares 20000 x 20000"),
            (4_999, "Damaged"),
            (2**30 + 1, "is too far out"),
            (-5, "no pixels"),
        )
        for window in ("dataWindow", "displayWindow"):
            for last, said in sizes:
                with self.subTest(window, last=last):
                    path = self.write("small.exr", {"R": np.ones((4, 4), np.float32)})
                    data = bytearray(path.read_bytes())
                    at = data.index(f"{window}\0box2i\0".encode()) + len(window) + 7 + 4
                    data[at : at + 16] = struct.pack("<4i", 0, 0, last, last)
                    path.write_bytes(bytes(data))
                    if window == "displayWindow" and last == 4_999:  # a picture that covers little of its frame
                        self.assertEqual(float(read_channels(path, read_parts(path)[0]).plane("R").sum()), 16)
                        continue
                    with self.assertRaisesRegex((UnreadableFile, TooLarge), said):
                        read_channels(path, read_parts(path)[0])

    def test_too_many_values_at_once(self):
        path = self.write("some.exr", {c: np.ones((4, 4), np.float32) for c in "RG"})
        part = read_parts(path)[0]
        with mock.patch.object(exr, "VALUE_LIMIT", 31), self.assertRaisesRegex(TooLarge, "2 channels"):
            read_channels(path, part)
        with mock.patch.object(exr, "VALUE_LIMIT", 32):
            self.assertEqual(set(read_channels(path, part).channels), {"R", "G"})

    def test_a_missing_channel_names_those_there_are(self):
        path = self.write("rgb.exr", {"R": np.ones((2, 2), np.float32)})
        with self.assertRaisesRegex(MissingChannels, "no channel Q; found R"):
            read_channels(path, read_parts(path)[0], ["Q"])

    def test_planes_that_differ_in_size(self):
        with self.assertRaises(SizeMismatch):
            Image.of_planes({"R": np.ones((2, 2), np.float32), "G": np.ones((2, 3), np.float32)})


class Writing(FolderCase):
    def test_half_limit(self):
        """65519.99 rounds to 65504 and 65520 to infinity (IEEE 754 binary16): the second is refused."""
        self.assertEqual(float(to_half(np.float32([65519.0]), name="R")[0]), 65504)
        with self.assertRaisesRegex(UnwritableFile, "1 pixels of R are beyond the half float limit"):
            to_half(np.float32([65520.0]), name="R")
        self.assertTrue(np.isinf(to_half(np.float32([np.inf]), name="R")[0]))

    def test_an_unknown_compression(self):
        with self.assertRaisesRegex(UnwritableFile, "Unknown compression lzma"):
            self.write("x.exr", {"R": np.ones((2, 2), np.float32)}, compression="lzma")

    def test_a_failed_write_leaves_the_old_file_and_no_rest(self):
        path = self.folder / "kept.exr"
        path.write_bytes(b"old")
        with self.assertRaises(RuntimeError), replacing(path) as temporary:
            temporary.write_bytes(b"half")
            raise RuntimeError
        self.assertEqual(path.read_bytes(), b"old")
        self.assertEqual(os.listdir(self.folder), ["kept.exr"])

    def test_what_a_killed_writer_left_goes_with_the_next_writing(self):
        """And what another is still writing stays, as does any other hidden file."""
        begin = "from prism.formats.safe import replacing; import time"
        writing = begin + "\nwith replacing('{}') as t: print(t, flush=True); time.sleep(60)"
        path = self.folder / "a[1].1001.exr"
        writers = [
            subprocess.Popen([sys.executable, "-c", writing.format(path)], stdout=subprocess.PIPE, text=True)
            for _ in range(2)
        ]
        left, going_on = (Path(writer.stdout.readline().strip()) for writer in writers)
        self.addCleanup(writers[1].communicate)
        self.addCleanup(writers[1].kill)
        writers[0].kill()
        writers[0].communicate()
        (self.folder / ".a[1].1001.set-aside.exr").touch()
        self.assertTrue(left.exists())
        self.write(path.name, {"R": np.ones((2, 2), np.float32)})
        self.assertEqual(
            {found.name for found in self.folder.iterdir()}, {path.name, going_on.name, ".a[1].1001.set-aside.exr"}
        )

    def test_a_full_disk_says_so(self):
        with self.assertRaisesRegex(UnwritableFile, "disk is full"), replacing(self.folder / "x.exr"):
            raise OSError(28, "No space left on device")

    def test_a_folder_in_the_way(self):
        (self.folder / "taken.exr").mkdir()
        with self.assertRaisesRegex(UnwritableFile, "folder has this name"):
            self.write("taken.exr", {"R": np.ones((2, 2), np.float32)})

    def test_a_part_of_the_path_is_a_file(self):
        Path(self.folder / "file").write_text("x")
        with self.assertRaises(UnwritableFile):
            self.write("file/x.exr", {"R": np.ones((2, 2), np.float32)})


class Windows(unittest.TestCase):
    def test_inclusive_counting(self):
        """OpenEXR technical introduction: size = max - min + 1; 10 % overscan a side of HD is 2304 x 1296."""
        window = Window(-192, -108, 2111, 1187)
        self.assertEqual((window.width, window.height), (2304, 1296))
        self.assertEqual(Window(0, 0, 0, 0).shape, (1, 1))

    def test_union_and_place(self):
        outer = Window(0, 0, 3, 3).union(Window(-2, 1, 1, 5))
        self.assertEqual(outer, Window(-2, 0, 3, 5))
        whole = np.zeros(outer.shape)
        whole[Window(0, 0, 3, 3).slices_in(outer)] = 1
        self.assertEqual(whole.sum(), 16)
        self.assertEqual(whole[0, 2], 1)
        self.assertEqual(whole[0, 1], 0)

    def test_an_empty_window_is_refused(self):
        with self.assertRaises(SizeMismatch):
            Window(3, 0, 2, 5)
