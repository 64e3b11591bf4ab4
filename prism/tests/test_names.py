"""Channel names, passes by name, frame lists and sequences on disk."""

import unittest

import fileseq
from hypothesis import given, settings
from hypothesis import strategies as st

from prism.errors import BadArgument, UnreadableFile
from prism.naming.frames import format_frames, parse_frames
from prism.naming.patterns import parse_pattern, require_frame_number, require_portable
from prism.naming.safety import name_faults
from prism.naming.sequences import find_sequences
from prism.passes.catalogue import CATALOGUE
from prism.passes.recognise import recognise, without_common_prefix, words_of
from prism.pixels.channels import group_layers, split_name
from prism.tests.frames import FolderCase


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


class Recognition(unittest.TestCase):
    CASES = {
        "diffuse_direct": "diffuse_direct",
        "DiffuseDirect": "diffuse_direct",
        "direct-diffuse": "diffuse_direct",
        "spec.ind": "specular_indirect",
        "diffuse": "diffuse",
        "ORR_010_v003_emission": "emission",
        "emit": "emission",
        "Z": "depth",
        "depth": "depth",
        "N": "normals",
        "light_lanterns": "light_lanterns",
        "shot_light_dusk_sky": "light_dusk_sky",
        "lights.key": "light_key",
        "diffuse_direct_light_key": "diffuse_direct_light_key",
        "shot_spec.ind_light_dusk_sky": "specular_indirect_light_dusk_sky",
        "crypto_object": "crypto_object",
        "shot.crypto_material02": "crypto_material02",
        "N_camera": "normals_camera",
        "motion_forward": "motion_forward",
        "raw_light": "raw_light",
        "surface_colour": "surface_colour",
        "baseColor": "surface_colour",
        "AO": "occlusion",
        "RGBA": "beauty",
        "beauty_v012": "beauty",
    }

    def test_names_of_the_trade(self):
        for name, key in self.CASES.items():
            with self.subTest(name):
                self.assertEqual(recognise(name).key, key)

    def test_what_is_not_a_pass_is_not_guessed(self):
        for name in ("", "wibble", "diffuser", "light", "direct", "emission_test", "v001"):
            with self.subTest(name):
                self.assertIsNone(recognise(name))

    def test_every_entry_is_recognised_by_its_own_key(self):
        for kind in CATALOGUE:
            if kind.key not in ("light_group", "group_components"):
                self.assertEqual(recognise(kind.key).kind, kind)

    def test_totals_name_entries_there_are(self):
        keys = {kind.key for kind in CATALOGUE}
        for kind in CATALOGUE:
            self.assertLessEqual(set(kind.total_of), keys)

    def test_words(self):
        self.assertEqual(words_of("ORR_010_DiffuseDirect_v012"), ["orr", "010", "diffuse", "direct"])
        self.assertEqual(words_of("AOPass"), ["ao", "pass"])

    def test_common_prefix_ends_at_a_word(self):
        names = ["ORR_010_depth", "ORR_010_diffuse", "ORR_010_light_depth"]
        self.assertEqual(without_common_prefix(names), ["depth", "diffuse", "light_depth"])
        self.assertEqual(without_common_prefix(["only_one"]), ["only_one"])
        self.assertEqual(without_common_prefix(["a_b", "a_b_c"]), ["b", "b_c"])


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


class Sequences(FolderCase):
    def touch(self, *names):
        for name in names:
            (self.folder / name).write_bytes(b"")

    def test_what_is_a_sequence(self):
        self.touch(
            "a.1001.exr",
            "a.1002.exr",
            "a.1004.exr",
            "b_v002.1001.exr",
            "notes.txt",
            "still.exr",
            ".a.1003.exr",
            "c.-3.exr",
            "d-x-0007.exr",
        )
        (self.folder / "sub.1001.exr").mkdir()
        found = {sequence.head: sequence.frames for sequence in find_sequences(self.folder)}
        self.assertEqual(found, {"a.": [1001, 1002, 1004], "b_v002.": [1001], "c.": [-3], "d-x-": [7]})

    def test_frames_as_fileseq_finds_them(self):
        self.touch(*(f"shot.{frame:04d}.exr" for frame in (1, 2, 3, 10, 10000)))
        ours = find_sequences(self.folder)[0].frames
        theirs = fileseq.findSequencesOnDisk(str(self.folder))[0].frameSet()
        self.assertEqual(ours, sorted(int(frame) for frame in theirs))

    def test_a_folder_that_is_not_there(self):
        with self.assertRaises(UnreadableFile):
            find_sequences(self.folder / "absent")
