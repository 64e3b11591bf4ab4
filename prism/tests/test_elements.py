"""What lies on disk, told apart: sequences, names, elements, and their pixels."""

import random
import unittest
from pathlib import Path

import fileseq

from prism.elements import disk
from prism.elements.claims import without_common_prefix
from prism.elements.identify import candidates, from_key, identify, version_of, words_of
from prism.errors import UnreadableFile
from prism.passes.catalogue import CATALOGUE
from prism.tests.frames import FolderCase
from prism.tests.naming_table import table
from prism.text import printable


class OddNames(unittest.TestCase):
    def test_every_name_is_found_again(self):
        """Any characters that a file name may have, digits of other scripts and ends of lines among them."""
        pick = random.Random(1)
        letters = list("aZ0129._- #@%$[]{}(),x;:'\\!~`^&*+=|<>?\n\r\t\x0b\u0661\u00b2\u202e\xe9\udc80\uff11v")
        for _ in range(4000):
            names = {
                "".join(pick.choices(letters, k=pick.randint(1, 9))) + pick.choice([".exr", ".0001.exr", ".EXR"])
                for _ in range(pick.randint(1, 6))
            }
            found = disk.sequences_of(Path("/x"), dict.fromkeys(names, disk.FileFacts(1, 1)))
            self.assertEqual(sorted(s.path(frame).name for s in found for frame in s.files), sorted(names))

    def test_names_are_shown_on_one_line_in_one_direction(self):
        self.assertEqual(printable("a\u202eb\nc\u200f\xe9"), r"a\u202eb\nc\u200f" + "\xe9")


class Names(unittest.TestCase):
    def test_the_table_of_names(self):
        """At least 97 of 100 of more than 200 names in many styles."""
        names = list(table())
        missed = [
            f"{name}: {found and found.key} instead of {key}"
            for _, name, key in names
            if ((found := identify(name)) is None and key is not None) or (found and found.key) != key
        ]
        share = 1 - len(missed) / len(names)
        print(f"\n{len(names)} names, {share:.1%} guessed right")
        self.assertGreater(len(names), 200)
        self.assertGreaterEqual(share, 0.97, missed)

    def test_every_entry_is_known_by_its_own_key_and_taken_back(self):
        for kind in CATALOGUE:
            if kind.key not in ("light_group", "group_components"):
                self.assertEqual(identify(kind.key).kind, kind)
                self.assertEqual(from_key(kind.key).kind, kind)
        for key in ("light_key", "diffuse_light_key", "beauty_denoised", "crypto_object01", "diffuse_direct_light_rim"):
            self.assertEqual(from_key(key).key, key)
        for key in ("", "wibble", "light_", "diffuse_direct_light_", "depth01"):
            with self.subTest(key):
                self.assertIsNone(from_key(key))

    def test_totals_name_entries_there_are(self):
        keys = {kind.key for kind in CATALOGUE}
        for kind in CATALOGUE:
            self.assertLessEqual(set(kind.total_of), keys)

    def test_what_is_left_over_and_how_sure_it_is(self):
        plain, prefixed, behind = (identify(name) for name in ("diffuse", "hero_diffuse", "diffuse_test"))
        self.assertEqual((prefixed.rest, behind.rest), (("hero",), ("test",)))
        self.assertGreater(plain.certainty, prefixed.certainty)
        self.assertGreater(prefixed.certainty, behind.certainty)
        self.assertIn("says diffuse", plain.reason)
        self.assertEqual(next(candidates("reflection")).key, "specular")
        self.assertIn("specular_indirect", identify("reflection").others)

    def test_a_label_that_is_known_needs_no_word_for_light(self):
        for name in ("key_light.diffuse_direct", "diffuse_direct.key_light"):  # in two pieces, whichever comes first
            self.assertEqual(identify(name).key, "diffuse_direct_light_key")
        self.assertEqual(identify("diffuse_moon", ["moon"]).key, "diffuse_light_moon")
        self.assertEqual(identify("beauty_moon", ["moon"]).key, "light_moon")
        self.assertEqual(identify("diffuse_gaffer").key, "diffuse")

    def test_words_versions_and_prefixes(self):
        self.assertEqual(words_of("ORR_010_DiffuseDirect_v012"), ["ORR", "010", "Diffuse", "Direct"])
        self.assertEqual(words_of("AOPass"), ["AO", "Pass"])
        self.assertEqual((version_of("a_v012_b"), version_of("V3"), version_of("dove3")), (12, 3, None))
        names = ["ORR_010_depth", "ORR_010_diffuse", "ORR_010_light_depth"]
        self.assertEqual(without_common_prefix(names), ["depth", "diffuse", "light_depth"])
        self.assertEqual(without_common_prefix(["only_one"]), ["only_one"])
        self.assertEqual(without_common_prefix(["a_b", "a_b_c"]), ["b", "b_c"])


class Sequences(FolderCase):
    def touch(self, *names):
        for name in names:
            path = self.folder / name
            path.parent.mkdir(exist_ok=True, parents=True)
            path.write_bytes(b"")

    def scanned(self):
        return {s.pattern: s.frames for s in disk.scan(self.folder).sequences}

    def test_what_is_a_sequence(self):
        self.touch("a.1001.exr", "a.1002.exr", "a.1004.exr", "b_v002.1001.exr", "notes.txt", "still.exr", ".a.1003.exr")
        self.touch("c.-3.exr", "d-x-0007.exr", "d-x-0008.exr", "below/z.0001.PNG", "s_v001.exr", "s_v002.exr")
        (self.folder / "sub.1001.exr").mkdir()
        self.assertEqual(
            self.scanned(),
            {
                "a.####.exr": (1001, 1002, 1004), "b_v002.####.exr": (1001,), "c.##.exr": (-3,), "d-x-####.exr": (7, 8),
                "still.exr": (), "s_v001.exr": (), "s_v002.exr": (), "z.####.PNG": (1,),
            },
        )  # fmt: skip
        scan = disk.scan(self.folder)
        self.assertEqual((scan.others, scan.hidden), (1, 1))
        for sequence in scan.sequences:
            for frame in sequence.files:
                self.assertTrue(sequence.path(frame).is_file())

    def test_frames_as_fileseq_finds_them(self):
        self.touch(*(f"shot.{frame:04d}.exr" for frame in (1, 2, 3, 10, 10000)))
        theirs = fileseq.findSequencesOnDisk(str(self.folder))[0].frameSet()
        self.assertEqual(self.scanned()["shot.####.exr"], tuple(sorted(int(frame) for frame in theirs)))

    def test_the_same_number_in_other_padding_is_another_file(self):
        self.touch("a.0001.exr", "a.1.exr", "a.2.exr")
        self.assertEqual(self.scanned(), {"a.####.exr": (1,), "a.#.exr": (1, 2)})

    def test_one_frame_stands_for_its_sequence(self):
        self.touch("a.0001.exr", "a.0002.exr", "b.0001.exr")
        (found,) = disk.around(self.folder / "a.0002.exr").sequences
        self.assertEqual(found.frames, (1, 2))

    def test_folders_that_cannot_be_listed(self):
        with self.assertRaisesRegex(UnreadableFile, "Cannot be listed"):
            disk.scan(self.folder / "absent")
        with self.assertRaisesRegex(UnreadableFile, "no such file"):
            disk.around(self.folder / "absent.1.exr")
