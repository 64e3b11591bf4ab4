"""Set up from nothing: accounts, productions, members, shots and their scenes."""

import dataclasses
import json
import os
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import Client, TestCase
from django.urls import reverse

from demo import load
from demo.conservatory import build_scene
from desk.accounts import services as accounts
from desk.elements.services import frames_on_disk
from desk.jobs import engine
from desk.jobs.models import GOOD, Job, Task
from desk.scenes import services as scenes
from desk.shots.models import Membership, Production, Shot
from desk.tests.world import WorldCase, log_in
from prism.errors import BadArgument, BadDocument
from prism.plan.plan import Plan
from prism.scenes.sheet import FactsSheet

SHEET = {
    "format": "eager-prism.scene-facts",
    "name": "elsewhere",
    "materials": [{"name": "wood", "carries": ["diffuse", "specular"]}, {"name": "screen", "carries": ["emission"]}],
    "groups": [
        {"name": "desk", "materials": ["wood", "screen"]},
        {"name": "fan", "materials": ["wood"], "moves": True},
    ],
    "lights": [{"name": "window", "kind": "sky", "label": "day"}, {"name": "bulb", "kind": "unseen"}],
    "cameras": [{"name": "main", "near": 1, "far": 9}, {"name": "persp", "working": True}],
}


class FromNothing(TestCase):
    def test_three_steps_from_an_empty_house_to_a_shot(self):
        _owner, one_time = accounts.create("owner", may_set_up=True)
        client = Client()
        self.assertTrue(log_in(client, "owner", one_time))
        self.assertRedirects(client.get("/"), reverse("password"))
        asked = client.get("/", headers={"accept": "application/json"})
        self.assertEqual(
            (asked.status_code, asked.json()["error"]["what"]), (403, "Choose a password of your own first.")
        )
        weak = client.post(reverse("password"), {"new_password1": "abc", "new_password2": "abc"})
        self.assertEqual(weak.status_code, 422)
        client.post(reverse("password"), {"new_password1": "seven-lamps", "new_password2": "seven-lamps"})
        self.assertContains(client.get("/"), "Make a production")

        made = client.post(reverse("production-new"), {"code": "NEW", "title": "A new one"})
        self.assertRedirects(made, reverse("production", kwargs={"production": "NEW"}))
        fields = {
            "code": "NEW_010",
            "title": "first",
            "frames": "1-5",
            "rate": "25",
            "size": "1998x1080",
            "space": "acescg",
            "camera": "main",
        }
        address = {"production": "NEW", "shot": "NEW_010"}
        self.assertRedirects(client.post(made.url, fields), reverse("scene", kwargs=address))
        shot = Shot.objects.get()
        plan = Plan.from_json(shot.plan.document)
        self.assertEqual(
            (plan.shot.written_size, plan.shot.space, plan.shot.rate, plan.cameras),
            ((1998, 1080), "acescg", 25, ("main",)),
        )
        self.assertContains(client.get("/"), "1-5 · 25 fps · 1998 × 1080 · ACEScg")
        self.assertEqual(client.get(reverse("plan", kwargs=address)).status_code, 200)

        for wrong, text in (
            ({"code": "NEW_010"}, "There is a shot NEW_010 already"),
            ({"code": "a b"}, "Letters, digits"),
            ({"code": "X", "frames": "5-x"}, "is not a frame"),
            ({"code": "X", "width": "20"}, "Give both sides"),
        ):
            with self.subTest(text):
                page = client.post(made.url, fields | wrong)
                self.assertContains(page, text, status_code=422)
        self.assertEqual(Shot.objects.count(), 1)

    def test_the_first_account_is_made_once(self):
        call_command("prepare", "--empty", verbosity=0)
        call_command("prepare", "--empty", verbosity=0)
        self.assertEqual(list(get_user_model().objects.values_list("username", "is_staff")), [("owner", True)])
        self.assertFalse(Production.objects.exists())


class Demo(WorldCase):
    def test_an_account_that_was_deleted_stays_deleted(self):
        users = get_user_model().objects
        with mock.patch("demo.load.SHOTS", ()), mock.patch.dict(os.environ, EAGER_DEMO_PASSWORD="made-for-this"):
            call_command("load_demo")
            self.assertTrue(users.get(username="demo").check_password("made-for-this"))
            users.get(username="demo").delete()
            call_command("load_demo")
        self.assertFalse(users.filter(username="demo").exists())

    def test_a_small_machine_is_not_kept_busy(self):
        wide = load.SHOTS[0]
        self.assertEqual([load.frames_of(wide, cores) for cores in (2, 3)], ["1001-1008", "1001-1048"])

    def test_a_worker_renders_its_shots_and_makes_their_ledgers(self):
        """Small, and of two frames; put back as it was, it finds its frames as they are."""
        small = build_scene().replace(size=(32, 18))
        shots = tuple(dataclasses.replace(shot, frames="1001-1002", few="1001-1002") for shot in load.SHOTS)
        for place in ("demo.load", "desk.house.management.commands.load_demo"):
            self.enterContext(mock.patch(f"{place}.build_scene", return_value=small))
        self.enterContext(mock.patch("demo.load.SHOTS", shots))
        for arguments in ((), ("--again",)):
            call_command("load_demo", *arguments, stdout=StringIO())
            self.work_all()
            self.assertEqual([task.log for task in Task.objects.exclude(state__in=GOOD)], [])
            shots = Shot.objects.filter(production__code="ORR").order_by("code")
            self.assertEqual([shot.ledgers.get().versions.count() for shot in shots], [3, 2])
            self.assertEqual(
                [[len(frames_on_disk(element)) for element in shot.elements.all()] for shot in shots], [[2], [2, 48]]
            )


class Accounts(WorldCase):
    def setUp(self):
        super().setUp()
        self.owner = get_user_model().objects.create_user("olga", password="light-and-shade", is_staff=True)

    def test_made_closed_and_opened_by_those_who_set_up(self):
        self.assertEqual(self.client.get(reverse("accounts")).status_code, 403)
        self.client.force_login(self.owner)
        page = self.client.post(reverse("accounts"), {"name": "nell"})
        password = page.context["made"]["password"]
        self.assertTrue(log_in(Client(), "nell", password))
        nell = get_user_model().objects.get(username="nell")
        change = reverse("account-change", kwargs={"pk": nell.pk})
        again = self.client.post(change, {"action": "reset"}).context["made"]["password"]
        self.assertFalse(log_in(Client(), "nell", password))
        self.assertTrue(log_in(Client(), "nell", again))
        self.client.post(change, {"action": "close"})
        self.assertFalse(log_in(Client(), "nell", again))
        self.assertContains(
            self.client.post(reverse("accounts"), {"name": "nell"}), "There is an account nell", status_code=422
        )
        own = reverse("account-change", kwargs={"pk": self.owner.pk})
        self.assertContains(self.client.post(own, {"action": "close"}), "Your own account stays", status_code=422)

    def test_a_password_is_changed_with_the_old_one(self):
        new = {"new_password1": "seven-lamps", "new_password2": "seven-lamps"}
        self.assertContains(
            self.client.post(reverse("password"), new), "current password is not right", status_code=422
        )
        self.client.post(reverse("password"), new | {"old_password": "light-and-shade"})
        self.assertTrue(log_in(Client(), "ada", "seven-lamps"))


class Productions(WorldCase):
    def setUp(self):
        super().setUp()
        Membership.objects.filter(user=self.artist).update(role=Membership.Role.OWNER)
        self.page = reverse("production", kwargs={"production": "TST"})

    def member(self, name, role):
        return self.client.post(
            reverse("production-members", kwargs={"production": "TST"}), {"name": name, "role": role}, follow=True
        )

    def test_members_and_roles(self):
        self.assertContains(self.member("nobody", "artist"), "There is no account nobody")
        self.member("sam", "artist")
        self.assertTrue(self.shot.can_be_changed_by(self.stranger))
        self.member("sam", "reviewer")
        self.assertFalse(self.shot.can_be_changed_by(self.stranger))
        self.member("sam", "out")
        self.assertFalse(Shot.objects.visible_to(self.stranger).exists())
        self.assertContains(self.member("ada", "artist"), "keeps at least one owner")
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.get(self.page).status_code, 200)
        self.assertEqual(self.client.post(self.page, {"code": "X"}).status_code, 403)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(self.page).status_code, 404)

    def test_renamed_files_stay_and_new_versions_get_the_new_code(self):
        self.with_ledger()
        self.client.post(self.url("shot-settings"), {"action": "rename", "code": "TST_015", "title": "Renamed"})
        self.shot = Shot.objects.get(code="TST_015")
        self.assertEqual((self.shot.folder, self.shot.settings.code), ("TST/TST_010", "TST_015"))
        page = self.client.get(reverse("rebuild", kwargs={"production": "TST", "shot": "TST_015"}))
        self.assertEqual(page.context["page"]["frames"], [1001, 1002])

    def test_copied_with_plan_and_scene_and_archived(self):
        self.give_scene(build_scene())
        answer = self.client.post(self.url("shot-settings"), {"action": "copy", "code": "TST_030", "title": ""})
        copy = Shot.objects.get(code="TST_030")
        self.assertRedirects(answer, reverse("shot-settings", kwargs={"production": "TST", "shot": "TST_030"}))
        self.assertEqual(
            (copy.settings.code, copy.settings.frames, copy.folder), ("TST_030", "1001-1004", "TST/TST_030")
        )
        self.assertEqual(copy.scenes.get().fingerprint, self.shot.scenes.get().fingerprint)
        taken = self.client.post(self.url("shot-settings"), {"action": "copy", "code": "TST_030", "title": ""})
        self.assertContains(taken, "There is a shot TST_030 already", status_code=422)
        self.client.post(self.url("shot-settings"), {"action": "archive"})
        self.assertNotContains(self.client.get("/"), "TST_010</h2>")
        self.client.post(self.url("shot-settings"), {"action": "archive"})
        self.assertContains(self.client.get("/"), "TST_010</h2>")


class Scenes(WorldCase):
    def upload(self, data, name="scene.json"):
        text = data if isinstance(data, bytes) else json.dumps(data).encode()
        return self.client.post(self.url("scene"), {"file": SimpleUploadedFile(name, text)})

    @mock.patch.multiple(scenes, PREVIEW_SIZE=(32, 18), PICTURE_SAMPLES=1)
    def test_uploaded_described_and_drawn(self):
        var = Path(self.enterContext(TemporaryDirectory()))
        (var / "pictures").mkdir()
        self.enterContext(self.settings(VAR=var))
        self.assertContains(self.client.get(self.url("scene")), "Import a scene file")
        self.assertRedirects(self.upload(build_scene().as_json()), self.url("scene"), fetch_redirect_response=False)
        page = self.client.get(self.url("scene"))
        for text in ("arm_azure", "lantern_1", "desk_view", "only for working"):
            self.assertContains(page, text)
        job = Job.objects.get()
        self.assertEqual((job.kind, job.tasks.count()), ("look", 3))
        self.assertEqual(self.client.get(self.url("scene-picture", camera="wide")).status_code, 202)
        self.assertEqual(Job.objects.count(), 1)  # asked for again it is not drawn twice
        engine.cancel(job)
        self.assertEqual(self.client.get(self.url("scene-picture", camera="wide")).status_code, 404)
        self.assertEqual(Job.objects.count(), 1)  # and what was cancelled stays so, until Work begins it again
        engine.resume(job)
        self.assertEqual(self.client.get(self.url("scene-picture", camera="wide")).status_code, 202)
        self.work_all()
        drawn = self.client.get(self.url("scene-picture", camera="wide"))
        self.assertEqual((drawn.status_code, drawn["Content-Type"]), (200, "image/jpeg"), job.tasks.first().fault)

    def test_one_with_a_fault_changes_nothing(self):
        self.give_scene(build_scene())
        good = build_scene().as_json()
        cases = [
            (b"{", "This is not JSON"),
            ({"format": "picture"}, "neither a scene nor"),
            (good | {"shapes": [{**good["shapes"][0], "size": [0, 0, 0]}]}, "shapes.0.size.0"),
            (good | {"cameras": good["cameras"] * 2}, "cameras.3.name: there is another wide"),
            (b"[" * 5000, "deep in one another"),
        ]
        for data, text in cases:
            with self.subTest(text):
                self.assertContains(self.upload(data), text, status_code=422)
        self.assertEqual(self.shot.scenes.count(), 1)

    def test_from_the_storage_and_back_again(self):
        (self.root / "TST" / "mine.json").write_text(json.dumps(build_scene().as_json()))
        self.client.post(self.url("scene"), {"path": "TST/mine.json"})
        self.give_scene(build_scene().replace(name="newer"))
        self.assertEqual(scenes.current(self.shot).name, "newer")
        self.client.post(self.url("scene"), {"number": "1"})
        self.assertEqual(
            (scenes.current(self.shot).number, scenes.current(self.shot).name), (3, "The Orrery Conservatory")
        )
        exported = self.client.get(self.url("scene-export", number=2)).json()
        self.assertEqual(exported["name"], "newer")
        for path in ("/etc/passwd", "../x.json", "absent.json"):
            self.assertContains(
                self.client.post(self.url("scene"), {"path": path}), "no such file of this production", status_code=422
            )
        with self.assertRaises(BadArgument):
            scenes.take_back(self.shot, 9, None)

    def test_facts_of_another_renderer_plan_as_well(self):
        answer = self.ask("scene-facts", sheet=SHEET)
        self.assertEqual(answer.json()["number"], 1)
        plan = {
            "shot": {"production": "TST", "code": "TST_010", "frames": "1-4"},
            "cameras": ["main", "persp"],
            "passes": ["beauty", "transmission", "emission", "motion_forward", "light_group"],
        }
        found = self.ask("plan-answer", plan=plan).json()
        codes = {finding["code"]: finding["what"] for finding in found["findings"]}
        self.assertEqual(codes["pass.pointless"], "transmission would come out all black.")
        self.assertIn("camera.working-view", codes)
        self.assertEqual([light["label"] for light in found["lightGroups"]], ["day", "rest"])
        self.assertContains(self.client.get(self.url("scene")), "elsewhere")
        started = self.ask("render-start")
        self.assertIn("no scene that can be rendered here", started.json()["error"]["what"])
        for wrong, text in (
            ({"groups": [{"name": "a", "materials": ["tin"]}]}, "groups.0.materials: there is no material tin"),
            ({"cameras": []}, "cameras"),
            ({"lights": [{"name": "a"}, {"name": "a"}]}, "lights.1.name"),
        ):
            error = self.ask("scene-facts", sheet=SHEET | wrong).json()["error"]
            self.assertIn(text, f"{error['where']} {error['what']}")
        with self.assertRaises(BadDocument):
            FactsSheet.from_json(SHEET | {"fog": "maybe"})
