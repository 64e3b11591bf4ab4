"""Shots list, station marks, and Intake."""

import io
import os
from unittest import mock

import numpy as np
from django.urls import reverse
from PIL import Image as Pillow

from desk.elements.models import Element, Place
from desk.elements.services import document_of, frames_on_disk, sources_of
from desk.intake import checks, services, thumbs
from desk.intake.looking import take_over
from desk.intake.models import FrameCheck
from desk.intake.services import choose, look_again
from desk.jobs import work
from desk.plan.models import Plan
from desk.stations.registry import stations
from desk.tests.world import WorldCase
from prism.formats.exr import write_exr
from prism.pixels.image import Image
from prism.tests.damaged import odd_files


class Shots(WorldCase):
    def test_an_empty_shot_says_what_to_do(self):
        self.assertContains(self.client.get("/"), "no frames yet")
        self.assertRedirects(self.client.get(self.url("shot")), self.url("intake"))
        self.assertContains(self.client.get(self.url("rebuild")), "Render the plan")
        self.assertContains(self.client.get(self.url("hand-off")), "no ledger yet")
        self.assertEqual(self.client.get(self.url("shot-picture")).status_code, 404)

    def test_a_shot_with_frames(self):
        self.with_ledger()
        self.assertContains(self.client.get("/"), "2 of 4 frames: 1001-1002")
        self.assertRedirects(self.client.get(self.url("shot")), self.url("rebuild"))
        picture = self.client.get(self.url("shot-picture"))
        self.assertEqual(picture.headers["Content-Type"], "image/jpeg")
        self.assertEqual(picture.content[:2], b"\xff\xd8")
        # What the ledger makes of it: dark once every row is off, and bright with a step that lifts it.
        ledger = self.shot.ledgers.get()
        mean = lambda: np.asarray(Pillow.open(io.BytesIO(self.client.get(self.url("shot-picture")).content))).mean()  # noqa: E731
        rendered = mean()
        ledger.document = ledger.document | {"rows": [row | {"on": False} for row in ledger.document["rows"]]}
        ledger.save()
        self.assertLess(mean(), 0.2 * rendered)
        lift = {"id": "lift", "kind": "grade", "offset": [0.5, 0.5, 0.5]}
        ledger.document = ledger.document | {"finish": [lift]}
        ledger.save()
        self.assertGreater(mean(), 60)

    def test_the_list_stays_small_whatever_the_frames(self):
        """20,000 planned, every third there."""
        self.with_ledger()
        plan = Plan.objects.get(shot=self.shot)
        plan.document = plan.document | {"shot": plan.document["shot"] | {"frames": "1-20000"}}
        plan.save()
        there = ",".join(map(str, range(1, 20001, 3)))
        document = self.element.document
        passes = [entry | {"files": entry["files"] | {"frames": there}} for entry in document["passes"]]
        Element.objects.filter(pk=self.element.pk).update(document=document | {"passes": passes})
        page = self.client.get(reverse("shots"))
        self.assertContains(page, "6667 of 20000 frames")
        self.assertLess(len(page.content), 60_000)

    def test_marks_tell_what_is_there(self):
        def marks():
            return {station.slug: station.state for station in stations(self.shot)}

        self.assertEqual(set(marks().values()), {"untouched"})
        self.with_ledger()
        self.assertEqual(
            (marks()["intake"], marks()["rebuild"], marks()["hand-off"]), ("in work", "in work", "untouched")
        )
        checks.begin(self.element, self.artist)
        self.work_all()
        self.assertEqual(marks()["intake"], "needs attention")  # two frames of four are missing
        for frame in (1003, 1004):
            self.render(frame)
        self.look_again()
        checks.begin(self.shot.elements.get(), self.artist)
        self.work_all()
        self.assertEqual(marks()["intake"], "done")

    def test_the_station_to_come_is_honest(self):
        self.assertContains(self.client.get(self.url("finish")), "No picture to finish yet")

    def test_an_unknown_shot(self):
        answer = self.client.get("/shots/TST/NOPE/rebuild/")
        self.assertContains(answer, "Page not found", status_code=404)


class Intake(WorldCase):
    def bring(self, folder, name=""):
        return self.ask("intake-bring", folder=str(folder), name=name)

    def act(self, action, **body):
        return self.ask("intake-act", action=action, **body).json()

    def state(self):
        return self.client.get(self.url("intake-state")).json()

    def test_what_was_read_in_another_way_is_read_again_when_the_page_opens(self):
        """As after an update of the application, whatever asked for it."""
        self.render(1001)
        self.bring("TST/TST_010/render")
        self.work_all()
        FrameCheck.objects.update(document="of before")
        self.client.get(self.url("intake"))
        self.work_all()
        (element,) = self.state()["elements"]
        self.assertEqual((element["checked"], element["reading"]), (1, 0))
        self.client.get(self.url("intake"))
        self.assertFalse(self.state()["busy"])

    def test_a_folder_is_brought_in_looked_at_and_read(self):
        self.render(1001)
        self.render(1003)
        self.assertEqual(self.bring("TST/TST_010/render", "v001").json()["places"][0]["looking"], True)
        self.work_all()
        (element,) = self.state()["elements"]
        self.assertEqual((element["name"], element["frames"], element["checked"]), ("v001", "1001,1003", 2))
        self.assertEqual(element["sequences"][0]["gaps"], "1002")
        self.assertIn("diffuse, direct", [pass_["title"] for pass_ in element["passes"]])
        missing = [f["frames"] for f in element["findings"] if f["code"] == "missing"]
        self.assertEqual(missing, [[1002, 1004]])  # said once, though it is a gap as well
        self.assertContains(self.client.get(self.url("intake")), "TST_010.####.exr")
        self.assertEqual(frames_on_disk(self.shot.elements.get()), [1001, 1003])
        self.assertIsNone(checks.begin(self.shot.elements.get(), self.artist))  # nothing changed, nothing is read again
        self.render(1003, seed=9)
        self.client.get(self.url("intake"))  # which notices it
        self.assertTrue(self.state()["busy"])
        work.next_task("me")
        (element,) = self.state()["elements"]
        self.assertEqual((element["checked"], element["reading"]), (1, 1))  # what was said of 1003 is taken back
        self.work_all()
        self.assertEqual(self.state()["elements"][0]["checked"], 2)
        (self.folder / "TST_010.1001.exr").unlink()
        (self.folder / "TST_010.1001.exr").symlink_to(self.root / "secret.exr")
        (self.root / "secret.exr").write_bytes((self.folder / "TST_010.1003.exr").read_bytes())
        checks.begin(self.shot.elements.get(), self.artist)
        self.work_all()
        self.assertEqual(self.shot.elements.get().checks.count(), 1)  # a link out of the production is not read

    def test_what_changes_while_it_is_read_is_read_again(self):
        """The pass is said to be another, and a file comes, just when a worker has read what was there before."""
        self.render(1001)
        self.bring(self.folder)
        self.work_all()
        changes = [
            lambda: choose(self.shot.elements.get(), "diffuse_direct", self.artist, state="straight"),
            lambda: self.render(1001, seed=9),
        ]
        for change in changes:
            self.render(1001, seed=5)
            checks.begin(self.shot.elements.get(), self.artist)
            with mock.patch.object(checks, "check_frame", self.followed_by(checks.check_frame, change)):
                self.work_all()
            self.assertEqual((self.state()["elements"][0]["checked"], self.state()["busy"]), (1, False))
            self.assertIsNone(checks.begin(self.shot.elements.get(), self.artist))

    def test_a_file_that_comes_while_the_folder_is_looked_at(self):
        self.render(1001)
        place = Place.objects.create(shot=self.shot, folder=str(self.folder), name="render")
        look_again(place, self.artist)

        def comes():
            self.render(1002)
            look_again(place, self.artist)

        with mock.patch.object(services, "look", self.followed_by(services.look, comes)):
            self.work_all()
        self.assertEqual(frames_on_disk(self.shot.elements.get()), [1001, 1002])

    def followed_by(self, work, change):
        """A piece of work, and a change at its end the first time."""
        changes = [change]

        def both(*given, **how):
            done = work(*given, **how)
            if changes:
                changes.pop()()
            return done

        return both

    def test_folders_that_cannot_be_brought_in(self):
        for folder in ("absent", "/etc", "", "TST/../.."):
            with self.subTest(folder):
                answer = self.bring(folder)
                self.assertEqual((answer.status_code, answer.json()["error"]["code"]), (422, "file.unreadable"))
        self.assertFalse(self.shot.places.exists())
        (self.folder / "a.0001.exr").write_text("no picture")
        self.bring(self.folder)
        self.work_all()
        (place,) = self.state()["places"]
        self.assertEqual((place["elements"], place["report"]["faults"][0]["what"]), (0, "This is not an OpenEXR file."))

    def test_the_browser_shows_folders_with_counts_and_stays_inside(self):
        self.render(1001)
        listing = self.client.get(self.url("intake-folders"), {"at": "TST/TST_010"}).json()
        self.assertEqual([(f["name"], f["pictures"]) for f in listing["folders"]], [("render", 1)])
        top = self.client.get(self.url("intake-folders"), {"at": listing["above"]}).json()
        self.assertEqual(top["above"], "")
        self.assertEqual(self.client.get(self.url("intake-folders"), {"at": "/etc"}).status_code, 422)

    def test_a_name_is_given_once(self):
        self.render(1001)
        self.bring_in(name="a")
        self.assertEqual(self.bring(self.folder, "a").status_code, 422)

    def test_removing_forgets_but_leaves_the_files(self):
        path = self.render(1001)
        element = self.bring_in()
        self.act("remove", element=element.pk)
        self.assertFalse(self.shot.elements.exists() or self.shot.places.exists())
        self.assertTrue(path.exists())

    def test_an_element_with_a_ledger_goes_and_the_ledger_takes_another(self):
        ledger = self.with_ledger()
        again = self.root / "TST" / "TST_010" / "again"
        again.mkdir()
        (again / "TST_010.1001.exr").write_bytes((self.folder / "TST_010.1001.exr").read_bytes())
        other = self.bring_in(again, "other")
        self.act("remove", element=self.element.pk)
        page = self.client.get(self.url("rebuild"))
        self.assertContains(page, "was removed from the shot")
        self.assertContains(page, "Apply the ledger to other")
        self.assertEqual(self.client.get(self.url("hand-off")).status_code, 200)
        self.client.post(self.url("rebuild-lay", ledger=ledger.pk, element=other.pk))
        page = self.client.get(self.url("rebuild")).context["page"]
        self.assertEqual({row["source"].partition("/")[0] for row in page["ledger"]["rows"]}, {"other"})

    def test_files_that_went_away_are_said_once_they_are_looked_for(self):
        path = self.render(1001)
        self.render(1002)
        element = self.bring_in()
        path.unlink()
        self.look_again()
        element.refresh_from_db()
        self.assertEqual(frames_on_disk(element), [1002])
        (self.folder / "TST_010.1002.exr").unlink()
        self.look_again()
        self.assertFalse(self.shot.elements.exists())
        self.folder.rmdir()
        self.act("look", place=self.shot.places.get().pk)
        self.work_all()
        self.assertIn("no such folder", self.state()["places"][0]["report"]["gone"]["what"])

    def test_a_rule_is_kept_changed_and_taken_over(self):
        planes = {c: np.ones((4, 6), np.float16) for c in "RGB"}
        for name in ("shot_beauty", "shot_wibble"):
            write_exr(self.folder / f"{name}.1001.exr", Image.of_planes(planes))
        element = self.bring_in()
        self.assertIn("wibble", [pass_.key for pass_ in document_of(element).passes])
        self.act("rule", pattern="*wibble*", does="light", target="moon")
        self.work_all()
        element.refresh_from_db()
        self.assertIn("light_moon", [pass_.key for pass_ in document_of(element).passes])
        answer = self.ask("intake-act", action="rule", pattern="*x*", does="pass", target="nonsense")
        self.assertEqual((answer.status_code, answer.json()["error"]["code"]), (422, "document.bad"))
        other = self.make_shot("TST_020")
        self.assertEqual(take_over(other, self.shot), 1)
        self.assertEqual(str(other.name_rules.get()), "*wibble* is the light moon")
        self.act("unrule", rule=self.shot.name_rules.get().pk)
        self.assertFalse(self.shot.name_rules.exists())

    def test_a_choice_changes_what_is_read_and_findings_can_be_accepted(self):
        planes = {c: np.full((8, 9), 0.5, np.float16) for c in "RGBA"}
        write_exr(self.folder / "shot.1001.exr", Image.of_planes(planes))
        element = self.bring_in()
        key = f"{element.name}/beauty"
        self.assertEqual(float(sources_of([element], 1001).pixels(key).planes[0][0, 0]), 0.5)
        self.act("choose", element=element.pk, **{"pass": "beauty", "state": "straight"})
        self.work_all()
        element.refresh_from_db()
        self.assertEqual(float(sources_of([element], 1001).pixels(key).planes[0][0, 0]), 0.25)
        self.assertEqual(
            self.ask("intake-act", action="choose", element=element.pk, **{"pass": "beauty", "state": "x"}).status_code,
            422,
        )
        found = self.state()["elements"][0]["findings"]
        constant = next(finding for finding in found if finding["code"] == "constant")
        self.assertEqual(
            self.ask("intake-act", action="accept", element=element.pk, mark=constant["mark"], reason=" ").status_code,
            422,
        )
        state = self.act("accept", element=element.pk, mark=constant["mark"], reason="a test card")
        accepted = next(f for f in state["elements"][0]["findings"] if f["mark"] == constant["mark"])
        self.assertEqual((accepted["accepted"], accepted["by"]), ("a test card", "ada"))

    def test_reviewers_change_nothing(self):
        self.render(1001)
        element = self.bring_in()
        self.client.force_login(self.reviewer)
        self.assertEqual(self.bring(self.folder).status_code, 403)
        self.assertEqual(self.ask("intake-act", action="remove", element=element.pk).status_code, 403)
        self.assertEqual(self.client.get(self.url("intake")).status_code, 200)
        asked = {"pass": "depth", "frame": "1001"}
        thumb = self.client.get(self.url("intake-thumb", element=element.pk), asked, follow=True)
        self.assertEqual(thumb.content[:2], b"\xff\xd8")

    def test_small_pictures_are_made_when_a_frame_is_read_and_never_those_of_other_files(self):
        for frame in (1001, 1002):
            self.render(frame)
        element = self.bring_in()
        checks.begin(element, self.artist)
        self.work_all()
        address, beauty = self.url("intake-thumb", element=element.pk), {"pass": "beauty", "frame": "1001"}
        with mock.patch.object(thumbs, "sources_of", side_effect=AssertionError("opened")):
            for key in ("beauty", "depth", "emission"):
                self.assertEqual(self.client.get(address, beauty | {"pass": key}).status_code, 200)
        first = self.client.get(address, beauty).content
        for asked in (beauty | {"frame": "1002"}, beauty | {"width": "9"}):  # not shown on the page
            self.assertEqual(self.client.get(address, asked).status_code, 302)
            self.assertNotEqual(self.client.get(address, asked, follow=True).content, first)
            self.assertEqual(self.client.get(address, asked).status_code, 200)
        self.act("choose", element=element.pk, state="straight", **{"pass": "beauty"})
        element.refresh_from_db()
        self.assertIsNone(thumbs.cached(element, "beauty", 1001))
        self.work_all()
        self.assertIsNotNone(thumbs.cached(element, "beauty", 1001))
        self.render(1001, seed=5)
        self.assertIsNone(thumbs.cached(element, "beauty", 1001))


class BadFiles(WorldCase):
    """No file disables a shot: every page that lists it opens, says what is wrong, and lets it be set aside."""

    PAGES = ("plan", "render", "intake", "rebuild", "hand-off")

    def setUp(self):
        super().setUp()
        self.with_ledger()

    def open_all(self):
        self.assertEqual(self.client.get(reverse("shots")).status_code, 200)
        return {name: self.client.get(self.url(name)) for name in self.PAGES}

    def test_the_worst_files_beside_good_ones(self):
        odd = self.root / "odd"
        odd.mkdir()
        for name, path in odd_files(odd).items():
            with self.subTest(name):
                bad = self.folder / f"bad {path.name}"
                path.rename(bad)
                self.look_again()
                self.assertEqual({page.status_code for page in self.open_all().values()}, {200})
                bad.rename(path)

    def test_a_bad_file_beside_good_ones_is_said_and_set_aside(self):
        bad = self.folder / "extra.1001.exr"
        bad.write_bytes(b"RGBA")
        self.look_again()
        page = self.client.get(self.url("intake"))
        self.assertContains(page, "This is not an OpenEXR file")
        self.assertContains(page, "Ignore this file")
        self.assertEqual(self.client.get(self.url("rebuild")).status_code, 200)
        answer = self.client.post(self.url("intake-set-aside"), {"file": str(bad), "back": "rebuild"}, follow=True)
        self.assertContains(answer, "Set aside as .extra.1001.exr.")
        self.assertNotContains(answer, "This is not an OpenEXR file")
        self.assertEqual([path.read_bytes() for path in self.folder.glob(".extra*.aside")], [b"RGBA"])

    def test_the_only_file_of_a_frame(self):
        bad = self.folder / "TST_010.1001.exr"
        bad.write_bytes(b"RGBA")
        page = self.client.get(self.url("rebuild"))
        self.assertContains(page, "This frame cannot be rebuilt", status_code=422)
        self.assertContains(page, "?frame=1002", status_code=422)
        self.assertEqual(self.client.get(self.url("rebuild") + "?frame=1002").status_code, 200)
        self.client.post(self.url("intake-set-aside"), {"file": str(bad)})
        self.assertEqual(self.client.get(self.url("rebuild")).status_code, 200)

    def test_what_is_sound_or_elsewhere_or_not_ones_own_stays(self):
        sound = self.folder / "TST_010.1001.exr"
        elsewhere = self.root / "TST" / "note.exr"
        elsewhere.write_bytes(b"RGBA")
        for path in (sound, elsewhere, "/etc/hostname", "", "x" * 5000):
            self.assertEqual(self.client.post(self.url("intake-set-aside"), {"file": str(path)}).status_code, 422)
        self.assertTrue(sound.exists() and elsewhere.exists())
        bad = self.folder / "extra.1001.exr"
        bad.write_bytes(b"RGBA")
        self.look_again()
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.post(self.url("intake-set-aside"), {"file": str(bad)}).status_code, 403)
        self.assertNotContains(self.client.get(self.url("rebuild")), "Ignore this file")
        self.assertTrue(bad.exists())

    def test_a_name_that_is_not_utf_8(self):
        for frame in (1001, 1002):
            path = self.folder / f"TST_010.{frame}.exr"
            path.rename(self.folder / os.fsdecode(b"caf\xe9.%d.exr" % frame))
        self.look_again()
        made = self.shot.elements.exclude(pk=self.element.pk).get()
        checks.begin(made, self.artist)
        self.work_all()
        self.assertEqual(made.checks.count(), 2)
        self.assertFalse(checks.have_changed(made))
        self.client.post(self.url("rebuild-lay", ledger=self.ledger.pk, element=made.pk))
        self.assertEqual({page.status_code for page in self.open_all().values()}, {200})
        self.assertContains(self.client.get(self.url("rebuild") + "?frame=1002"), "page-data")
        (self.folder / os.fsdecode(b"caf\xe9.1002.exr")).write_bytes(b"RGBA")
        error = self.client.get(self.url("rebuild") + "?frame=1002").context["fault"]
        self.client.post(self.url("intake-set-aside"), {"file": error.where})
        self.assertEqual(self.client.get(self.url("rebuild") + "?frame=1002").context["page"]["frame"], 1001)
