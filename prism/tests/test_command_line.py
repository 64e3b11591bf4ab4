"""`python -m prism`: what scripts rely on."""

import io
import json
import subprocess
import sys
import unittest
from contextlib import redirect_stderr
from importlib import import_module
from pathlib import Path

import numpy as np
import OpenEXR

from prism.__main__ import main
from prism.commands.options import VERBS
from prism.commands.scenes import load_facts
from prism.errors import PrismError
from prism.formats.exr import read_channels, write_exr
from prism.formats.headers import read_parts
from prism.ledger.document import Ledger
from prism.ledger.first import first_ledger
from prism.mattes.cryptomatte import header, name_floats, ranked
from prism.mattes.plan import plans
from prism.mattes.planes import matte_plane
from prism.pixels.image import Image
from prism.plan.packing import Packing
from prism.plan.plan import Plan, ShotSettings
from prism.scenes.sheet import FactsSheet
from prism.sources.opening import find_sources
from prism.tests import zoo
from prism.tests.frames import FolderCase, passes, run
from standin.scene import Scene
from standin.tests.test_standin import ball, scene_of, white_sky


class Help(unittest.TestCase):
    def test_what_carries_a_verb_out_is_not_loaded_to_say_what_there_is(self):
        """All options of all verbs, without compiled loops, libraries of pictures or documents; and every verb can be
        loaded."""
        script = (
            "import sys; from prism.commands.options import build_parser; build_parser(); "
            "print([name for name in ('numba', 'scipy', 'pydantic', 'OpenEXR', 'OpenImageIO') if name in sys.modules])"
        )
        said = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
        self.assertEqual(said.stdout.strip(), "[]")
        for verb in VERBS.values():
            module, _, name = verb.function.partition(":")
            self.assertTrue(callable(getattr(import_module(f"prism.commands.{module}"), name)))


class CommandLine(FolderCase):
    def run_verb(self, *arguments):
        return run(*arguments)

    def setUp(self):
        super().setUp()
        self.file = self.write("shot.1001.exr", passes(self.rng))
        self.ledger = self.folder / "L.json"

    def test_a_ledger_that_asks_for_an_element_there_is_not(self):
        """Of a single file as of folders: refused by name. All of one element is laid on the file, whatever it is
        called."""
        path = self.write("one.1001.exr", passes(self.rng))
        ledger = first_ledger(find_sources([path]))
        strange = ledger.with_setting(ledger.rows[0].id, "source", "nosuchelement/diffuse_direct")
        for document, code in ((ledger, 0), (strange, 2), (ledger.moved("", "render v003"), 0)):
            (self.folder / "e.json").write_text(json.dumps(document.as_json()))
            found, _, said = self.run_verb("balance", path, "--ledger", self.folder / "e.json")
            self.assertEqual(found, code, said)
            self.assertEqual("nosuchelement/diffuse_direct" in said, code == 2)

    def test_inspect_reads_the_samples_of_deep_files(self):
        path = zoo.deep(self.folder / "deep.exr")
        code, out, _ = self.run_verb("inspect", "--json", path)
        (part,) = json.loads(out)[0]["parts"]
        depth = next(channel for channel in part["channels"] if channel["name"] == "Z")
        self.assertEqual((code, part["samples"], part["most"]), (0, 2, 2))
        self.assertEqual((depth["minimum"], depth["maximum"]), (10, 30))
        path.write_bytes(path.read_bytes()[:-6])
        code, _, err = self.run_verb("inspect", path)
        self.assertEqual(code, 1)
        self.assertIn("Damaged or cut short", err)

    def test_inspect(self):
        code, out, _ = self.run_verb("inspect", "--json", self.file)
        part = json.loads(out)[0]["parts"][0]
        channel = {channel["name"]: channel for channel in part["channels"]}["Z"]
        self.assertEqual((code, channel["type"], part["compression"], channel["nan_count"]), (0, "float", "zip", 0))
        self.assertTrue(1 <= channel["minimum"] <= channel["mean"] <= channel["maximum"] <= 9)
        self.assertIn("diffuse_direct.R", self.run_verb("inspect", self.file)[1])

    def test_from_passes_to_a_changed_beauty(self):
        self.assertEqual(self.run_verb("ledger", self.file, "--out", self.ledger)[0], 0)
        code, out, _ = self.run_verb("balance", self.file, "--ledger", self.ledger, "--json")
        self.assertEqual((code, json.loads(out)["balanced"]), (0, True))
        target = self.folder / "beauty.exr"
        rebuild = ["rebuild", self.file, "--ledger", self.ledger, "--pixel", "float", "--out", target]
        self.assertEqual(self.run_verb(*rebuild, "--set", "emission.amount=0", "--set", "5.on=false")[0], 0)
        planes = read_channels(self.file, read_parts(self.file)[0]).channels
        expected = planes["diffuse_direct.G"] + planes["diffuse_indirect.G"] + planes["specular_direct.G"]
        got = read_channels(target, read_parts(target)[0]).plane("G")
        np.testing.assert_allclose(got, expected, rtol=1e-6)

    def test_a_sequence_is_balanced_and_rebuilt_frame_by_frame(self):
        """Keys fade a row over the frames; a frame that lacks light is said not to balance, with its cause."""
        shot = self.folder / "shot"
        shot.mkdir()
        for frame in (1, 2, 3):
            planes = passes(self.rng)
            if frame == 3:
                planes |= {f"emission.{c}": 0 * planes[f"emission.{c}"] for c in "RGB"}
            write_exr(shot / f"shot.{frame:04}.exr", Image.of_planes(planes))
        self.run_verb("ledger", shot, "--frames", "1", "--out", self.ledger)
        self.assertEqual(self.run_verb("balance", shot, "--ledger", self.ledger, "--frames", "1-2")[0], 0)
        code, out, _ = self.run_verb("balance", shot, "--ledger", self.ledger, "--json")
        answer = json.loads(out)
        self.assertEqual((code, [f["balanced"] for f in answer["frames"]]), (1, [True, True, False]))
        self.assertTrue(answer["frames"][2]["suggestions"][0]["what"])
        fade = '{"keys": [{"frame": 1, "value": 0}, {"frame": 3, "value": 1}]}'
        row = next(row["id"] for row in json.loads(self.ledger.read_text())["rows"] if row["id"].endswith("background"))
        verb = ["rebuild", shot, "--ledger", self.ledger, "--pixel", "float", "--set", f"{row}.amount={fade}"]
        out = self.folder / "out.{frame:04}.exr"
        self.assertEqual(self.run_verb(*verb, "--frames", "1-2", "--out", out)[0], 0)
        for frame, amount in ((1, 0), (2, 0.5)):
            file = shot / f"shot.{frame:04}.exr"
            planes = read_channels(file, read_parts(file)[0]).channels
            made = self.folder / f"out.{frame:04}.exr"
            got = read_channels(made, read_parts(made)[0]).plane("G")
            expected = planes["G"] - (1 - amount) * planes["background.G"]
            np.testing.assert_allclose(got, expected, rtol=1e-5, atol=1e-6)
        code, _, err = self.run_verb(*verb, "--frames", "1-9", "--out", out)
        self.assertEqual(code, 1)
        self.assertIn("Not there: 4-9", err)
        self.assertIn("Every frame would be written", self.run_verb(*verb, "--out", self.folder / "one.exr")[2])

        # A plate of another size and other frames, from a folder of its own.
        plates = self.folder / "plates"
        plates.mkdir()
        for number in (7, 8):
            write_exr(
                plates / f"sky.{number:04d}.exr",
                Image.of_planes({c: np.full((3, 5), number, np.float16) for c in "RGB"}),
            )
        document = json.loads(self.ledger.read_text())
        plate = {
            "kind": "background",
            "id": "sky",
            "fill": "picture",
            "source": "plates/background",
            "operator": "over",
        }
        document["rows"].append(plate | {"delay": -6, "beyond": "loop"})
        self.ledger.write_text(json.dumps(document))
        self.assertEqual(self.run_verb(*verb[:2], plates, *verb[2:], "--out", out)[0], 0)
        for frame, light in ((1, 7), (2, 8), (3, 7)):
            made = self.folder / f"out.{frame:04}.exr"
            self.assertTrue((read_channels(made, read_parts(made)[0]).plane("R") == light).all(), frame)

    def test_mattes_go_out_and_come_in(self):
        """Read with OpenEXR's own binding; then a pass like any other."""
        shot = self.folder / "shot"
        shot.mkdir()
        names = ["bolt", "nut_1", "nut_2"]
        things, shares = np.zeros((4, 6, 4), np.int32), np.zeros((4, 6, 4))
        things[:], shares[:] = [0, 1, 2, -1], [0.5, 0.3, 0.2, 0]
        planes = {c: np.full((4, 6), 0.25, np.float16) for c in "RGBA"}
        for index, plane in enumerate(ranked(things, shares, name_floats(names), 3)):
            planes[f"crypto_object{index // 4:02}.{'RGBA'[index % 4]}"] = plane
        for frame in (1, 2):
            write_exr(shot / f"shot.{frame:04}.exr", Image.of_planes(planes, **header("crypto_object", names)))
        out = self.folder / "out_{pass}.{frame:04}.exr"
        code, said, _ = self.run_verb("matte", shot, "--crypto", "nut_*", "bolt", "--out", out, "--pixel", "float")
        self.assertEqual((code, len(said.split())), (0, 4))
        got = OpenEXR.File(str(self.folder / "out_nut.0002.exr"), separate_channels=True).channels()
        np.testing.assert_allclose(got["Y"].pixels, 0.5, atol=1e-7)
        part = {"kind": "names", "source": "crypto_object00", "patterns": ["bolt"], "amount": 0.5}
        ledger = {"alpha": None, "mattes": [{"id": "half a bolt", "kind": "made", "parts": [part]}]}
        self.ledger.write_text(json.dumps(ledger))
        verb = ["matte", shot, "--ledger", self.ledger, "--frames", "1", "--out", out]
        self.assertEqual(self.run_verb(*verb, "--name", "half a bolt")[0], 0)
        frame = find_sources([self.folder / "out_half_a_bolt.0001.exr"])
        key = next(iter(frame)).key
        alpha = {"alpha": None, "mattes": [{"id": "m", "kind": "alpha", "source": key}]}
        np.testing.assert_allclose(matte_plane(plans(Ledger.from_json(alpha).mattes, 1)["m"], frame), 0.25)
        for more, said in (
            (["--name", "absent"], "There is no matte absent"),
            (["--name", "absent"], "The ledger has half a bolt"),
            (["--crypto", "bolt"], "from a ledger or from names"),
        ):
            self.assertIn(said, self.run_verb(*verb, *more)[2])
        one = self.folder / "one.exr"
        self.assertIn("Several mattes or frames", self.run_verb("matte", shot, "--crypto", "bolt", "--out", one)[2])
        self.assertIn("have no Cryptomatte", self.run_verb("matte", self.file, "--crypto", "bolt", "--out", one)[2])

    def test_faults_are_one_line_and_leave_nothing(self):
        self.run_verb("ledger", self.file, "--out", self.ledger)
        text = self.folder / "text.exr"
        text.write_text("not an image")
        target = self.folder / "never.exr"
        rebuild = ["rebuild", self.file, "--ledger", self.ledger, "--out", target]
        cases = [
            (["inspect", text], "not an OpenEXR file"),
            (["inspect", self.folder], "This is a folder"),
            (["balance", self.file, "--ledger", text], "not JSON"),
            (["balance", self.file, "--ledger", self.folder / "absent.json"], "No such file"),
            ([*rebuild, "--set", "emission.operator=dodge"], "Unknown operator dodge"),
            ([*rebuild, "--set", "emission.source=absent"], "no source absent"),
            ([*rebuild, "--set", "absent.amount=1"], "no row absent"),
            ([*rebuild, "--set", "amount"], "is not ROW.FIELD=VALUE"),
            ([*rebuild[:-1], self.folder / "never.gif"], "Unknown format .gif"),
        ]
        for arguments, expected in cases:
            with self.subTest(expected):
                code, out, err = self.run_verb(*arguments)
                self.assertEqual((code, out), (2 if arguments[0] == "balance" else 1, ""))
                self.assertIn(expected, err)
                self.assertEqual(len(err.strip().splitlines()), 1)
        self.assertFalse(target.exists())

    def test_faults_as_json(self):
        code, _, err = self.run_verb("inspect", "--json", self.folder)
        self.assertEqual((code, json.loads(err)["code"]), (1, "file.unreadable"))

    def test_render(self):
        scene = self.folder / "scene.json"
        scene.write_text(json.dumps(scene_of([ball()], [white_sky(0.8)]).as_json()))
        Scene.load(scene)
        code, out, _ = self.run_verb(
            "render", scene, "--frame", 3, "--out", self.folder / "r", "--size", "16x9", "--samples", 1, "--json"
        )
        files = json.loads(out)["files"]
        self.assertEqual((code, files), (0, [str(self.folder / "r" / "scene.0003.exr")]))
        self.assertEqual(read_parts(files[0])[0].data_window.shape, (9, 16))

    def test_render_by_plan(self):
        """What a plan lists is what is written, frame by frame; a frame that is not planned is refused."""
        scene, plan = self.folder / "scene.json", self.folder / "plan.json"
        scene.write_text(json.dumps(scene_of([ball()], [white_sky(0.8)]).as_json()))
        shot = ShotSettings(production="TST", code="S1", frames="1-3", width=16, height=9)
        names = "{pass}_v{version:03}.{frame:04}.{suffix}"
        passes = ("beauty", "diffuse", "background", "crypto_object")
        document = Plan(shot=shot, cameras=("front",), passes=passes, names=names, packing=Packing(rule="each-pass"))
        plan.write_text(json.dumps(document.as_json()))
        render = ["render", scene, "--plan", plan, "--out", self.folder / "r", "--json"]
        code, out, _ = self.run_verb(*render)
        self.assertEqual((code, len(json.loads(out)["files"])), (0, 4 * 3))
        audit = ["plan", "audit", plan, "--scene", scene, "--folder", self.folder / "r"]
        self.assertEqual(self.run_verb(*audit)[:2], (0, "all as planned\n"))
        code, _, err = self.run_verb(*render, "--frames", "3-5")
        self.assertEqual((code, json.loads(err)["what"]), (1, "Not in the plan: 4-5."))

    def test_render_by_pattern(self):
        """A file for each pass where the pattern asks for it; a pattern that would lose frames is refused at once."""
        scene = self.folder / "scene.json"
        scene.write_text(json.dumps(scene_of([ball()], [white_sky(0.8)]).as_json()))
        render = [
            "render",
            scene,
            "--frame",
            3,
            "--out",
            self.folder / "r",
            "--size",
            "16x9",
            "--samples",
            1,
            "--pattern",
        ]
        code, out, _ = self.run_verb(*render, "{camera}/{pass}.{frame:03}.exr", "--json")
        names = {file.removeprefix(f"{self.folder}/r/") for file in json.loads(out)["files"]}
        self.assertLessEqual({"front/beauty.003.exr", "front/diffuse_direct.003.exr", "front/normals.003.exr"}, names)
        for pattern, text in {
            "{pass}.exr": "overwrite",
            "{pass}.{frame:01}.exr": "more digits",
            "a b.{frame:04}.exr": "white",
        }.items():
            code, _, err = self.run_verb(*render, pattern)
            self.assertEqual(code, 1)
            self.assertIn(text, err)

    def test_a_wrong_command_line(self):
        for arguments in (
            ["paint"],
            ["render", "x.json"],
            ["render", "x.json", "--frame", "1", "--out", "o", "--pattern", "{what}"],
            ["render", "x.json", "--frame", "1", "--out", "o", "--samples", "0"],
        ):
            err = io.StringIO()
            with self.subTest(arguments), self.assertRaises(SystemExit) as stopped, redirect_stderr(err):
                main(arguments)
            self.assertEqual(stopped.exception.code, 2)
            self.assertEqual(len(err.getvalue().strip().splitlines()), 1)


class Errors(unittest.TestCase):
    def test_what_where_and_what_to_do(self):
        error = PrismError("It broke.", where="a.exr", advice="Fix it.")
        self.assertEqual(str(error), "a.exr: It broke. Fix it.")
        self.assertEqual(
            error.as_json(), {"code": "prism.error", "what": "It broke.", "where": "a.exr", "advice": "Fix it."}
        )


class Documentation(unittest.TestCase):
    def test_schemas_and_examples_are_those_of_the_code(self):
        docs = Path(__file__).resolve().parent.parent.parent / "docs"
        for name, kind in (("scene", Scene), ("facts", FactsSheet)):
            self.assertEqual(json.loads((docs / f"{name}.schema.json").read_text()), kind.model_json_schema())
        self.assertEqual(load_facts(docs / "examples" / "elsewhere.json").labels, ("day", "rest"))
        facts = load_facts(docs / "examples" / "still_life.json")
        self.assertEqual((facts.labels, list(facts.cameras)), (("key", "rest"), ["main"]))
