"""Movies: what comes back of them, by their own decoders and by another library's eyes."""

import subprocess
import sys
from fractions import Fraction
from pathlib import Path
from unittest import mock

import av
import numpy as np
from PIL import Image as Pillow

from prism.errors import BadArgument, Superseded, UnwritableFile
from prism.formats.exr import write_exr
from prism.movies import writing
from prism.movies.burning import burnt, missing_frame, with_band
from prism.movies.codecs import CODECS
from prism.movies.filling import filled
from prism.movies.frames import frame_of
from prism.movies.reading import read_movie
from prism.movies.writing import MovieSettings, write_movie
from prism.pixels.image import Image
from prism.tests.frames import FolderCase, run

COUNT = 4


def picture(rng, number, height, width, bits):
    """Smooth colour with an alpha of noise above and hard edges below: codes (H, W, 4)."""
    y, x = np.mgrid[:height, :width]
    turn = 2 * np.pi
    red, green = 0.5 + 0.5 * np.sin(turn * (x / width + number / 10)), 0.5 + 0.5 * np.sin(turn * y / height)
    values = np.stack([red, green, 1 - red * green, ((x // 8 + y // 8) % 2) * (x / width)], -1)
    values[: height // 3, :, 3] = rng.random((height // 3, width))
    most = (1 << bits) - 1
    return np.floor(values * most + 0.5).astype(np.uint8 if bits == 8 else np.uint16)


def _chroma(rgb):
    """Cb and Cr of BT.709, -0.5 to 0.5."""
    luma = rgb @ (0.2126, 0.7152, 0.0722)
    return (rgb[..., 2] - luma) / 1.8556, (rgb[..., 0] - luma) / 1.5748


class Codecs(FolderCase):
    def path(self, name):
        return self.folder / f"{name}.{CODECS[name].suffix}"

    def test_what_the_table_says_comes_back(self):
        """Each codec with and without alpha, odd sizes too: within the codes that the page states, 0 for exact ones."""
        for name, codec in CODECS.items():
            for alpha in (False, True) if codec.alpha else (False,):
                for height, width in ((48, 64), (39, 57)):
                    with self.subTest(name, alpha=alpha, size=(height, width)):
                        made = [picture(self.rng, number, height, width, codec.bits) for number in range(COUNT)]
                        settings = MovieSettings(codec=name, rate=24, alpha=alpha)
                        self.assertEqual(write_movie(self.path(name), made, settings), COUNT)
                        back = [values[:height, :width] * 255 for values in read_movie(self.path(name))]
                        self.assertEqual(len(back), COUNT)
                        apart = np.abs(np.array(back) - np.array(made) * (255 / np.iinfo(made[0].dtype).max))
                        colour, cover = apart[..., :3].max(), apart[..., 3].max()
                        self.assertLessEqual(colour, codec.off[0] + 0.01)
                        self.assertLessEqual(cover, codec.off[1] + 0.01) if alpha else None

    def test_rate_first_frame_and_tags(self):
        """SMPTE ST 12-1: frame 1001 at 24 counts 00:00:41:17; 29.97 is 30000/1001 and drops numbers."""
        frames = [picture(self.rng, number, 16, 16, 8) for number in range(COUNT)]
        cases = ((24.0, Fraction(24), "00:00:41:17"), (23.976, Fraction(24000, 1001), "00:00:41:17"),
                 (29.97, Fraction(30000, 1001), "00:00:33;11"), (12.5, Fraction(25, 2), None))  # fmt: skip
        for name in ("h264", "png", "vp9", "prores4444"):
            for rate, exact, code in cases:
                tags = {"title": "ORR_010", "reel_name": "A001"}
                write_movie(self.path(name), frames, MovieSettings(codec=name, rate=rate, first=1001, tags=tags))
                with av.open(str(self.path(name))) as container:
                    stream = container.streams.video[0]
                    said = {key.lower(): text for key, text in {**container.metadata, **stream.metadata}.items()}
                    self.assertEqual(
                        (stream.average_rate, said["title"], said["reel_name"]), (exact, "ORR_010", "A001")
                    )
                    self.assertIn(said["timecode"], (code, said["timecode"] if code is None else code))
                    # ITU-T H.273: primaries and matrix of BT.709 are 1, the curve of sRGB is 13.
                    colour = stream.codec_context.color_primaries, stream.codec_context.color_trc
                    self.assertEqual(colour, (1, 13))

    def test_luma_and_chroma_are_those_of_bt_709(self):
        """Pure red, green and blue in 8 bits: handbook values 63 102 240, 173 42 26, 32 240 118; white 235 128 128."""
        colours = {"red": (63, 102, 240), "lime": (173, 42, 26), "blue": (32, 240, 118), "white": (235, 128, 128)}
        for name, expected in colours.items():
            codes = np.asarray(Pillow.new("RGB", (8, 8), name))
            planes = frame_of(codes, CODECS["h264"], alpha=False).to_ndarray().reshape(-1)
            found = planes[0], planes[64], planes[64 + 16]
            self.assertEqual(tuple(map(int, found)), expected, name)

    def test_chroma_is_weighed_as_the_standard_places_it(self):
        """ITU-T H.264, figure E-1: beside the left column, 1 2 1 across and 1 1 down; rounded to the nearest."""
        codes = np.random.default_rng(4).integers(0, 256, (16, 24, 3), np.uint8)
        planes = frame_of(codes, CODECS["h264"], alpha=False).to_ndarray()
        rgb = codes.astype(np.float64) / 255
        luma = rgb @ (0.2126, 0.7152, 0.0722)
        wide = np.pad(rgb, ((0, 0), (1, 1), (0, 0)), mode="edge")
        across = (wide[:, :-2] + 2 * wide[:, 1:-1] + wide[:, 2:])[:, ::2] / 4
        blue, red = _chroma((across[::2] + across[1::2]) / 2)
        found = planes.reshape(-1).astype(int)
        expected = (16 + 219 * luma, 128 + 224 * blue, 128 + 224 * red)
        for got, due in zip(np.split(found, (16 * 24, 16 * 24 * 5 // 4)), expected, strict=True):
            self.assertLess(np.abs(got - due.reshape(-1)).max(), 0.5001)

    def test_alpha_is_refused_where_it_would_be_lost(self):
        with self.assertRaisesRegex(BadArgument, "H.264 has no alpha"):
            MovieSettings(codec="h264", alpha=True)
        with self.assertRaisesRegex(BadArgument, "written as .mov"):
            write_movie(self.folder / "a.mp4", [], MovieSettings(codec="png"))

    def test_a_movie_that_is_not_whole_leaves_no_file(self):
        """Cancelled, of frames that do not fit, of none, and one that does not read back: each is seen to fail."""
        frame = picture(self.rng, 0, 16, 16, 8)

        def breaking():
            yield frame
            raise ZeroDivisionError

        cases = [
            ([frame] * 3, {"is_stale": lambda: True}, Superseded),
            ([frame, frame[:8]], {}, BadArgument),
            ([], {}, BadArgument),
            (breaking(), {}, ZeroDivisionError),
        ]
        for frames, options, kind in cases:
            with self.subTest(kind), self.assertRaises(kind):
                write_movie(self.path("png"), frames, MovieSettings(codec="png"), **options)
        with mock.patch.object(writing, "_encode", return_value=2) as encode, self.assertRaises(UnwritableFile):
            encode.side_effect = lambda path, *_: Path(path).write_bytes(b"no movie") and 2
            write_movie(self.path("png"), [frame], MovieSettings(codec="png"))
        self.assertEqual(list(self.folder.iterdir()), [])


class Gaps(FolderCase):
    def frames(self, gaps, wanted=(1, 2, 3, 4, 5), there=(2, 3, 5)):
        load = lambda number: np.full((40, 120, 3), number * 10, np.uint8)  # noqa: E731
        return dict(filled(wanted, there, load, gaps))

    def test_refused_by_number(self):
        with self.assertRaisesRegex(BadArgument, "Not there: 1,4"):
            self.frames("refuse")
        with self.assertRaisesRegex(BadArgument, "None of these"):
            self.frames("hold", there=())

    def test_held_and_marked(self):
        held, marked = self.frames("hold"), self.frames("mark")
        self.assertEqual([int(frame[0, 0, 0]) for frame in held.values()], [20, 20, 30, 30, 50])
        for number in (2, 3, 5):
            np.testing.assert_array_equal(marked[number], held[number])
        for number in (1, 4):
            self.assertLess(int(marked[number][0, 0, 0]), int(held[number][0, 0, 0]))
        self.assertFalse(np.array_equal(marked[4] - marked[4].min(), missing_frame(held[3], 3) - marked[4].min()))

    def test_deep_codes_are_marked_alike(self):
        """An alpha is full where the words are, in 16 bits as in 8."""
        for kind in (np.uint8, np.uint16):
            marked = missing_frame(np.zeros((240, 800, 4), kind), 7)
            self.assertEqual(marked[..., 3].max(), np.iinfo(kind).max)
            self.assertGreater(marked[..., 0].max(), np.iinfo(kind).max * 0.9)


class Bands(FolderCase):
    def test_words_and_their_places(self):
        values = {"shot": "ORR_010", "version": 3, "frame": 1001, "note": "warmer"}
        self.assertEqual(burnt("{shot} v{version:03}|{note}|{frame:05}", values), ("ORR_010 v003", "warmer", "01001"))
        for text, fault in (
            ("{shto}", "Unknown field"),
            ("a|b|c|d", "three places"),
            ("{", "cannot be filled"),
            ("{frame:99999999}", "cannot be filled"),
            ("{shot.__class__}", "Unknown field"),
        ):
            with self.assertRaisesRegex(BadArgument, fault):
                burnt(text, values)

    def test_only_the_foot_changes_and_the_line_runs(self):
        codes = picture(self.rng, 0, 200, 320, 8)
        done = with_band(codes, ("left", "middle", "right"), share=0.25)
        np.testing.assert_array_equal(done[:186], codes[:186])
        self.assertTrue((done[186:, :, 3] == 255).all())
        line = done[186, :, 0] > 200
        self.assertEqual((int(line.sum()), bool(line[:80].all())), (80, True))


class CommandLine(FolderCase):
    def test_alpha_is_kept_where_codec_and_pictures_have_one(self):
        for name, mode, colour in (("clear", "RGBA", (200, 10, 20, 90)), ("solid", "RGB", (200, 10, 20))):
            for number in (1, 2):
                Pillow.new(mode, (16, 12), colour).save(self.folder / f"{name}.{number:04}.png")
        cases = (("clear", (), 90), ("clear", ("--alpha", "over"), 255), ("solid", (), 255))
        for name, words, cover in cases:
            out = self.folder / "o.mov"
            pattern = self.folder / f"{name}.####.png"
            done = self.movie(pattern, "--codec", "png", "--rate", "24", "--out", out, *words)
            self.assertEqual((done.returncode, "with alpha" in done.stdout), (0, cover == 90), done.stderr)
            with av.open(str(out)) as container:
                frame = next(container.decode(video=0)).to_ndarray(format="rgba")
            self.assertEqual(int(frame[3, 3, 3]), cover)

    def test_words_that_nobody_reads_end_quietly(self):
        planes = {f"a.very.long.name.of.a.channel.{n:03}": np.zeros((4, 4), np.float16) for n in range(900)}
        write_exr(self.folder / "x.exr", Image.of_planes(planes))
        command = f"{sys.executable} -m prism inspect {self.folder}/x.exr"
        done = subprocess.run(["bash", "-o", "pipefail", "-c", f"{command} | head -3"], capture_output=True, text=True)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        whole = subprocess.run(command.split(), capture_output=True, text=True).stdout.splitlines()
        self.assertEqual(len({len(line) for line in whole[2:]}), 1)  # columns stand under each other

    def movie(self, *arguments):
        return run("movie", *arguments)

    def test_a_pattern_with_a_gap(self):
        for number in (1, 2, 4):
            Pillow.new("RGB", (33, 21), (number * 40, 10, 200)).save(self.folder / f"a.{number:04}.png")
        out = self.folder / "o.mov"
        usual = (self.folder / "a.####.png", "--codec", "animation", "--rate", "24000/1001", "--out", out)
        refused = self.movie(*usual)
        self.assertEqual((refused.returncode, out.exists()), (1, False))
        self.assertIn("Not there: 3", refused.stderr)
        done = self.movie(*usual, "--gaps", "hold")
        self.assertEqual(done.returncode, 0, done.stderr)
        back = [np.round(frame[0, 0, :3] * 255).astype(int).tolist() for frame in read_movie(out)]
        self.assertEqual(back, [[number * 40, 10, 200] for number in (1, 2, 2, 4)])
        self.assertEqual(self.movie(*usual[:-1], self.folder / "o.mp4", "--gaps", "hold").returncode, 1)
        self.assertEqual(self.movie(self.folder / "b.####.png", *usual[1:]).returncode, 1)
