"""Shots list, station marks, and Intake."""

import os

from django.urls import reverse

from desk.intake import services
from desk.shots.services import frames_on_disk, stations
from desk.tests.world import WorldCase
from prism.errors import BadArgument, PrismError, UnreadableFile
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

    def test_marks_tell_what_is_there(self):
        def marks():
            return {station.slug: station.state for station in stations(self.shot)}

        self.assertEqual(set(marks().values()), {"untouched"})
        self.with_ledger()
        self.assertEqual((marks()["intake"], marks()["rebuild"], marks()["hand-off"]), ("done", "in work", "untouched"))

    def test_the_station_to_come_is_honest(self):
        self.assertContains(self.client.get(self.url("finish")), "not built yet")

    def test_an_unknown_shot(self):
        answer = self.client.get("/shots/TST/NOPE/rebuild/")
        self.assertContains(answer, "nothing at this address", status_code=404)


class Intake(WorldCase):
    def post(self, folder, name=""):
        return self.client.post(self.url("intake"), {"folder": folder, "name": name}, follow=True)

    def test_a_folder_is_brought_in_and_listed(self):
        self.render(1001)
        self.render(1003)
        page = self.post("TST/TST_010/render", "v001")
        self.assertContains(page, "v001 is in.")
        self.assertContains(page, "TST_010.####.exr")
        self.assertContains(page, "1002,1004")
        self.assertContains(page, "diffuse, direct")
        self.assertEqual(frames_on_disk(self.shot.elements.get()), [1001, 1003])

    def test_bad_folders_change_nothing_and_keep_what_was_typed(self):
        (self.root / "TST" / "empty").mkdir()
        (self.root / "TST" / "text").mkdir()
        (self.root / "TST" / "text" / "a.0001.exr").write_text("no picture")
        cases = {
            "TST/empty": "no EXR sequence",
            "TST/text": "not an OpenEXR file",
            "absent": "no such folder",
            "/etc": "no such folder",
        }
        for folder, text in cases.items():
            with self.subTest(folder):
                page = self.client.post(self.url("intake"), {"folder": folder, "name": "kept name"})
                self.assertContains(page, text, status_code=422)
                self.assertContains(page, 'value="kept name"', status_code=422)
                self.assertNotContains(page, "Traceback", status_code=422)
        self.assertFalse(self.shot.elements.exists())

    def test_a_name_is_given_once(self):
        self.render(1001)
        services.bring_in(self.shot, str(self.folder), "a")
        with self.assertRaises(BadArgument):
            services.bring_in(self.shot, str(self.folder), "a")

    def test_removing_forgets_but_leaves_the_files(self):
        path = self.render(1001)
        element = services.bring_in(self.shot, str(self.folder))
        self.client.post(self.url("intake-remove", element=element.pk))
        self.assertFalse(self.shot.elements.exists())
        self.assertTrue(path.exists())

    def test_an_element_with_a_ledger_goes_and_the_ledger_takes_another(self):
        ledger = self.with_ledger()
        other = self.shot.elements.create(name="other", folder=str(self.folder))
        self.client.post(self.url("intake-remove", element=self.element.pk))
        page = self.client.get(self.url("rebuild"))
        self.assertContains(page, "was removed from the shot")
        self.assertContains(page, "Lay the ledger on other")
        self.assertEqual(self.client.get(self.url("hand-off")).status_code, 200)
        self.client.post(self.url("rebuild-lay", ledger=ledger.pk, element=other.pk))
        self.assertContains(self.client.get(self.url("rebuild")), "page-data")

    def test_files_that_went_bad_are_said(self):
        path = self.render(1001)
        element = self.bring_in()
        path.write_bytes(path.read_bytes()[:40])
        found = services.inventory(element)
        self.assertIsInstance(found.fault, UnreadableFile)
        self.assertContains(self.client.get(self.url("intake")), "TST_010.1001.exr")
        path.unlink()
        self.assertIsInstance(services.inventory(element).fault, PrismError)
        self.folder.rmdir()
        self.assertIsInstance(services.inventory(element).fault, PrismError)
        self.assertEqual(frames_on_disk(element), [])


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
                self.assertEqual({page.status_code for page in self.open_all().values()}, {200})
                bad.rename(path)

    def test_a_bad_file_beside_good_ones_is_said_and_set_aside(self):
        bad = self.folder / "extra.1001.exr"
        bad.write_bytes(b"RGBA")
        for name in ("rebuild", "intake"):
            page = self.client.get(self.url(name))
            self.assertContains(page, "This is not an OpenEXR file")
            self.assertContains(page, "Set this file aside")
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
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.post(self.url("intake-set-aside"), {"file": str(bad)}).status_code, 403)
        self.assertNotContains(self.client.get(self.url("rebuild")), "Set this file aside")
        self.assertTrue(bad.exists())

    def test_a_name_that_is_not_utf_8(self):
        self.render(1003).rename(self.folder / os.fsdecode(b"caf\xe9.1003.exr"))
        self.assertEqual({page.status_code for page in self.open_all().values()}, {200})
        self.assertContains(self.client.get(self.url("rebuild") + "?frame=1003"), "page-data")
        (self.folder / os.fsdecode(b"caf\xe9.1003.exr")).write_bytes(b"RGBA")
        error = self.client.get(self.url("rebuild") + "?frame=1003").context["fault"]
        self.client.post(self.url("intake-set-aside"), {"file": error.where})
        self.assertEqual(self.client.get(self.url("rebuild") + "?frame=1003").context["page"]["frame"], 1002)
