"""Channel names, passes by name, frame lists and sequences on disk."""

import os
import unittest

import fileseq
from hypothesis import given, settings
from hypothesis import strategies as st

from prism.errors import BadArgument
from prism.naming.frames import format_frames, parse_frames
from prism.naming.patterns import parse_pattern, require_frame_number, require_portable
from prism.naming.safety import name_faults
from prism.pixels.channels import group_layers, split_name
from prism.text import from_storable, storable


class Channels(unittest.TestCase):
    """OpenEXR technical introduction: `layer.component`, layers nest, the base layer is bare."""

    def test_split(self):
        cases = {"R": ("", "R"), "a.R": ("a", "R"), "a.b.R": ("a.b", "R"), "Z": ("", "Z")}
        for name, expected in cases.items():
            self.assertEqual(split_name(name), expected)

    def test_layers_in_the_order_people_expect(self):
        """Files list channels by byte order of name; colour is still R G B A, directions X Y Z."""
        layers = {
            layer.layer: layer
            for layer in group_layers(["A", "B", "G", "N.Z", "N.X", "N.Y", "R", "Z", "d.B", "d.G", "d.R"])
        }
        self.assertEqual(layers[""].components, ("R", "G", "B", "A"))
        self.assertEqual(layers["N"].names, ("N.X", "N.Y", "N.Z"))
        self.assertEqual(layers["Z"].names, ("Z",))
        self.assertEqual((layers[""].alpha, layers["d"].alpha), ("A", None))
        self.assertEqual(layers["d"].colour_names, ("d.R", "d.G", "d.B"))
        self.assertFalse(layers["N"].is_colour)


class Frames(unittest.TestCase):
    def test_inclusive_lists(self):
        cases = {
            "1001": [1001],
            "1-5": [1, 2, 3, 4, 5],
            "1-10x3": [1, 4, 7, 10],
            "10-1x3": [10, 7, 4, 1],
            "-5-5": list(range(-5, 6)),
            "-10--5": list(range(-10, -4)),
            "5, 8,12-14": [5, 8, 12, 13, 14],
            "3,1-4": [3, 1, 2, 4],
        }
        for text, frames in cases.items():
            with self.subTest(text):
                self.assertEqual(parse_frames(text), frames)
        self.assertEqual(len(parse_frames("0-100")), 101)

    def test_bad_lists_name_the_bad_piece(self):
        for text, piece in {
            "": "“”",
            "1-": "“1-”",
            "1-5,x": "“x”",
            "1-5x0": "“1-5x0”",
            "1.5": "“1.5”",
            "1 5": "“1 5”",
        }.items():
            with self.subTest(text), self.assertRaisesRegex(BadArgument, piece):
                parse_frames(text)

    def test_a_list_that_would_fill_the_memory(self):
        """Counted before it is expanded: sixty characters cost 421 MB once."""
        for text, fault in (
            ("1-99999999999", "not a frame"),
            (",".join(["1-99999999x1"] * 5), "frames; 100000 is the most"),
            ("1," * 9000, "long"),
        ):
            with self.subTest(text[:20]), self.assertRaisesRegex(BadArgument, fault):
                parse_frames(text)

    @settings(max_examples=100, deadline=None)
    @given(st.integers(-50, 2000), st.integers(-50, 2000), st.integers(1, 9))
    def test_against_fileseq(self, first, last, step):
        """fileseq 3.4.0 as outside reference for ranges and steps, both ways."""
        text = f"{first}-{last}x{step}"
        self.assertEqual(parse_frames(text), [int(frame) for frame in fileseq.FrameSet(text)])

    @settings(max_examples=100, deadline=None)
    @given(st.sets(st.integers(-99, 99), min_size=1))
    def test_formatting_and_parsing_are_each_others_inverse(self, frames):
        self.assertEqual(parse_frames(format_frames(frames)), sorted(frames))


words = st.from_regex(r"[A-Za-z0-9][A-Za-z0-9_]{0,12}", fullmatch=True)


class Patterns(unittest.TestCase):
    PATTERN = "{shot}/{camera}/{pass}/{shot}_{camera}_{pass}_v{version:03}.{frame:04}.exr"

    @settings(max_examples=150, deadline=None)
    @given(words, words, words, st.integers(0, 9999), st.integers(-999, 123456))
    def test_every_path_parses_back_to_its_values(self, shot, camera, kind, version, frame):
        pattern = parse_pattern(self.PATTERN)
        values = {"shot": shot, "camera": camera, "pass": kind, "version": version, "frame": frame}
        self.assertEqual(pattern.parse(pattern.expand(values)), values)

    def test_known_words_decide_where_a_name_is_cut(self):
        pattern = parse_pattern("{shot}_{pass}.{frame:04}.exr")
        known = {"shot": ["ORR_010"], "pass": ["direct", "diffuse_direct"]}
        self.assertEqual(pattern.parse("ORR_010_diffuse_direct.0007.exr", known)["pass"], "diffuse_direct")
        self.assertIsNone(pattern.parse("ORR_020_diffuse_direct.0007.exr", known))

    def test_a_name_that_could_be_cut_anywhere_is_refused_at_once(self):
        for pattern in ("{layer}{camera}{pass}{layer}{camera}{pass}y", "{layer}{camera}{pass}{shot}x" * 6):
            with self.assertRaisesRegex(BadArgument, "too many ways"):
                parse_pattern(pattern).parse("a" * 250)

    def test_padding_must_be_the_pattern_s_own(self):
        """Padding counts the sign: -7 at four digits is -007; wider numbers grow (as fileseq and Python have it)."""
        pattern = parse_pattern("a.{frame:04}.exr")
        self.assertEqual(pattern.expand({"frame": -7}), "a.-007.exr")
        for path, frame in {"a.0007.exr": 7, "a.-007.exr": -7, "a.12345.exr": 12345}.items():
            self.assertEqual(pattern.parse(path), {"frame": frame})
        for path in ("a.7.exr", "a.00007.exr", "a.-07.exr", "a.0007.exrx", "b.0007.exr"):
            self.assertIsNone(pattern.parse(path), path)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(-99999, 99999), st.integers(1, 8))
    def test_padding_against_fileseq(self, frame, width):
        """fileseq 3.4.0 as outside reference: one `@` is one digit."""
        ours = parse_pattern(f"a.{{frame:0{width}}}.exr").expand({"frame": frame})
        self.assertEqual(ours, fileseq.FileSequence(f"a.1-2{'@' * width}.exr").frame(frame))

    def test_bad_patterns_are_refused_with_what_to_write(self):
        cases = {
            "{what}.exr": "Unknown field {what}.*{shot}",
            "{frame:x}": "takes a width such as :04",
            "{frame:4}": "takes a width",
            "{shot:3}": "takes no format",
            "{shot!r}": "conversion",
            "{shot.real}": "Unknown field",
            "{0}": "Unknown field",
            "{}": "Unknown field",
            "{shot": "braces do not match",
            "../{shot}": "not a plain path",
            "/abs/{shot}": "not a plain path",
            "a//{shot}": "not a plain path",
            "": "not a plain path",
        }
        for text, message in cases.items():
            with self.subTest(text), self.assertRaisesRegex(BadArgument, message):
                parse_pattern(text)

    def test_a_value_that_is_missing(self):
        with self.assertRaisesRegex(BadArgument, "No value for pass"):
            parse_pattern("{shot}_{pass}.exr").expand({"shot": "a"})

    def test_sequences_lose_no_frame(self):
        cases = {
            "a.exr": r"Write a\.{frame:04}\.exr",
            "a.{frame:02}.exr": "Write {frame:04}",
            "{frame:03}": "Write {frame:04}",
        }
        for text, message in cases.items():
            with self.subTest(text), self.assertRaisesRegex(BadArgument, message):
                require_frame_number(parse_pattern(text), 1048)
        require_frame_number(parse_pattern("a.{frame:04}.exr"), 1048)
        require_portable("x_y/a-b.0001.exr", where="")
        with self.assertRaisesRegex(BadArgument, "':'"):
            require_portable("x:y.0001.exr", where="")

    def test_names_that_some_system_cannot_hold(self):
        """Windows' devices, signs and endings; 255 bytes on Linux: 85 three-byte characters fit, 86 do not."""
        for name in (
            "NUL.exr",
            "com1",
            "a?b",
            "a\\b",
            "end.",
            "end ",
            ".hidden",
            "-option",
            "a b",
            "木" * 86,
            "x/" + "y" * 300,
        ):
            with self.subTest(name):
                self.assertTrue(list(name_faults(name)))
        for name in ("console.exr", "a-b_c.0001.exr", "木" * 85, "deep/er/name.exr"):
            with self.subTest(name):
                self.assertEqual(list(name_faults(name)), [])


class Text(unittest.TestCase):
    def test_names_of_any_bytes_can_be_kept(self):
        for raw in (b"plain", b"caf\xe9.exr", "caf\u00e9 \u241b 1b".encode(), bytes(range(1, 256))):
            name = os.fsdecode(raw)
            kept = storable(name)
            self.assertEqual((from_storable(kept), kept.encode().decode()), (name, kept))
