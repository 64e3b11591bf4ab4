"""The Plan station: answers, saving, and plans that make no sense."""

import json

from demo.conservatory import build_scene
from demo.load import SHOTS, plan_of
from desk.plan import services
from desk.plan.models import Plan
from desk.tests.world import WorldCase
from prism.errors import PrismError


class PlanCase(WorldCase):
    def setUp(self):
        super().setUp()
        (self.root / "scene.json").write_text(json.dumps(build_scene().as_json()))
        self.shot.scene = "scene.json"
        self.shot.save()
        self.sound = plan_of(SHOTS[0]).as_json()

    def answer(self, **changes):
        return self.ask("plan-answer", plan=self.sound | changes)


class Plans(PlanCase):
    def test_a_plan_begins_with_the_shot(self):
        page = self.client.get(self.url("plan")).context["page"]
        self.assertEqual((page["plan"]["shot"]["code"], page["plan"]["shot"]["last"]), ("TST_010", 1004))
        self.assertEqual(page["cameras"], ["wide", "close"])
        self.assertIn("camera.none", [one["code"] for one in page["answer"]["findings"]])
        self.assertEqual(Plan.objects.count(), 1)

    def test_the_demo_plan_is_sound(self):
        answer = self.answer().json()
        self.assertEqual((answer["findings"], answer["count"], len(answer["files"])), ([], 48, 1))
        self.assertEqual(answer["files"][0]["name"], "ORR_010.1001.exr")

    def test_many_passes_layers_and_cameras_never_make_a_row_for_each_frame(self):
        layers = [{"name": f"layer{number}"} for number in range(6)]
        names = "{shot}/{layer}/{camera}/{pass}.{frame:04}.exr"
        answer = self.answer(
            layers=layers, cameras=["wide", "close"], names=names, packing={"rule": "each-pass"}
        ).json()
        self.assertEqual(len(answer["files"]), 6 * 2 * (14 + 3))  # 14 passes, and one for each of three light groups
        self.assertEqual(answer["count"], 48 * len(answer["files"]))

    def test_bad_plans_name_the_field_and_are_not_saved(self):
        self.client.get(self.url("plan"))
        for change, text in (
            ({"names": "{what}.exr"}, "Unknown field"),
            ({"passes": ["glow"]}, "unknown pass glow"),
            ({"layers": []}, "layers"),
        ):
            with self.subTest(text):
                error = self.answer(**change).json()["error"]
                self.assertIn(text, f"{error['where']} {error['what']}")
                saved = self.ask("plan-save", plan=self.sound | change, revision=1)
                self.assertEqual(saved.status_code, 422)
        self.assertEqual(Plan.objects.get().revision, 1)

    def test_saved_exported_and_read_again(self):
        self.client.get(self.url("plan"))
        self.assertEqual(self.ask("plan-save", plan=self.sound, revision=1).json(), {"revision": 2})
        exported = self.client.get(self.url("plan-export"))
        self.assertIn("TST_010_plan.json", exported.headers["Content-Disposition"])
        self.assertEqual(exported.json(), self.sound)

    def test_two_pages_do_not_overwrite_each_other(self):
        self.client.get(self.url("plan"))
        self.ask("plan-save", plan=self.sound, revision=1)
        late = self.ask("plan-save", plan=self.sound | {"number": 9}, revision=1)
        self.assertEqual((late.status_code, late.json()["error"]["code"]), (409, "document.outdated"))
        self.assertEqual(Plan.objects.get().document["number"], 1)

    def test_without_a_scene_nothing_is_guessed(self):
        self.shot.scene = ""
        self.shot.save()
        answer = self.answer(passes=["beauty", *self.sound["passes"][1:8], "volume", "subsurface"]).json()
        self.assertEqual(answer["findings"], [])

    def test_a_scene_file_that_went_away_is_named(self):
        self.shot.scene = "absent.json"
        self.shot.save()
        page = self.client.get(self.url("plan"))
        self.assertContains(page, "absent.json", status_code=422)
        with self.assertRaises(PrismError):
            services.facts_for(self.shot, services.parse(self.sound))
