"""Nothing is written outside of the folder that it belongs to, whoever writes and whatever files say."""

import ast
import os
from pathlib import Path

import numpy as np

from prism.delivery.document import Delivery, Item
from prism.delivery.encodings.base import Destination
from prism.delivery.encodings.table import ENCODINGS
from prism.elements import disk
from prism.elements.gathering import gather
from prism.errors import BadArgument, BadDocument, PrismError, UnwritableFile
from prism.formats.exr import write_parts
from prism.formats.safe import below, replacing, writing_below
from prism.naming.patterns import parse_pattern
from prism.naming.safety import as_word, word_fault
from prism.pixels.image import Image
from prism.tests.frames import FolderCase

PROJECT = Path(__file__).resolve().parents[2]
HOSTILE = ("/etc/name", "../name", "..", ".", "a/../../b", "a\\b", "a\nb", "a\u202eb")
WRITING = {
    "write_bytes", "write_text", "replace", "rename", "mkdir", "makedirs", "copyfile", "copy", "copytree", "move",
    "link", "symlink", "symlink_to", "hardlink_to", "touch", "create",
}  # fmt: skip
OF_FILES = {
    "os",
    "shutil",
    "path",
    "folder",
    "place",
    "temporary",
    "target",
    "Path",
    "av",
    "oiio",
    "ImageOutput",
    "parent",
}
BY_THEMSELVES = {
    "prism/formats/safe.py": "the one door",
    "prism/formats/planes.py": "a cache in a folder of its own, under names that are digests",
    "prism/formats/guarded.py": "memory of its own, which has no name",
    "prism/formats/child.py": "a setting of its own process",
    "prism/formats/png.py": "changes the temporary that it is given",
    "prism/formats/deep.py": "writes the temporary that it is given",
    "prism/formats/stills.py": "writes the temporary that it is given",
    "prism/movies/writing.py": "writes the temporary that it is given",
    "prism/formats/budget.py": "a lock in a folder of its own, under a number",
    "desk/intake/uploads.py": "names without folders, in a folder that was asked of the storage",
    "desk/intake/services.py": "renames a file that was asked of the storage, in its folder",
    "desk/rebuild/deep_files.py": "makes a folder that was asked of the storage",
}


class Words(FolderCase):
    def test_what_is_no_name_is_refused_or_cleaned(self):
        pattern = parse_pattern("{camera}.{frame:04}.{suffix}")
        for word in HOSTILE:
            with self.subTest(word):
                self.assertTrue(word_fault(word))
                self.assertEqual(word_fault(as_word(word)), "")
                with self.assertRaisesRegex(BadArgument, "no name"):
                    pattern.expand({"camera": word, "frame": 1, "suffix": "png"})
                with self.assertRaisesRegex(BadDocument, "no name"):
                    Delivery.from_json({"fields": {"shot": word}})
        for word in ("wide", "wide-2.b", "größe", ""):
            self.assertEqual((word_fault(word), as_word(word)), ("", word))

    def test_views_of_files_become_names(self):
        plane = np.zeros((3, 4), np.float16)
        views = [(view, Image.of_planes(dict.fromkeys("RGB", plane), view=view)) for view in ("left", "/etc/cron.d/x")]
        write_parts(self.folder / "shot.1001.exr", views)
        elements = gather(disk.scan(self.folder).sequences, root=self.folder).elements
        self.assertEqual({element.camera for element in elements}, {"", "etc_cron.d_x"})


class Below(FolderCase):
    def setUp(self):
        super().setUp()
        self.root, self.elsewhere = self.folder / "root", self.folder / "elsewhere"
        for folder in (self.root / "own", self.elsewhere):
            folder.mkdir(parents=True)
        (self.root / "out").symlink_to(self.elsewhere)
        (self.root / "in").symlink_to(self.root / "own")

    def test_a_name_stays_below_its_folder(self):
        for name in ("a.exr", "own/a.exr", "in/a.exr", "new/folder/a.exr", "own/../a.exr"):
            self.assertEqual(below(self.root, name), self.root / name)
        for name in ("../a.exr", "/a.exr", str(self.elsewhere / "a.exr"), "out/a.exr", "own/../../a.exr"):
            with self.subTest(name), self.assertRaises(UnwritableFile) as caught:
                below(self.root, name)
            self.assertNotIn(str(self.folder), str(caught.exception))

    def test_the_door_keeps_to_the_folders_that_it_is_told(self):
        for name in ("../a", "out/a", "out/new/a"):
            with self.subTest(name), writing_below(self.root), self.assertRaises(UnwritableFile):
                with replacing(self.root / name) as temporary:
                    temporary.write_text("no")
        self.assertEqual(os.listdir(self.elsewhere), [])
        with writing_below(self.elsewhere, self.root), replacing(self.root / "out/a") as temporary:
            temporary.write_text("yes")
        self.assertEqual(os.listdir(self.elsewhere), ["a"])

    def test_every_encoding_names_files_below_its_place(self):
        """With values from anywhere, and with a link where its folder should be."""
        for kind, encoding in ENCODINGS.items():
            usual = Item(id="it", subject=encoding.subjects[0], encoding={"kind": kind})
            for word in HOSTILE:
                item = usual.replace(pattern="{camera}/{shot}.{frame:04}.{suffix}")
                for fields in ({"camera": word, "shot": "a"}, {"camera": "a", "shot": word}):
                    with self.subTest((kind, fields)), self.assertRaises(PrismError):
                        Destination(self.root, fields, (1,)).path(item, item.encoding.suffix, frame=1)
            linked = usual.replace(pattern="out/{shot}.{frame:04}.x{suffix}")
            with self.subTest(kind), self.assertRaises(UnwritableFile):
                Destination(self.root, {"shot": "a"}, (1,)).path(linked, linked.encoding.suffix, frame=1)


class Writers(FolderCase):
    def test_all_that_writes_goes_through_the_door(self):
        """Every call that may make, move or change a file stands inside of `replacing`, or in a module that is listed
        with its reason."""
        seen = set()
        for room in ("prism", "desk"):
            for path in (PROJECT / room).rglob("*.py"):
                name = path.relative_to(PROJECT).as_posix()
                if "tests" in path.parts or "migrations" in path.parts or name == "desk/testing.py":
                    continue
                for line, call in writes(ast.parse(path.read_text())):
                    seen.add(name)
                    self.assertIn(name, BY_THEMSELVES, f"{name}:{line} writes by {call}: use replacing, or say why not")
        self.assertEqual(set(BY_THEMSELVES) - seen, set(), "no longer write")


def writes(tree):
    """Line and name of every call that may write outside of a `with replacing(...)`."""
    guarded = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.With) and any("replacing(" in ast.unparse(item.context_expr) for item in node.items):
            guarded |= {id(inner) for inner in ast.walk(node)}
    for node in ast.walk(tree):
        if not isinstance(node, ast.Call) or id(node) in guarded:
            continue
        called = ast.unparse(node.func)
        owner, _, method = called.rpartition(".")
        modes = [word.value for word in node.args[1:2] if isinstance(word, ast.Constant)]
        modes += [
            word.value.value for word in node.keywords if word.arg == "mode" and isinstance(word.value, ast.Constant)
        ]
        opens = method == "open" and any(isinstance(mode, str) and set(mode) & set("wxa+") for mode in modes)
        flags = called == "os.open" and "O_CREAT" in ast.unparse(node)
        if opens or flags or (method in WRITING and owner.rpartition(".")[2] in OF_FILES):
            yield node.lineno, called
