"""The worked examples of docs/extending.md, run as they stand there."""

import json
import re
import shutil
import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import numpy as np
import OpenImageIO as oiio

from desk.jobs import registry as kinds
from desk.stations import registry as stations
from desk.tests.world import WIDTH, WorldCase
from desk.viewer import registry as subjects
from prism.colour.view import ViewTransform
from prism.combine.evaluate import evaluate
from prism.deep.files import read_samples, write_samples
from prism.delivery.encodings.base import Destination
from prism.delivery.ledger_frame import LedgerFrame
from prism.fields import settings_of
from prism.finish import steps
from prism.finish.context import Context
from prism.finish.document import Finish
from prism.finish.evaluate import finished
from prism.finish.wording import in_words
from prism.formats import stills
from prism.judging import values
from prism.judging.values import PlaneFacts
from prism.judging.version import version_of
from prism.ledger import rows
from prism.ledger.first import first_ledger
from prism.mattes import planes
from prism.mattes.plan import MattePlan, PartPlan, plans
from prism.passes.catalogue import BY_KEY
from prism.pixels import file_formats
from prism.pixels.picture import Picture
from prism.pixels.window import Window
from prism.sources.opening import find_sources
from prism.tests.memory import MemoryFrame
from prism.tests.test_deep import any_deep

ROOT = Path(__file__).resolve().parents[2]
TEXT = (ROOT / "docs" / "extending.md").read_text()
EXAMPLES = dict(re.findall(r"```python\n# ([\w ]+)\n(.*?)```", TEXT, re.DOTALL))

WITH_IT = """
import json
import numpy as np
from prism.elements.identify import identify
from prism.passes.catalogue import BY_KEY, COMPONENTS
from prism.plan.plan import Layer
from prism.plan.showing import lacking, visible
from prism.scenes.sheet import FactsSheet
from standin.render import Order, Quality, render
from standin.scene import Scene

KEY = "iridescence"


def shown(carried):
    sheet = FactsSheet.model_validate({
        "name": "s", "materials": [{"name": "shell", "carries": [carried]}], "cameras": [{"name": "main"}],
        "groups": [{"name": "all", "materials": ["shell"]}], "lights": [{"name": "sun", "kind": "distant"}],
    })
    return visible(sheet.facts(), Layer(name="a"), "main")


scene = Scene.model_validate({
    "name": "Ball", "first": 1, "last": 1, "size": (8, 8), "mist": {"near": 1, "far": 2}, "groups": [{"name": "all"}],
    "materials": {"grey": {"kind": "matte", "colour": (0.5, 0.5, 0.5)}},
    "lights": [{"name": "sky", "kind": "sky", "radiance": (1, 1, 1), "horizon": (1, 1, 1)}],
    "shapes": [{
        "name": "ball", "group": "all", "material": "grey", "kind": "sphere", "centre": (0, 0, 0), "size": (1, 0, 0),
    }],
    "cameras": [{"name": "main", "position": (0, -5, 0), "target": (0, 0, 0), "fov": 30}],
})
passes = {kind.key: kind for kind in (BY_KEY["beauty"], *COMPONENTS)}
planes = render(scene, 1, Order(passes=passes, quality=Quality(samples=2))).planes
total = sum(np.stack(planes[kind.key]) for kind in COMPONENTS)
print(json.dumps({
    "named": identify("shot_iridescent").key,
    "lacking": [lacking(BY_KEY[KEY], shown(carried)) for carried in (KEY, "diffuse")],
    "schema": KEY in json.dumps(FactsSheet.model_json_schema()),
    "rendered": [float(np.max(np.abs(planes[KEY]))), bool(np.max(planes["diffuse_direct"]) > 0)],
    "sums": bool(np.allclose(total, np.stack(planes["beauty"][:3]), atol=1e-6)),
}))
"""


class Extending(WorldCase):
    def run_example(self, name):
        """What it defines; what it enters into tables is taken out again."""
        for table in (kinds._KINDS, stations._STATIONS, subjects._KINDS, planes.FOLLOWING):
            self.enterContext(mock.patch.dict(table))
        made = {"__name__": "example"}
        exec(compile(EXAMPLES[name], f"docs/extending.md, {name}", "exec"), made)
        return made

    def test_no_example_is_left_out(self):
        tested = {name.removeprefix("test_example_").replace("_", " ") for name in dir(self) if "test_example_" in name}
        self.assertEqual(tested, set(EXAMPLES))

    def test_example_matte_part(self):
        made = self.run_example("matte part")
        frame = find_sources([self.render(1001)])
        plan = MattePlan((PartPlan(made["BrightPart"](source="beauty", level=0.5, inverted=True)),))
        beauty = np.stack([plane.astype(np.float32) for plane in frame.pixels("beauty").planes])
        np.testing.assert_array_equal(planes.matte_plane(plan, frame), ~(beauty > 0.5).any(axis=0))

    def test_example_kind_of_row(self):
        veil = self.run_example("kind of row")["VeilRow"]
        frame = find_sources([self.render(1001)])
        ledger = first_ledger(frame)
        row = veil(id="veil", colour=(0.25, {"keys": [{"frame": 1001, "value": 0.5}]}, 1), amount=0.5)
        laid = ledger.model_copy(update={"rows": (*ledger.rows, row)})
        below, above = evaluate(ledger, frame).rgba, evaluate(laid, frame).rgba
        colour = np.array([0.25, 0.5, 1, 1], np.float32)[:, None, None] * below[3]
        np.testing.assert_allclose(above, 0.5 * colour + (1 - 0.5 * below[3]) * below, rtol=1e-5, atol=1e-6)
        with mock.patch.multiple(rows, ROWS=(*rows.ROWS, veil), KINDS=(*rows.KINDS, "veil")):
            shown = rows.kinds_for_page()["veil"]
        first = {name: shown["settings"][0][name] for name in ("field", "takes", "range", "keyable")}
        self.assertEqual(first, {"field": "colour", "takes": "number", "range": [0, 10_000], "keyable": True})

    def test_example_finishing_step(self):
        poster = self.run_example("finishing step")["PosterStep"]
        shape = {"kind": "shape", "form": "rectangle", "width": 6, "height": 99}
        half = {"id": "half", "kind": "made", "parts": [shape]}
        mattes = plans(Finish.from_json({"mattes": [half]}).mattes, 1)
        step = poster(id="p", matte="half", steps={"keys": [{"frame": 1, "value": 3}]})
        rgba = np.random.default_rng(1).random((4, 5, 8)).astype(np.float32)
        window = Window.of_size(8, 5)
        picture = Picture(rgba=rgba, window=window, display_window=window, space="display")
        frame = MemoryFrame({"x": (rgba[:3], None)})
        got = finished(picture, steps.active((step,), 1), Context(1, frame, mattes)).rgba
        np.testing.assert_allclose(got[:3, :, :3], np.round(rgba[:3, :, :3] * 2) / 2)
        np.testing.assert_array_equal(got[:, :, 3:], rgba[:, :, 3:])
        self.assertEqual(in_words((step,), 1), "After the view: poster, 3 steps, within half.")
        with mock.patch.multiple(steps, STEPS=(*steps.STEPS, poster), KINDS=(*steps.KINDS, "poster")):
            shown = steps.kinds_for_page()["poster"]
        self.assertEqual([setting["field"] for setting in shown["settings"]], ["amount", "steps"])

    def test_example_deep_operation(self):
        made = self.run_example("deep operation")
        samples = any_deep(np.random.default_rng(1))
        path, out = self.root / "a.exr", self.root / "b.exr"
        write_samples(path, samples)
        answer, _ = made["action"](SimpleNamespace(file=path, out=out))
        nearest = read_samples(Path(answer["file"]))
        self.assertEqual(nearest.counts.tolist(), (samples.counts > 0).astype(int).tolist())
        pixels = samples.pixels
        fronts = [samples.depth[pixels == pixel, 0].min() for pixel in np.unique(pixels)]
        self.assertEqual(nearest.depth[:, 0].tolist(), fronts)

    def test_example_still_format(self):
        made = self.run_example("still format")
        path, rgba = self.root / "a.bmp", np.ones((4, 3, 5), np.float32)
        rgba[1] = 0
        with mock.patch.object(file_formats, "_BY_SUFFIX", {"bmp": made["BMP"]}):
            stills.write_still(path, rgba, ViewTransform("lin_rec709", "srgb"))
        read = oiio.ImageBuf(str(path)).get_pixels(oiio.UINT8)
        self.assertEqual((read.shape, read[0, 0].tolist()), ((3, 5, 3), [255, 0, 255]))

    def test_example_kind_of_work(self):
        made = self.run_example("kind of work")
        self.with_ledger()
        job = made["begin_counting"](self.shot, [1001, 1002, 1003], self.artist)
        self.work_all()
        ended = list(job.tasks.order_by("number").values_list("state", "result"))
        self.assertEqual(ended[:2], [("done", {"files": 1})] * 2)
        self.assertEqual(ended[2][1], {})  # there is no such frame; it is tried again later

    def test_example_finding(self):
        made = self.run_example("finding")
        planes = {name: PlaneFacts(least=0.0, most=0.5, pixels=10) for name in ("R", "G", "B", "A")}
        with mock.patch.object(values, "JUDGES", (*values.JUDGES, made["hollow"])):
            found = list(values.judge_values(BY_KEY["beauty"], "beauty", planes))
        self.assertEqual([finding.code for finding in found], ["hollow"])
        self.assertNotEqual(version_of("prism.judging.values"), version_of("prism.judging.finding"))

    def test_example_pass_type(self):
        """In a copy of the source with the one entry, and nothing else changed."""
        for package in ("prism", "standin"):
            left_out = shutil.ignore_patterns("tests", "__pycache__")
            shutil.copytree(ROOT / package, self.root / "copy" / package, ignore=left_out)
        catalogue = self.root / "copy" / "prism" / "passes" / "catalogue.py"
        before, end = catalogue.read_text().split("\n)\nBY_KEY", 1)
        text = f"{before}\n{EXAMPLES['pass type'].rstrip()}\n)\nBY_KEY{end}"
        catalogue.write_text(text.replace("import COMMON_NEEDS, ", "import COMMON_NEEDS, Need, "))
        done = subprocess.run([sys.executable, "-c", WITH_IT], cwd=self.root / "copy", capture_output=True, text=True)
        self.assertEqual(done.stderr, "")
        self.assertEqual(
            json.loads(done.stdout),
            {
                "named": "iridescence",
                "lacking": ["", "there is no material with a thin film"],
                "schema": True,
                "rendered": [0.0, True],
                "sums": True,
            },
        )

    def test_example_encoding(self):
        made = self.run_example("encoding")
        path = self.render(1001)
        sources = find_sources([path])
        ledger = first_ledger(sources)
        item = mock.Mock(id="light", subject="rebuilt", name_pattern="{item}.{frame:04}.{suffix}")
        place = Destination(self.root, {}, (1001,))
        (written,) = made["Brightness"](digits=6).add(item, LedgerFrame(ledger, sources), place)
        self.assertEqual(written.path.name, "light.1001.csv")
        self.assertEqual(written.path.read_text(), f"1001,{evaluate(ledger, sources).mean:.6f}\n")
        (setting,) = settings_of(made["Brightness"])
        self.assertEqual((setting["field"], setting["takes"], setting["words"]), ("digits", "choice", [3, 6]))

    def test_example_station(self):
        self.run_example("station")
        self.assertEqual(
            stations.stations(self.shot)[-1], stations.Station("archive", "Archive", 7, stations.Mark.UNTOUCHED)
        )

    def test_example_subject(self):
        self.run_example("subject")
        self.with_ledger()
        asked = {
            "subject": {"kind": "beauty"},
            "frame": 1001,
            "view": "srgb",
            "viewer": "a",
            "serial": 1,
            "width": WIDTH,
        }
        answer = self.ask("look-picture", **asked)
        self.assertEqual((answer.status_code, answer["Content-Type"].split("/")[0]), (200, "image"))
