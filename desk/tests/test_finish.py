"""The Finish station: its pictures, chains kept for a production, and what is delivered."""

import io
import json
import subprocess
import sys

import numpy as np
import OpenEXR
from PIL import Image as Pillow

from desk.finish.models import FinishPreset
from desk.handoff import services as handoff
from desk.handoff.services import path_of
from desk.rebuild.models import Ledger
from desk.shots.models import Production
from desk.stations.registry import stations
from desk.tests.test_handoff import STILL, HandoffCase
from desk.tests.world import HEIGHT, WIDTH
from prism.ledger.document import Ledger as Document
from prism.sources.opening import find_sources
from prism.viewing.finish_chain import FinishSubject

STEPS = [
    {"id": "key", "kind": "grade", "exposure": 0.5, "offset": [0.02, 0, 0]},
    {"id": "soft", "kind": "glow", "threshold": 0.3, "size": 6},
    {"id": "film", "kind": "film", "look": "evening", "amount": 0.7},
    {"id": "grain", "kind": "grain", "amount": 0.1},
]


def decoded(answer):
    return np.asarray(Pillow.open(io.BytesIO(answer.content)).convert("RGB")).astype(int)


class FinishCase(HandoffCase):
    def setUp(self):
        super().setUp()
        self.document = Document.from_json(self.ledger.document | {"finish": STEPS}).as_json()
        Ledger.objects.update(document=self.document)
        self.ledger.refresh_from_db()

    def question(self, name, **more):
        stage = {"kind": "finish"} | {part: more.pop(part) for part in ("show", "key") if part in more}
        asked = {"ledgerId": self.ledger.pk, "ledger": self.document, "frame": 1001, "subject": stage}
        return self.ask(name, **(asked | more))


class Pictures(FinishCase):
    def test_the_page_shows_what_is_written(self):
        """The sharp picture of the page and a still over black of the same view, code by code; and the command line's,
        from the exported finish and ledger."""
        delivery = self.order("1001", STILL)
        self.work()
        written = np.asarray(Pillow.open(path_of(delivery, 1001)).convert("RGB")).astype(int)
        shown = decoded(self.question("look-picture", view="film", encoding="png"))
        np.testing.assert_array_equal(shown, written)
        rebuilt = decoded(self.question("look-picture", view="film", encoding="png", show="rebuilt"))
        self.assertGreater(np.abs(shown - rebuilt).mean(), 3)

        finish = self.folder / "F.json"
        finish.write_bytes(self.ask("finish-export", ledger=self.document).content)
        ledger = self.folder / "L.json"
        bare = Document.from_json(self.document).replace(finish=())
        ledger.write_text(json.dumps(bare.as_json()))
        out = self.folder / "o.png"
        command = ["-m", "prism", "finish", "--finish", finish, "--ledger", ledger, "--frame", "1001", "--view", "film",
                   "--alpha", "black", "--space", self.shot.settings.space, "--out", out, self.folder]  # fmt: skip
        subprocess.run([sys.executable, *map(str, command)], check=True, capture_output=True)
        np.testing.assert_array_equal(np.asarray(Pillow.open(out).convert("RGB")).astype(int), written)

    def test_stages_and_small_pictures(self):
        before, after = (
            decoded(self.question("look-picture", show=show, key="soft", encoding="png"))
            for show in ("before", "after")
        )
        self.assertGreater(np.abs(before - after).max(), 2)
        quick = self.question("look-picture", encoding="jpeg", width=WIDTH // 2, edited="soft")
        self.assertEqual(quick["X-Step"], "2")
        self.assertEqual(self.question("look-picture", show="after", key="nope").status_code, 422)

    def test_what_would_take_too_long_is_told(self):
        """Two hundred flares with forty ghosts each: smaller, or refused, before anything is computed."""
        flares = [{"id": str(n), "kind": "flare", "count": 40, "x": n} for n in range(200)]
        subject = FinishSubject(ledger=Document.from_json(self.document | {"finish": flares}))
        frame = find_sources([self.render(1001)])
        self.assertGreater(
            subject.seconds(frame), 100 * FinishSubject(ledger=Document.from_json(self.document)).seconds(frame)
        )
        self.assertAlmostEqual(subject.seconds(frame), 200 * (80 + 40 * 40) * WIDTH * HEIGHT * 1e-9, delta=0.01)

    def test_values_of_a_part_are_those_of_the_whole(self):
        """A box of pixels is finished with all that reaches into it."""
        box = self.question("look-values", x=3, y=2, x1=6, y1=4).json()
        delivery = self.order()
        self.work()
        with OpenEXR.File(str(path_of(delivery, 1001)), separate_channels=True) as file:
            light = np.stack([file.channels()[c].pixels for c in "RGB"])
        expected = np.moveaxis(light[:, 2:5, 3:7], 0, -1).reshape(-1, 3)
        np.testing.assert_allclose(np.array(box["values"]), expected, rtol=2e-4, atol=2e-5)

    def test_the_probe_reads_the_finished_light(self):
        lines = {line["key"]: line for line in self.question("look-probe", x=5, y=5).json()["lines"]}
        self.assertNotEqual(lines["finished"]["stored"], lines["rebuilt"]["stored"])
        (value,) = self.question("look-values", x=5, y=5, x1=5, y1=5).json()["values"]
        np.testing.assert_allclose(lines["finished"]["stored"], value, rtol=1e-6)

    def test_thumbnails_and_words(self):
        answer = self.question("finish-chain", view="film").json()
        self.assertEqual(answer["stages"], 5)
        self.assertIn("film, evening, at 70%", answer["words"])
        self.assertEqual(answer["changes"], [])
        answer = self.question("finish-chain", view="film", measured=True).json()
        changes = {line["id"]: line for line in answer["changes"]}
        self.assertEqual(answer["every"], 1)
        self.assertEqual(list(changes), [step["id"] for step in self.document["finish"]])
        self.assertIn("film, evening", changes["film"]["step"])
        self.assertRegex(changes["film"]["change"], r"%.* at \d+, \d+$")
        off = [step | {"enabled": step["id"] != "film"} for step in self.document["finish"]]
        answer = self.question(
            "finish-chain", view="film", measured=True, ledger=self.document | {"finish": off}
        ).json()
        changes = {line["id"]: line for line in answer["changes"]}
        self.assertEqual((changes["film"]["step"], changes["film"]["change"], changes["film"]["x"]), ("off", "", None))
        lost = self.document | {"finish": [{"id": "s", "kind": "smear", "motion": "render/vectors"}]}
        self.assertIn(
            "There is no pass render/vectors", self.question("finish-chain", ledger=lost).json()["error"]["what"]
        )


class Chains(FinishCase):
    def test_kept_for_the_production_and_laid_elsewhere(self):
        kept = self.ask("finish-preset", ledger=self.document, name="Dusk", steps=["key", "film"]).json()["presets"]
        own = next(preset for preset in kept if preset["own"])
        self.assertEqual(own["title"], "Dusk")
        bare = self.document | {"finish": [{"id": "key", "kind": "vignette"}]}
        laid = self.question("finish-lay", ledger=bare, preset=own["id"], keep=True).json()
        self.assertEqual([step["id"] for step in laid["ledger"]["finish"]], ["key", "key-2", "film"])
        self.assertEqual(laid["remark"], "2 steps added.")
        self.ask("finish-preset", ledger=self.document, name="Dusk", steps=["soft"])
        self.assertEqual(FinishPreset.objects.get().document["steps"][0]["kind"], "glow")
        self.ask("finish-preset", remove=int(own["id"]))
        self.assertFalse(FinishPreset.objects.exists())
        self.assertEqual(self.question("finish-lay", preset=own["id"]).status_code, 422)

    def test_ours_and_those_of_files(self):
        for preset in self.client.get(self.url("finish")).context["page"]["presets"]:
            laid = self.question("finish-lay", preset=preset["id"], keep=False).json()
            self.assertTrue(laid["ledger"]["finish"], preset)
        text = '{"steps": [{"id": "a", "kind": "defocus", "depth": "far"}]}'
        laid = self.question("finish-lay", text=text, keep=True).json()
        self.assertFalse(laid["ledger"]["finish"][1]["enabled"] and laid["ledger"]["finish"][1]["id"] == "a")
        self.assertIn("Switched off, since it is not here: far of a", laid["remark"])
        self.assertEqual(self.question("finish-lay", text="{").status_code, 422)
        self.assertEqual(self.ask("finish-preset", ledger=self.document, name=" ").status_code, 422)

    def test_a_preset_of_another_production_is_not_there(self):
        other = Production.objects.create(code="OTH", title="other")
        preset = FinishPreset.objects.create(production=other, name="x", document={"steps": []})
        self.assertEqual(self.question("finish-lay", preset=str(preset.pk)).status_code, 422)
        self.ask("finish-preset", remove=preset.pk)
        self.assertTrue(FinishPreset.objects.filter(pk=preset.pk).exists())


class Station(FinishCase):
    def test_marks_and_what_to_do_first(self):
        self.assertContains(self.client.get(self.url("finish")), "Add a step")
        marks = {station.slug: station.state.value for station in stations(self.shot)}
        self.assertEqual(marks["finish"], "in work")

    def test_a_delivery_says_what_it_holds(self):
        delivery = self.order("1001", {"id": "shown", "encoding": {"kind": "exr", "holds": "display"}})
        self.work()
        self.assertIn("display values of the film view", handoff.progress(delivery)["items"][0]["words"])
        with OpenEXR.File(str(path_of(delivery, 1001)), separate_channels=True) as file:
            self.assertEqual(file.header()["finish"], "grade, glow, film, grain")
            self.assertLessEqual(float(file.channels()["R"].pixels.max()), 1)
        self.order()
        self.work()
        remarks = handoff.progress(self.shot.deliveries.first())["remarks"]
        self.assertIn("Light, so without the steps that work on display values: film, grain.", remarks)
        self.assertTrue(find_sources([path_of(self.shot.deliveries.first(), 1001)]).shape() == (HEIGHT, WIDTH))
