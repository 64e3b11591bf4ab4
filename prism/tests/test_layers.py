"""Layers of a render as one picture: which lies behind which, one ledger of all of them, and what it is compared with.

That layers which hold each other out sum to the whole is common practice, no source; the stand-in's own picture of
everything, read by OpenEXR, is the check.
"""

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import OpenEXR

from prism.__main__ import main
from prism.balance.balance import balance
from prism.balance.layered import choose
from prism.commands.planned_layers import planned_elements
from prism.ledger.adding import with_pass
from prism.ledger.dimmers import dimmers
from prism.ledger.document import Ledger
from prism.ledger.matching import matched
from prism.ledger.table import elements_of
from prism.ledger.templates import apply_template
from prism.passes.catalogue import BY_KEY
from prism.plan.layering import OVER, SUM, layering
from prism.plan.plan import Layer, Plan
from prism.scenes.facts import SceneFacts
from prism.sources.opening import open_frames
from prism.tests.memory import MemoryFrame

EXAMPLE = Path(__file__).resolve().parents[2] / "docs" / "examples" / "still_life.json"
PASSES = (
    "beauty", "diffuse_direct", "diffuse_indirect", "specular_direct", "specular_indirect", "transmission", "emission",
    "background", "volume", "light_group",
)  # fmt: skip

NAMES = ("sum", "proof", "over", "clean", "half")


def layer(name, **visibility):
    return Layer(name=name, visibility=visibility)


class Chosen(unittest.TestCase):
    def test_the_version_that_is_asked_for_else_the_newest(self):
        elements = [SimpleNamespace(name=f"v{n}", camera="main", layer="all", number=n) for n in (1, 2)]
        order = layering((layer("all"),))
        for number, name in ((None, "v2"), (1, "v1"), (2, "v2"), (7, "v2")):
            self.assertEqual(choose(elements, order, "main", number).layers, (name,))


class Order(unittest.TestCase):
    def test_what_holds_out_lies_in_front(self):
        front, back = layer("hero", set="holdout"), layer("set", hero="shadow-only")
        apart = layer("set", hero="holdout")
        whole, clay = layer("all"), Layer(name="clay", override="clay")
        gone = layer("set", hero="hidden")
        cases = [
            ((front, apart), [("hero", "add"), ("set", "add")], "", SUM),
            ((front, back), [("set", "add"), ("hero", "over")], "", OVER),
            ((back, front), [("set", "add"), ("hero", "over")], "", OVER),
            ((gone, front), [("set", "add"), ("hero", "over")], "", ""),
            ((gone, layer("hero", set="hidden")), [("set", "add"), ("hero", "over")], "", ""),
            ((front, whole, apart, clay), [("hero", "add"), ("set", "add")], "all", SUM),
            ((front, whole), [("all", "add")], "", SUM),
            (
                (
                    layer("a", b="holdout", c="holdout"),
                    layer("b", a="holdout", c="holdout"),
                    layer("c", a="shadow-only", b="holdout"),
                ),
                [("b", "add"), ("c", "add"), ("a", "over")],
                "",
                OVER,
            ),
        ]
        for layers, order, proof, way in cases:
            with self.subTest([each.name for each in layers]):
                found = layering(layers, around=())
                self.assertEqual([(place.layer, place.operator) for place in found.places], order)
                self.assertEqual((found.whole, found.way), (proof, way))
        self.assertEqual(layering((front, whole, clay)).left_out, ("hero", "clay"))
        self.assertEqual([place.sky_again for place in layering((front, apart)).places], [False, True])


class Rendered(unittest.TestCase):
    """A set and what stands on it, through two cameras, from the plan to one balanced picture."""

    @classmethod
    def setUpClass(cls):
        temporary = tempfile.TemporaryDirectory()
        cls.addClassCleanup(temporary.cleanup)
        cls.folder = Path(temporary.name)
        scene = json.loads(EXAMPLE.read_text())
        scene["cameras"].append({"name": "side", "position": [3, -3, 1.2], "target": [0, 0, 0.4], "fov": 40})
        (cls.folder / "scene.json").write_text(json.dumps(scene))
        apart = [
            layer("set", things="holdout"),
            Layer(name="things", visibility={"ground": "holdout"}, kept_out=("lamps", "fog")),
        ]
        over = [layer("set", things="shadow-only"), apart[1]]
        whole = Layer(name="all", passes=("beauty",))
        cls.run_all("sum", apart)
        cls.run_all("proof", [*apart, whole], rule="each-pass")
        cls.run_all("over", [*over, whole])
        cls.run_all("clean", apart, rule="parts", denoise=True)

    @classmethod
    def run_all(cls, name, layers, rule="one-file", denoise=False):
        plan = {
            "format": "eager-prism.plan",
            "version": 3,
            "cameras": ["main", "side"],
            "passes": PASSES,
            "shot": {"production": "P", "code": "S", "frames": "1-2", "width": 64, "height": 36},
            "layers": [each.model_dump(mode="json") for each in layers],
            "quality": {"samples": 4, "denoise": denoise},
            "packing": {"rule": rule},
        }
        (cls.folder / f"{name}.json").write_text(json.dumps(plan))
        cls.run_verb("render", "scene.json", "--plan", f"{name}.json", "--out", name, "--frames", "1")

    @classmethod
    def run_verb(cls, *words, code=0):
        """Words that name a file or folder of the class, there or to come, are meant below its folder."""
        printed = io.StringIO()
        given = [
            str(cls.folder / word) if word in NAMES or word.endswith((".json", ".exr")) else word for word in words
        ]
        with contextlib.redirect_stdout(printed), contextlib.redirect_stderr(printed):
            answered = main(given)
        if answered != code:
            raise AssertionError(printed.getvalue())
        return printed.getvalue()

    def ledger(self, name, *more):
        said = self.run_verb("ledger", name, "--plan", f"{name}.json", "--out", f"{name}.L.json", *more)
        return Ledger.load(self.folder / f"{name}.L.json"), said

    def pixels(self, path):
        channels = OpenEXR.File(str(path), separate_channels=True).parts[0].channels
        return np.stack([channels[name].pixels.astype(np.float32) for name in "RGBA"])

    def test_layers_that_hold_each_other_out_are_the_whole_picture(self):
        for camera in ("main", "side"):
            ledger, said = self.ledger("sum", "--camera", camera, "--scene", "scene.json")
            self.assertIn("known to sum to the whole picture", said)
            self.assertEqual([(row.id, row.operator) for row in ledger.rows], [("set", "add"), ("things", "add")])
            self.assertNotIn("things/background", [row.id for row in ledger.walk()])  # the sky is taken once
            self.assertIn("balanced within half", self.run_verb("balance", "sum", "--ledger", "sum.L.json"))
            self.run_verb("rebuild", "sum", "--ledger", "sum.L.json", "--out", "sum.exr", "--pixel", "float")
            whole = self.pixels(next((self.folder / "proof").rglob(f"S_all_{camera}_beauty*.exr")))
            np.testing.assert_allclose(self.pixels(self.folder / "sum.exr"), whole, rtol=3e-3, atol=1e-3)

    def test_a_layer_of_everything_is_the_proof(self):
        """By lights as well, though the plan knows no labels without its scene; the sky of the second layer is taken
        out again."""
        for way in ("components", "light-groups"):
            ledger, said = self.ledger("proof", "--by", way)
            self.assertIn("Compared with all main v001, a render of everything.", said)
            self.assertEqual((ledger.beauty, ledger.reference), ("all main v001/beauty", ()))
            self.run_verb("balance", "proof", "--ledger", "proof.L.json")
        self.assertEqual([row.operator for row in ledger.row("things").rows], ["add", "add", "subtract"])
        frame = open_frames(elements_of(ledger, self.folder / "proof"), 1)
        key = next(dimmer for dimmer in dimmers(ledger, frame) if dimmer.label == "key")
        self.assertEqual(key.rows, ("set/light_key", "things/light_key"))
        self.assertTrue(balance(ledger, frame).balanced)
        broken = balance(ledger.without("things/light_key"), frame)
        self.assertFalse(broken.balanced)
        back = with_pass(ledger.without("things/light_key"), frame, "things main v001/light_key")
        self.assertIn(back.row, back.ledger.row("things").rows)
        self.assertTrue(balance(back.ledger, frame).balanced)

    def test_layers_over_one_another_differ_at_soft_edges_only(self):
        ledger, said = self.ledger("over")
        self.assertIn("but for soft edges", said)
        self.assertEqual([row.operator for row in ledger.rows], ["add", "over"])
        frame = open_frames(elements_of(ledger, self.folder / "over"), 1)
        found = balance(ledger, frame)
        self.assertFalse(found.balanced)
        alpha = frame.pixels("things main v001/beauty").alpha
        self.assertLessEqual(found.beyond, int(((alpha > 0) & (alpha < 1)).sum()))
        self.assertEqual(found.suggestions[0].code, "soft_edges")

    def test_denoised_layers_keep_to_their_own_beauties(self):
        """In parts of one file beside the noisy ones, with lights that the plan does not know without its scene."""
        for words, cleaned in (((), False), (("--denoised",), True)):
            ledger, _ = self.ledger("clean", *words)
            self.assertEqual({row.source.endswith("_denoised") for row in ledger.passes}, {cleaned})
            self.run_verb("balance", "clean", "--ledger", "clean.L.json")

    def test_what_is_not_there_is_said(self):
        (self.folder / "half").mkdir(exist_ok=True)
        (self.folder / "half" / "S_v001.0001.exr").write_bytes(next((self.folder / "sum").rglob("*.exr")).read_bytes())
        for folder, words, text in (
            ("sum", ("--camera", "top"), "no camera top"),
            ("half", (), "Layer set, things through camera main is not there"),
        ):
            said = self.run_verb("ledger", folder, "--plan", "sum.json", *words, "--out", "x.json", code=1)
            self.assertIn(text, said)

    def test_a_template_keeps_layers_apart(self):
        ledger, _ = self.ledger("sum", "--camera", "main")
        plan = Plan.load(self.folder / "proof.json")
        there = open_frames(planned_elements(self.folder / "proof", plan, SceneFacts.unknown(plan.cameras)), 1)
        applied = apply_template(ledger, there)
        self.assertEqual(applied.missing, ())
        self.assertIn("things main", applied.ledger.row("things").alpha)
        self.assertTrue(balance(applied.ledger, there).balanced)
        alone = open_frames(elements_of(ledger, self.folder / "sum")[:1], 1)
        half = apply_template(ledger, alone)
        self.assertTrue(all(row.startswith("things") for row, _ in half.missing))
        self.assertEqual(len(half.ledger.reference), 1)


class Names(unittest.TestCase):
    def test_sources_are_found_by_layer_then_by_unambiguous_pass(self):
        planes = np.zeros((3, 2, 2), np.float32), None
        frame = MemoryFrame(
            {f"{name}/{key}": planes for name in ("set wide v002", "hero wide v002") for key in ("beauty", "z")}
        )
        rows = [{"id": key, "source": key} for key in ("hero wide v001/beauty", "hero wide v002/z", "other/z")]
        found = matched(Ledger(beauty="set wide v001/beauty", alpha=None, rows=rows), frame)
        self.assertEqual(found["hero wide v001/beauty"], "hero wide v002/beauty")
        self.assertEqual(found["set wide v001/beauty"], "set wide v002/beauty")
        self.assertEqual((found["hero wide v002/z"], found["other/z"]), ("hero wide v002/z", ""))

    def test_another_picture_is_no_part_of_this_one(self):
        """It lies over it, as a change; a beauty that the rows sum to is switched off."""
        planes = np.zeros((3, 2, 2), np.float32), np.ones((2, 2), np.float32)
        frame = MemoryFrame({f"{name}/{key}": planes for name in ("set", "hero") for key in ("beauty", "emission")})
        for name in ("set", "hero"):
            for key in ("beauty", "emission"):
                frame.facts[f"{name}/{key}"] = {"kind": BY_KEY[key]}
        ledger = Ledger(beauty="set/beauty", alpha="set/beauty", rows=({"id": "d", "source": "set/emission"},))
        own, other = (with_pass(ledger, frame, f"{name}/beauty") for name in ("set", "hero"))
        self.assertEqual((own.row.on, other.row.on, other.row.operator), (False, True, "over"))
        self.assertIn("which the rows sum to already", own.remark)
        self.assertIn("picture of another image", other.remark)
        self.assertFalse(with_pass(ledger, frame, "hero/emission").row.in_balance)


if __name__ == "__main__":
    unittest.main()
