"""Layers of a shot on the Rebuild station: one first ledger of all of them, and two people at work on one ledger."""

from __future__ import annotations

import json
from unittest import mock

from desk.jobs import engine
from desk.plan.models import Plan
from desk.plan.services import open_plan
from desk.rebuild import services
from desk.rebuild.models import Ledger
from desk.tests.rendering import Rendering
from desk.tests.test_rebuild import RebuildCase
from desk.tests.world import WorldCase
from prism.plan.plan import Layer
from prism.plan.plan import Plan as Document

GROUPS = ("room", "plants")


class Layers(Rendering, WorldCase):
    """A room and what stands in it, through two cameras, rendered by hand."""

    def setUp(self):
        super().setUp()
        for name in ("top_up", "send"):
            self.enterContext(mock.patch.object(engine, name))
        self.plan(cameras=("wide", "close"), passes=("beauty", "diffuse_direct", "light_group"))
        self.plan_layers()
        with mock.patch("desk.render.kinds.checks.begin") as self.reading:
            run = self.begin(frames="1001-1002")
            self.work_all()
        self.assertEqual(set(self.states(run)), {"done"})

    def plan_layers(self):
        document = Document.from_json(open_plan(self.shot).document)
        others = [group.name for group in self.scene.groups if group.name not in GROUPS]
        layers = (
            Layer(name="orrery", visibility=dict.fromkeys(GROUPS, "holdout"), kept_out=("sky", "lamps", "fog")),
            Layer(name="room", visibility=dict.fromkeys(others, "holdout")),
        )
        names = "render/v{version:03}/{layer}_{camera}_{pass}.{frame:04}.{suffix}"
        Plan.objects.filter(shot=self.shot).update(document=document.replace(layers=layers, names=names).as_json())

    def test_the_first_ledger_lays_all_layers_of_the_first_camera(self):
        ledger = services.open_ledger(self.shot)
        document = services.parse(self.shot, ledger.document)
        self.assertEqual([(row.id, row.operator) for row in document.rows], [("orrery", "add"), ("room", "add")])
        self.assertEqual(set(document.elements), {"render v001 orrery wide", "render v001 room wide"})
        self.assertTrue(services.balance_of(document, services.frame_of(ledger, document, 1001))["balanced"])
        page = self.client.get(self.url("rebuild")).context["page"]
        self.assertIn("all layers, light groups", [start["title"] for start in page["starts"]])
        self.assertTrue(all(source["title"].startswith(source["elementName"]) for source in page["sources"]))

        other = self.shot.elements.get(name="render v001 room close")
        asked = {"ledgerId": ledger.pk, "ledger": ledger.document, "frame": 1001}
        laid = services.parse(self.shot, self.ask("rebuild-element", **asked, element=other.pk).json()["ledger"])
        self.assertEqual(set(laid.elements), {"render v001 orrery close", "render v001 room close"})
        alone = self.ask("rebuild-first", **asked, by="light-groups", denoised=False, layers=False).json()["ledger"]
        self.assertEqual({row["source"].partition("/")[0] for row in alone["rows"]}, {"render v001 orrery wide"})
        again = self.ask("rebuild-first", **asked, by="light-groups", denoised=False, layers=True).json()["ledger"]
        self.assertEqual([row["id"] for row in again["rows"]], ["orrery", "room"])
        exported = self.ask("rebuild-export", **asked).json()
        self.assertEqual({entry["layer"] for entry in exported["files"]}, {"orrery", "room"})
        self.assertTrue(all(entry["folder"].startswith("render/v001") for entry in exported["files"]))

    def test_intake_reads_every_image_of_a_run(self):
        read = {call.args[0].name for call in self.reading.call_args_list}
        self.assertEqual(
            read, {f"render v001 {layer} {camera}" for layer in ("orrery", "room") for camera in ("wide", "close")}
        )


class Together(RebuildCase):
    """Two people change one ledger; the second save builds on what the first had replaced."""

    def save(self, mine, base, revision):
        return self.ask("rebuild-save", ledgerId=self.ledger.pk, ledger=mine, base=base, revision=revision)

    def test_changes_that_do_not_meet_are_joined(self):
        base = self.document
        theirs, mine = self.changed("emission", amount=0.5), self.changed("diffuse_direct", exposure=1)
        mine["rows"] = [*mine["rows"][1:], mine["rows"][0]]
        self.save(theirs, base, 1)
        self.client.force_login(self.artist)
        answer = self.save(mine, base, 1)
        self.assertEqual(answer.status_code, 409)
        told = answer.json()["error"]["theirs"]
        self.assertEqual(told["changes"], ["emission amount 1 → 0.5"])
        rows = {row["id"]: row for row in told["merged"]["rows"]}
        self.assertEqual((rows["emission"]["amount"], rows["diffuse_direct"]["exposure"]), (0.5, 1))
        self.assertEqual([row["id"] for row in told["merged"]["rows"]], [row["id"] for row in mine["rows"]])
        self.assertEqual(self.save(told["merged"], told["ledger"], told["revision"]).status_code, 200)

    def test_what_both_changed_is_asked_about(self):
        base = self.document
        self.save(self.changed("emission", amount=0.5), base, 1)
        told = self.save(self.changed("emission", amount=0.7), base, 1).json()["error"]["theirs"]
        self.assertEqual((told["merged"], told["meeting"]), (None, ["emission amount"]))
        removed = json.loads(json.dumps(base))
        removed["rows"] = [row for row in removed["rows"] if row["id"] != "emission"]
        told = self.save(removed, base, 1).json()["error"]["theirs"]
        self.assertEqual(told["meeting"], ["emission removed by one and changed by the other"])

    def test_a_document_that_was_not_saved_can_be_kept_as_a_version(self):
        mine = self.changed("emission", amount=0.7)
        kept = self.ask("rebuild-version", ledgerId=self.ledger.pk, ledger=mine, comment="mine").json()
        version = self.ledger.versions.get(number=kept["number"])
        self.assertEqual((version.document, version.comment), (services.parse(self.shot, mine).as_json(), "mine"))
        self.assertNotEqual(Ledger.objects.get(pk=self.ledger.pk).document, version.document)
