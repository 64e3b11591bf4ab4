"""Parcels: what is in them, opened and summed again without the application, and every damage named."""

import csv
import hashlib
import io
import json
import shutil
import subprocess
import sys
import unittest
from contextlib import redirect_stderr, redirect_stdout
from html.parser import HTMLParser
from types import SimpleNamespace

import numpy as np
import OpenEXR
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from prism.__main__ import main
from prism.combine.evaluate import evaluate
from prism.delivery.encodings.parcel import layers_of
from prism.delivery.parcel.checking import check_parcel
from prism.delivery.parcel.tables import Table, tables_of
from prism.delivery.second_opinion import colour, exr, filters
from prism.errors import UnreadableFile
from prism.formats.exr import write_exr
from prism.ledger.document import Ledger
from prism.ledger.first import first_ledger
from prism.mattes.cryptomatte import header, name_bits
from prism.mattes.document import MadeMatte
from prism.mattes.parts import NamesPart
from prism.pixels.image import Image
from prism.sources.opening import find_sources
from prism.tests.frames import FolderCase, passes

MATTES = [{"id": "far", "kind": "made", "parts": [{"kind": "range", "source": "depth", "low": 2.0, "high": 6.0}]}]


class Cells(unittest.TestCase):
    def test_no_cell_is_a_formula_or_a_command(self):
        """Signs that spreadsheets run, and what terminals obey or hide; numbers stay numbers."""
        same = ("-0.5", "1e-07", "plain", "")
        told = ("=1+1", "+1+1", "-1+1", "@sum", "|x", "%x", "a\nb", "a\x1b[2J", "a\u202eb", *same)
        table = Table("rows", "Rows", ("cell",), tuple((each,) for each in told))
        (_, *cells) = (line[0] if line else "" for line in csv.reader(io.StringIO(table.as_csv, newline="")))
        shown = ["'=1+1", "'+1+1", "'-1+1", "'@sum", "'|x", "'%x", "a\nb", "a\\x1b[2J", "a\\u202eb"]
        self.assertEqual(cells, [*shown, *same])


class Layers(FolderCase):
    def test_all_ranks_of_a_cryptomatte_that_is_asked_for_and_of_no_other(self):
        planes = passes(self.rng, dtype=np.float16)
        shape = planes["R"].shape
        for name, count in (("crypto_object", 3), ("crypto_material", 2)):
            planes |= {
                f"{name}{rank:02}.{channel}": np.zeros(shape, np.float32) for rank in range(count) for channel in "RGBA"
            }
        write_exr(self.folder / "a.exr", Image.of_planes(planes, **header("crypto_object", ["left"])))
        sources = find_sources([self.folder / "a.exr"])
        ledger = first_ledger(sources)
        plain = set(layers_of(ledger, sources, 1001))
        names = NamesPart(source="crypto_object00", patterns=("left",))
        rows = (ledger.rows[0].replace(matte="things"), *ledger.rows[1:])
        asking = ledger.replace(rows=rows, mattes=(MadeMatte(id="things", parts=(names,)),))
        ranks = {f"crypto_object{rank:02}" for rank in range(3)}
        self.assertEqual(set(layers_of(asking, sources, 1001)), plain | ranks)
        self.assertFalse(plain & ranks)


class Parcels(FolderCase):
    def setUp(self):
        super().setUp()
        self.passes = self.folder / "passes"
        self.passes.mkdir()
        for number in (1001, 1002):
            write_exr(self.passes / f"shot.{number}.exr", Image.of_planes(passes(self.rng, dtype=np.float16)))
        ledger = first_ledger(find_sources([self.passes / "shot.1001.exr"])).as_json() | {"mattes": MATTES}
        ledger["rows"][0] |= {"exposure": 1.0, "saturation": 0.5, "matte": "far", "comment": "a, b\nand “c”"}
        ledger["rows"][1] |= {"operator": "screen", "hue": 40}
        (self.folder / "l.json").write_text(json.dumps(ledger))
        self.out = self.folder / "out"

    def run_prism(self, *arguments):
        """As `python -m prism` would, in this process."""
        said, faults = io.StringIO(), io.StringIO()
        with redirect_stdout(said), redirect_stderr(faults):
            code = main(list(map(str, arguments)))
        return SimpleNamespace(returncode=code, stdout=said.getvalue(), stderr=faults.getvalue())

    def make(self, frames="1001-1002"):
        done = self.run_prism(
            "parcel", "make", "--ledger", self.folder / "l.json", "--frames", frames, "--out", self.out, self.passes
        )
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_made_checked_and_summed_again_by_its_own_script(self):
        """The script runs where nothing of ours can be imported, and its sum is ours to rounding."""
        self.make()
        self.assertEqual(self.run_prism("parcel", "check", self.out).returncode, 0)
        done = subprocess.run(
            [sys.executable, "-S", "-c", _ALONE, "1002"], cwd=self.out, capture_output=True, text=True,
            env={"NUMPY": str(np.__path__[0].rpartition("/")[0])},
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        again = np.load(self.out / "rebuilt_1002.npy")
        sources = find_sources([self.passes / "shot.1002.exr"])
        ledger = first_ledger(sources).from_json(json.loads((self.folder / "l.json").read_text()))
        ours = evaluate(ledger, sources).rgba
        np.testing.assert_allclose(again, ours, rtol=2e-5, atol=2e-6)
        with OpenEXR.File(str(self.out / "passes" / "1002.exr"), separate_channels=True) as file:
            for place, name in enumerate("RGBA"):
                np.testing.assert_array_equal(file.channels()[f"rebuilt.{name}"].pixels, ours[place])

    def test_steps_are_told_as_of_the_first_frame(self):
        keys = {"keys": [{"frame": 1, "value": 0.25}, {"frame": 2, "value": 0.75}]}
        ledger = Ledger.from_json({"finish": [{"id": "g", "kind": "glow", "amount": keys}]})
        frames = [
            {
                "frame": n,
                "balance": {"balanced": None, "wrong": 0, "largest": 0.0, "why": ""},
                "findings": [],
                "sources": [],
                "files": [],
            }
            for n in (1, 2)
        ]
        steps = next(table for table in tables_of(ledger, {"frames": frames}) if table.name == "steps")
        self.assertEqual(steps.lines[0][steps.head.index("amount")], "0.25")

    def test_documents_and_tables(self):
        self.make("1001")
        with open(self.out / "tables" / "rows.csv", newline="", encoding="utf-8") as file:
            rows = list(csv.DictReader(file))
        ledger = json.loads((self.out / "ledger.json").read_text())
        self.assertEqual([row["id"] for row in rows], [row["id"] for row in ledger["rows"]])
        self.assertEqual((rows[0]["comment"], rows[0]["matte"]), ("a, b\nand “c”", "far"))
        self.assertEqual(json.loads(rows[0]["other settings"])["exposure"], 1)
        operators = (self.out / "tables" / "operators.csv").read_text()
        self.assertTrue("screen" in operators and "add" in operators and "atop" not in operators)
        with open(self.out / "tables" / "balance.csv", newline="") as file:
            (balance,) = csv.DictReader(file)
        self.assertEqual((balance["frame"], balance["balanced"]), ("1001", "no"))  # a screen is no sum
        self.assertGreater(int(balance["pixels apart"]), 0)
        page = Tags()
        page.feed((self.out / "README.html").read_text(encoding="utf-8"))
        self.assertFalse(page.found & {"script", "link", "img", "iframe", "object"})
        self.assertIn("a, b\nand “c”", "".join(page.words))
        record = json.loads((self.out / "delivery.json").read_text())
        source = record["frames"][0]["sources"][0]
        self.assertEqual(source["sha256"], hashlib.sha256((self.passes / "shot.1001.exr").read_bytes()).hexdigest())
        for name in ("ledger-format.md", "delivery-format.md"):
            self.assertGreater((self.out / "formats" / name).stat().st_size, 500)

    def test_every_damage_is_named(self):
        """One bit of any file, a file gone, the list gone or damaged: no is said to each; a file too many is told."""
        self.make("1001")
        kept = self.folder / "kept"
        shutil.copytree(self.out, kept)
        for path in sorted(path for path in kept.rglob("*") if path.is_file()):
            name = path.relative_to(kept).as_posix()
            if name.endswith(".sha256"):
                continue
            whole = path.read_bytes()
            bits = bytearray(whole)
            bits[len(bits) // 2] ^= 1
            path.write_bytes(bits)
            found = check_parcel(kept)
            self.assertEqual([(fault.where, fault.what) for fault in found.faults], [(name, "changed")])
            path.unlink()
            self.assertEqual([(f.where, f.what) for f in check_parcel(kept).faults], [(name, "missing")])
            path.write_bytes(whole)
        self.assertTrue(check_parcel(kept).whole)
        for name in ("checksums.sha256", "record.sha256"):
            path = kept / name
            whole = path.read_bytes()
            lines = whole.splitlines(keepends=True)
            for spoilt in (whole[:-1], b"".join(lines[1:]), b"".join(lines[:-1]), whole.replace(b"a", b"b", 1), b""):
                path.write_bytes(spoilt)
                with self.assertRaises(UnreadableFile, msg=(name, spoilt[:30])):
                    check_parcel(kept)
            path.write_bytes(whole)
        path, elsewhere = kept / "passes" / "1001.exr", self.folder / "elsewhere.exr"
        shutil.move(path, elsewhere)
        path.symlink_to(elsewhere)
        self.assertEqual([fault.what for fault in check_parcel(kept).faults], ["leads out of the parcel"])
        path.unlink()
        shutil.move(elsewhere, path)
        (kept / "a\x1b[2J\u202e").write_text("x")
        self.assertIn("a\\x1b[2J\\u202e: not part", self.run_prism("parcel", "check", kept).stdout)
        (kept / "a\x1b[2J\u202e").unlink()
        (kept / "more.txt").write_text("x")
        self.assertEqual((check_parcel(kept).whole, check_parcel(kept).extra), (True, ("more.txt",)))
        path = kept / "passes" / "1001.exr"
        path.write_bytes(path.read_bytes()[:-1])
        answer = self.run_prism("parcel", "check", kept)
        self.assertEqual((answer.returncode, "passes/1001.exr: changed" in answer.stdout), (1, True))
        for text in ("", "x  y\n", f"{'0' * 64}  ../l.json\n"):
            (kept / "checksums.sha256").write_text(text)
            with self.assertRaises(UnreadableFile):
                check_parcel(kept)
        (kept / "checksums.sha256").unlink()
        self.assertEqual(self.run_prism("parcel", "check", kept).returncode, 1)

    def alone(self, frame):
        """The parcel's script, where nothing of ours can be imported."""
        return subprocess.run(
            [sys.executable, "-S", "-c", _ALONE, str(frame)], cwd=self.out, capture_output=True, text=True,
            env={"NUMPY": str(np.__path__[0].rpartition("/")[0])},
        )  # fmt: skip

    def test_its_script_knows_every_matte_and_refuses_what_it_does_not_know(self):
        """Alpha of a pass of one channel, of a pass that has none of its own but is not asked for, and new kinds."""
        ledger = json.loads((self.folder / "l.json").read_text())
        ledger["mattes"] = [
            {"id": "edge", "kind": "alpha", "source": "occlusion"},
            {"id": "less", "kind": "inverted", "of": "edge"},
            {"id": "unused", "kind": "alpha", "source": "emission"},
            {"id": "both", "kind": "made", "parts": [{"kind": "matte", "of": "less"}]},
        ]
        ledger["rows"][0]["matte"], ledger["rows"][1]["matte"] = "edge", "both"
        (self.folder / "l.json").write_text(json.dumps(ledger))
        self.make("1001")
        done = self.alone(1001)
        self.assertEqual(done.returncode, 0, done.stderr)
        ours = evaluate(Ledger.from_json(ledger), find_sources([self.passes / "shot.1001.exr"])).rgba
        np.testing.assert_allclose(np.load(self.out / "rebuilt_1001.npy"), ours, rtol=2e-5, atol=2e-6)
        for change in (
            lambda document: document["rows"][0].update(kind="halation"),
            lambda document: document["mattes"][3]["parts"][0].update(kind="wobble"),
        ):
            document = json.loads((self.out / "ledger.json").read_text())
            change(document)
            kept = (self.out / "ledger.json").read_text()
            (self.out / "ledger.json").write_text(json.dumps(document))
            done = self.alone(1001)
            (self.out / "ledger.json").write_text(kept)
            self.assertEqual(done.returncode, 1)
            self.assertIn("does not know", done.stderr)

    def test_as_sha256sum_reads_it(self):
        self.make("1001")
        done = subprocess.run(["sha256sum", "-c", "--quiet", "checksums.sha256"], cwd=self.out, capture_output=True)
        self.assertEqual(done.returncode, 0, done.stdout)


_ALONE = """
import os, sys
sys.path[:0] = [os.environ["NUMPY"], os.getcwd()]
for name in ("prism", "scipy", "OpenEXR", "OpenImageIO", "PIL"):
    sys.modules[name] = None
import runpy
runpy.run_module("second_opinion", run_name="__main__")
"""


class Tags(HTMLParser):
    def __init__(self):
        super().__init__()
        self.found, self.words = set(), []

    def handle_starttag(self, tag, attributes):
        self.found.add(tag)

    def handle_data(self, data):
        self.words.append(data)


class SecondOpinion(FolderCase):
    """Its parts against libraries, since nothing in it is ours to trust."""

    @settings(max_examples=100, deadline=None)
    @given(st.text(min_size=1, max_size=12))
    def test_names_of_cryptomattes(self, name):
        self.assertEqual(colour.name_bits(name), name_bits(name))

    def test_filters_are_those_of_scipy(self):
        plane = self.rng.random((23, 31))
        for deviation in (0.5, 2.0):
            expected = ndimage.gaussian_filter(plane, deviation, mode="nearest", radius=int(4 * deviation + 0.5))
            np.testing.assert_allclose(filters.softened(plane, deviation), expected, atol=1e-12)
        y, x = np.mgrid[-3:4, -3:4]
        expected = ndimage.grey_dilation(plane, footprint=x**2 + y**2 <= 9, mode="nearest")
        np.testing.assert_array_equal(filters.grown(plane, 3), expected)
        y, x = self.rng.uniform(-3, 34, (2, 400))
        expected = ndimage.map_coordinates(np.pad(plane, 1), [y + 1, x + 1], order=1, mode="constant")
        inside = (y > -1) & (y < 23) & (x > -1) & (x < 31)
        np.testing.assert_allclose(filters.looked_up(plane, y, x)[inside], expected[inside], atol=1e-12)
        self.assertEqual(np.abs(filters.looked_up(plane, y, x)[~inside]).max(), 0)
        areas = ndimage.label(plane > 0.5, np.ones((3, 3)))[0]
        for row, column in ((4, 7), (11, 20), (0, 0)):
            expected = (areas == areas[row, column]) & (areas[row, column] > 0)
            np.testing.assert_array_equal(filters.area_around(plane > 0.5, row, column), expected)

    def test_its_reader_of_openexr(self):
        planes = {"R": self.rng.random((37, 20)).astype(np.float16), "Z": self.rng.random((37, 20)).astype(np.float32),
                  "id": self.rng.integers(0, 1 << 32, (37, 20), np.uint32)}  # fmt: skip
        for compression in ("none", "zips", "zip"):
            found, _ = exr.read(self.write("a.exr", planes, compression=compression))
            for name, plane in planes.items():
                np.testing.assert_array_equal(found[name], plane)
        with self.assertRaises(ValueError):
            exr.read(self.write("a.exr", planes, compression="piz"))
