"""The Plan station: answers, saving, and plans that make no sense."""

import io
import os
from unittest import mock

import numpy as np
from PIL import Image as Pillow

from demo.conservatory import build_scene
from demo.load import SAMPLES, SHOTS, plan_of
from desk.jobs import engine, work
from desk.jobs.models import Task
from desk.plan import services
from desk.plan.kinds import begin_measuring
from desk.plan.models import MeasuredFrame, Plan, StoredPreset
from desk.scenes.services import facts_for
from desk.tests.world import HEIGHT, WIDTH, WorldCase
from prism.colour.spaces import CHROMATICITIES
from prism.errors import PrismError
from prism.formats.exr import write_exr
from prism.passes.catalogue import CATALOGUE
from prism.pixels.image import Image
from prism.plan.plan import Plan as Document
from prism.plan.presets import SHIPPED, Preset


class PlanCase(WorldCase):
    def setUp(self):
        super().setUp()
        self.give_scene(build_scene())
        plan = plan_of(SHOTS[0])
        self.sound = plan.replace(shot=plan.shot.replace(production="TST", code="TST_010")).as_json()

    def answer(self, **changes):
        return self.ask("plan-answer", plan=self.sound | changes)


class Plans(PlanCase):
    def test_a_plan_begins_with_the_shot(self):
        page = self.client.get(self.url("plan")).context["page"]
        self.assertEqual((page["plan"]["shot"]["code"], page["plan"]["shot"]["frames"]), ("TST_010", "1001-1004"))
        self.assertEqual(
            [camera["name"] for camera in page["scene"]["cameras"] if not camera["working"]], ["wide", "close"]
        )
        self.assertIn("camera.none", [finding["code"] for finding in page["answer"]["findings"]])
        self.assertEqual(Plan.objects.count(), 1)

    def test_the_demo_plan_is_sound(self):
        answer = self.answer().json()
        self.assertEqual(
            ([finding["code"] for finding in answer["findings"]], answer["count"]), (["quality.limited"], 2 * 48)
        )
        names = ("passes", "passes_denoised")
        self.assertEqual(
            answer["files"],
            [[f"render/v001/all/wide/TST_010_all_wide_{name}_v001.1001.exr", n] for n, name in enumerate(names)],
        )
        self.assertEqual(answer["columns"][0]["ways"], ["components", "light groups"])
        black = self.answer(layers=[{"name": "lines", "override": "matte-black"}]).json()
        self.assertEqual(black["columns"][0]["reasons"]["transmission"], "there is no glass material")
        self.assertNotIn("background", answer["lightGroups"][0]["carries"])

    def test_many_passes_layers_and_cameras_never_make_a_row_for_each_frame(self):
        layers = [{"name": f"layer{number}"} for number in range(6)]
        names = "{shot}/{layer}/{camera}/{pass}.{frame:04}.exr"
        answer = self.answer(
            layers=layers, cameras=["wide", "close"], names=names, packing={"rule": "each-pass"}
        ).json()
        passes, light, groups = 18, 10, 3  # light: the beauty and its components, denoised beside the noisy ones
        self.assertEqual(len(answer["files"]), 6 * 2 * (passes + groups + light + groups))
        self.assertEqual(answer["count"], 48 * len(answer["files"]))

    def test_a_plan_with_more_outputs_than_can_be_looked_at_opens_and_says_so(self):
        self.client.get(self.url("plan"))
        crowded = {
            "layers": [{"name": f"l{n}"} for n in range(200)],
            "cameras": ["wide", "close"],
            "passes": [kind.key for kind in CATALOGUE],
            "packing": {"rule": "each-pass"},
        }
        answer = self.answer(**crowded).json()
        self.assertEqual([finding["code"] for finding in answer["findings"]], ["size.outputs"])
        self.ask("plan-save", plan=self.sound | crowded, revision=1)
        self.assertEqual(self.client.get(self.url("plan")).status_code, 200)
        for name in ("plan-audit", "render-start"):
            self.assertEqual(self.ask(name, plan=self.sound | crowded).status_code, 422, name)
        self.assertEqual(self.client.get(self.url("plan")).status_code, 200)

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
        self.assertIn("TST_010_plan_v001.json", exported.headers["Content-Disposition"])
        self.assertEqual(exported.json(), self.sound)

    def test_two_pages_do_not_overwrite_each_other(self):
        self.client.get(self.url("plan"))
        self.ask("plan-save", plan=self.sound, revision=1)
        late = self.ask("plan-save", plan=self.sound | {"number": 9}, revision=1)
        self.assertEqual((late.status_code, late.json()["error"]["code"]), (409, "document.outdated"))
        self.assertEqual(Plan.objects.get().document["number"], 1)

    def test_without_a_scene_nothing_is_guessed(self):
        self.shot.scenes.all().delete()
        answer = self.answer(passes=["beauty", *self.sound["passes"][1:10]]).json()
        self.assertEqual([finding["code"] for finding in answer["findings"]], ["quality.limited"])

    def test_a_scene_that_cannot_be_read_hides_nothing_else(self):
        """As a later version of the schema might leave one behind."""
        self.shot.scenes.update(document={"format": "eager-prism.scene", "version": 2})
        broken = self.shot.scenes.get()
        broken.pk, broken.number = None, 2
        broken.save()
        page = self.client.get(self.url("plan"))
        self.assertContains(page, "The scene cannot be read")
        self.assertIn("field", page.context["page"]["sceneFault"]["where"])
        self.assertEqual(len(page.context["page"]["answer"]["files"]), 0)
        for name in ("render", "scene"):
            self.assertEqual(self.client.get(self.url(name)).status_code, 200)
        with self.assertRaises(PrismError):
            facts_for(self.shot, ())


class Versions(PlanCase):
    def setUp(self):
        super().setUp()
        self.client.get(self.url("plan"))
        self.ask("plan-save", plan=self.sound, revision=1)
        self.ask("plan-lock")

    def test_a_rendered_version_stays_and_a_change_makes_a_new_one(self):
        changed = self.sound | {"passes": ["beauty"]}
        refused = self.ask("plan-save", plan=changed, revision=2)
        self.assertEqual((refused.status_code, refused.json()["error"]["code"]), (409, "plan.locked"))
        self.assertEqual(self.ask("plan-save", plan=self.sound, revision=2).status_code, 200)
        self.assertEqual(self.ask("plan-save", plan=changed | {"number": 2}, revision=3).status_code, 200)
        page = self.client.get(self.url("plan"), {"version": 1}).context["page"]
        self.assertEqual((page["plan"], page["mayChange"], page["viewing"]), (self.sound, False, 1))
        self.assertEqual(self.client.get(self.url("plan-export"), {"version": 1}).json(), self.sound)
        self.assertEqual(self.client.get(self.url("plan"), {"version": 7}).status_code, 404)

    def test_copied_to_another_shot(self):
        """The other keeps its code, frames and size, and what it had is kept as a version."""
        other = self.make_shot("TST_020", frames="1-9", width=64, height=32)
        answer = self.ask("plan-copy", plan=self.sound, shot="TST_020").json()
        copy = services.parse(Plan.objects.get(shot=other).document)
        self.assertEqual((answer["number"], copy.number), (2, 2))
        self.assertEqual((copy.shot.code, copy.shot.frames, copy.shot.written_size), ("TST_020", "1-9", (64, 32)))
        self.assertEqual((copy.passes, copy.names), (tuple(self.sound["passes"]), self.sound["names"]))
        self.assertEqual([version.reason for version in other.plan.versions.all()], ["replaced"])
        self.assertEqual(self.ask("plan-copy", plan=self.sound, shot="ABC").status_code, 404)

    def test_compared_with_the_disk_by_a_worker(self):
        """Frame by frame; what was found belongs to the plan, the scene and the files it was made from."""
        plan = self.sound | {"number": 2, "passes": ["beauty"], "names": "render/{shot}_v{version}.{frame:04}.{suffix}"}
        plan["shot"] = plan["shot"] | {"frames": "1001-1003", "width": WIDTH, "height": HEIGHT}
        self.ask("plan-save", plan=plan, revision=2)
        write_exr(
            self.folder / "TST_010_v2.1001.exr",
            Image.of_planes(
                dict.fromkeys("RGBA", np.full((HEIGHT, WIDTH), 0.5, np.float16)),
                chromaticities=CHROMATICITIES["lin_rec709"],
            ),
        )
        self.render(1002, name="TST_010_v2")
        self.render(1001, name="TST_010_v1")  # of another version
        self.render(1003, name="stray")
        with mock.patch.object(engine, "top_up"):
            begun = self.ask("plan-audit", plan=plan).json()["audit"]
            self.assertEqual((begun["done"], begun["whole"], begun["open"]), (0, 3, True))
            while work.next_task("me"):
                pass
        audit = self.client.get(self.url("plan-audit")).json()["audit"]
        self.assertEqual((audit["complete"], audit["isOfNow"]), (True, True))
        kinds = {(deviation["code"], deviation["frames_text"]) for deviation in audit["deviations"]}
        self.assertLessEqual({("missing", "1003"), ("channels", "1002"), ("colour", "1002"), ("extra", "")}, kinds)
        self.assertNotIn("1001", {frames for _, frames in kinds})
        first = self.folder / "TST_010_v2.1001.exr"
        written = first.stat()
        for change in (lambda: os.utime(first, ns=(0, 0)), lambda: self.render(1003, name="TST_010_v2")):
            change()
            self.assertFalse(self.client.get(self.url("plan-audit")).json()["audit"]["isOfNow"])
            os.utime(first, ns=(written.st_atime_ns, written.st_mtime_ns))
        (self.folder / "TST_010_v2.1003.exr").unlink()
        self.assertTrue(self.client.get(self.url("plan-audit")).json()["audit"]["isOfNow"])
        self.ask("plan-save", plan=plan | {"number": 3}, revision=3)
        self.assertFalse(self.client.get(self.url("plan-audit")).json()["audit"]["isOfNow"])
        self.client.force_login(self.reviewer)
        self.assertEqual(self.ask("plan-audit", plan=plan).status_code, 403)

    def test_a_plan_from_a_file_takes_the_place_of_this_one(self):
        """Whole, as a new version; never merged. One without its defaults comes out like a full one."""
        bare = {"shot": {"production": "TST", "code": "TST_010", "frames": "7-9"}, "cameras": ["close"]}
        self.assertEqual(self.ask("plan-bring-in", plan=bare).status_code, 200)
        page = self.client.get(self.url("plan")).context["page"]
        full = Document.from_json(bare).replace(number=2).as_json()
        self.assertEqual((page["plan"], [version["number"] for version in page["versions"]]), (full, [1]))
        self.assertEqual(self.client.get(self.url("plan"), {"version": 1}).context["page"]["plan"], self.sound)
        self.assertEqual(self.ask("plan-bring-in", plan={"cameras": ["close"]}).status_code, 422)

    def test_a_plan_of_another_shot_is_taken_over_only_knowingly(self):
        foreign = self.sound | {"shot": self.sound["shot"] | {"code": "ORR_020", "production": "ORR"}}
        refused = self.ask("plan-save", plan=foreign | {"number": 9}, revision=2)
        self.assertEqual((refused.status_code, refused.json()["error"]["code"]), (409, "plan.foreign"))
        self.assertEqual(self.ask("plan-bring-in", plan=foreign).json()["error"]["code"], "plan.foreign")
        self.assertEqual(self.ask("plan-bring-in", plan=foreign, takeOver=True).status_code, 200)
        own = services.parse(Plan.objects.get().document)
        self.assertEqual((own.shot.production, own.shot.code, own.number), ("TST", "TST_010", 2))


class Libraries(PlanCase):
    def presets(self, **asked):
        return self.ask("plan-presets", **asked)

    def names(self):
        return {preset["name"] for preset in self.client.get(self.url("plan")).context["page"]["presets"]}

    def test_kept_renamed_duplicated_deleted(self):
        self.presets(action="keep", plan=self.sound, new="ours", purpose="what we do", base="everything")
        kept = Preset.from_json(self.client.get(self.url("plan-preset"), {"name": "ours"}).json())
        self.assertEqual(
            kept.settings,
            {
                "passes": self.sound["passes"],
                "quality.samples": SAMPLES,
                "quality.indirect_limit": 1.5,
                "quality.denoise": True,
            },
        )
        self.presets(action="duplicate", name="everything", new="base of ours")
        self.presets(action="keep", plan=self.sound, new="ours", base="base of ours")
        guarded = self.presets(action="delete", name="base of ours").json()["error"]
        self.assertIn("ours builds on it", guarded["what"])
        self.presets(action="rename", name="base of ours", new="ground")
        self.assertLess({"ours", "ground"}, self.names())
        self.assertEqual(StoredPreset.objects.get(name="ours").document["base"], "ground")
        for name in ("ours", "ground"):
            self.assertEqual(self.presets(action="delete", name=name).status_code, 200)
        self.assertEqual(self.names(), set(SHIPPED))

    def test_shipped_ones_stay_and_bad_ones_are_refused(self):
        for asked, text in (
            ({"action": "delete", "name": "light study"}, "is shipped"),
            ({"action": "keep", "new": "light study", "plan": self.sound}, "is shipped"),
            ({"action": "duplicate", "name": "light study", "new": "everything"}, "already"),
            (
                {"action": "bring-in", "preset": {"name": "x", "settings": {"quality.speed": 1}}},
                "settings: a preset cannot set",
            ),
            ({"action": "bring-in", "preset": {"name": "light study"}}, "already"),
            ({"action": "paint"}, "paint is not something"),
        ):
            with self.subTest(text):
                error = self.presets(**asked).json()["error"]
                self.assertIn(text, f"{error['where']}: {error['what']}")
        self.assertEqual(self.names(), set(SHIPPED))

    def test_a_plan_shows_that_its_preset_moved_on(self):
        self.presets(action="keep", plan=self.sound, new="ours")
        resolved = next(
            preset
            for preset in self.presets(action="keep", plan=self.sound, new="two").json()["presets"]
            if preset["name"] == "ours"
        )
        plan = self.sound | {"applied": {"name": "ours", "settings": resolved["settings"]}}
        self.assertFalse(self.ask("plan-answer", plan=plan).json()["movedOn"])
        self.presets(action="keep", plan=self.sound | {"passes": ["beauty"]}, new="ours")
        moved = self.ask("plan-answer", plan=plan).json()
        self.assertEqual((moved["movedOn"], moved["differences"]), (True, []))

    def test_own_sizes(self):
        self.ask("plan-sizes", title="dome", width=4096, height=4096)
        sizes = self.client.get(self.url("plan")).context["page"]["sizes"]
        self.assertEqual(
            sizes[-1], {"aspect": "own sizes", "sizes": [{"title": "dome", "width": 4096, "height": 4096}]}
        )
        self.assertEqual(self.ask("plan-sizes", title="no", width=0, height=1).status_code, 422)
        self.assertNotIn("own sizes", str(self.ask("plan-sizes", action="drop", title="dome").json()))

    def test_measuring_asked_for_twice_is_begun_once_for_each_camera(self):
        with mock.patch.object(engine, "top_up"):
            for camera in ("wide", "wide", "close", "wide"):
                self.assertEqual(self.ask("plan-measure", camera=camera).status_code, 200)
        self.assertEqual(sorted(Task.objects.values_list("title", flat=True)), ["close", "wide"])

    def test_reviewers_change_nothing(self):
        self.client.get(self.url("plan"))
        self.client.force_login(self.reviewer)
        for name in ("plan-save", "plan-lock", "plan-presets", "plan-sizes", "plan-measure"):
            with self.subTest(name):
                self.assertEqual(
                    self.ask(name, plan=self.sound, revision=1, action="delete", name="x").status_code, 403
                )
        self.assertFalse(self.client.get(self.url("plan")).context["page"]["mayChange"])

    def test_reviewers_start_no_costly_work(self):
        self.client.get(self.url("plan"))
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.get(self.url("scene-picture", camera="wide")).status_code, 404)
        self.assertEqual(Task.objects.count(), 0)
        crowded = {"layers": [{"name": f"l{n}"} for n in range(200)]}
        answered = self.answer(**crowded).json()["files"]  # of the plan that is there, whatever was sent
        self.assertLess(len(answered), 10)
        for name in ("plan-audit", "plan-measure", "render-start"):
            self.assertEqual(self.ask(name, plan=self.sound, camera="wide").status_code, 403, name)
        with mock.patch("desk.scenes.services._depth", return_value=np.ones((4, 4), np.float32)) as drawn:
            for frame in range(1, 900, 50):  # none of the shot's
                self.client.get(
                    self.url("plan-mist"), {"camera": "wide", "near": 3, "far": 10, "power": 1, "frame": frame}
                )
        self.assertEqual({call.args[1] for call in drawn.call_args_list}, {1001})


class Views(PlanCase):
    def test_side_and_mist(self):
        side = self.client.get(self.url("plan-side"), {"camera": "wide"}).json()
        self.assertIn("zodiac", [outline["name"] for outline in side["outlines"]])
        asked = {"camera": "wide", "near": 3, "far": 10, "power": 1}
        picture = Pillow.open(io.BytesIO(self.client.get(self.url("plan-mist"), asked).content))
        clear = Pillow.open(
            io.BytesIO(self.client.get(self.url("plan-mist"), asked | {"near": 900, "far": 907}).content)
        )
        self.assertEqual((picture.size, picture.getpixel((160, 10))), ((320, 180), (255, 255, 255)))
        self.assertEqual(np.asarray(clear)[90:].max(), 0)  # nothing in the lower half is 900 m away
        for name, bad in (("plan-mist", asked | {"far": 0}), ("plan-side", {"camera": "lost"})):
            self.assertEqual(
                self.client.get(self.url(name), bad, headers={"accept": "application/json"}).status_code, 422
            )

    def test_mist_of_a_scene_deleted_while_it_waits(self):
        waiting = mock.MagicMock()
        waiting.__enter__.side_effect = lambda: self.shot.scenes.all().delete()
        asked = {"camera": "wide", "near": 3, "far": 11, "power": 1}
        with mock.patch("desk.scenes.services._drawing", waiting):
            self.assertEqual(self.client.get(self.url("plan-mist"), asked).status_code, 200)
        refused = self.client.get(self.url("plan-mist"), asked, headers={"accept": "application/json"})
        self.assertEqual(refused.status_code, 422)

    def test_time_comes_from_frames_that_were_measured(self):
        self.assertIsNone(self.answer().json()["time"])
        begin_measuring(self.shot, "wide", self.artist)
        self.work_all()
        measured = MeasuredFrame.objects.get()
        scale = 960 * 540 * SAMPLES / (measured.width * measured.height * measured.samples)
        time = self.answer().json()["time"]
        self.assertAlmostEqual(time["perFrame"], measured.seconds * scale, places=6)
        self.assertAlmostEqual(time["total"], 48 * time["perFrame"], places=4)
        self.assertIn("wide 1001 at 240 × 136, 4 samples", time["basis"])

    def test_names_read_back(self):
        plan = self.sound | {
            "names": "{shot}/{pass}/{shot}_{pass}_v{version:03}.{frame:04}.{suffix}",
            "packing": {"rule": "each-pass"},
        }
        expected = {"shot": "TST_010", "pass": "diffuse_direct", "version": 12, "frame": 7, "suffix": "exr"}
        for path in (
            "TST_010_diffuse_direct_v012.0007.exr",
            "/far/TST_010/diffuse_direct/TST_010_diffuse_direct_v012.0007.exr",
        ):
            self.assertEqual(self.ask("plan-name", plan=plan, path=path).json()["values"], expected)
        self.assertIsNone(self.ask("plan-name", plan=plan, path="TST_010_glow_v012.0007.exr").json()["values"])
