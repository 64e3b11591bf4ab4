"""Files sent in pieces, and the viewer's own answers."""

import io
import os
import time
from hashlib import sha256
from threading import Event, Lock
from unittest import mock

import numpy as np
from django.test import TransactionTestCase
from PIL import Image as Pillow

from desk.elements.models import Place
from desk.elements.services import document_of
from desk.intake import checks
from desk.intake.looking import look
from desk.intake.uploads import MOST_PIECE, SPARE, Coming, begin, take
from desk.tests.world import HEIGHT, WIDTH, Together, World, WorldCase
from prism.formats.exr import write_exr
from prism.pixels.image import Image


class Uploads(WorldCase):
    def begin(self, name, size, folder="sent", digest="0" * 64):
        return self.ask("intake-upload-begin", folder=folder, files=[{"name": name, "size": size, "digest": digest}])

    def begin_whole(self, name, whole):
        (entry,) = self.begin(name, len(whole), digest=sha256(whole).hexdigest()).json()["files"]
        return entry

    def piece(self, name, whole, at, length=None, folder="sent", digest=""):
        piece = whole[at : len(whole) if length is None else at + length]
        address = f"{self.url('intake-upload-piece')}?folder={folder}&name={name}&size={len(whole)}&at={at}"
        address += f"&digest={digest or sha256(whole).hexdigest()}"
        return self.client.post(
            address, piece, content_type="application/octet-stream", headers={"accept": "application/json"}
        )

    def test_a_file_in_pieces_taken_up_where_it_broke_off(self):
        whole = self.render(1001).read_bytes()
        self.assertEqual(self.begin_whole("a.1001.exr", whole)["at"], 0)
        self.assertEqual(self.piece("a.1001.exr", whole, 0, 100).json()["at"], 100)
        self.assertEqual(self.piece("a.1001.exr", whole, 0, 100).json()["at"], 100)  # sent twice: not kept twice
        self.assertEqual(
            self.piece("a.1001.exr", whole, 300, 50).json()["at"], 100
        )  # beyond a gap: told where to go on
        self.assertEqual(self.begin_whole("a.1001.exr", whole)["at"], 100)
        self.assertEqual(self.piece("a.1001.exr", whole, 100).json()["done"], True)
        folder = self.root / "TST" / "TST_010" / "uploads" / "sent"
        self.assertEqual([path.name for path in folder.iterdir()], ["a.1001.exr"])
        self.assertEqual((folder / "a.1001.exr").read_bytes(), whole)
        self.assertEqual(self.begin_whole("a.1001.exr", whole)["done"], True)
        for size in (len(whole), len(whole) + 1):
            self.assertIn("other contents", self.begin("a.1001.exr", size).json()["error"]["what"])

    def test_what_broke_off_is_waited_for_a_week(self):
        whole = self.render(1001).read_bytes()
        self.begin_whole("a.1001.exr", whole)
        self.piece("a.1001.exr", whole, 0, 100)
        week = 7 * 24 * 3600
        for age, at in ((week - 60, 100), (week + 60, 0)):
            (part,) = (self.root / "TST" / "TST_010" / "uploads" / "sent").iterdir()
            os.utime(part, times=(time.time() - age,) * 2)
            self.assertEqual(self.begin_whole("a.1001.exr", whole)["at"], at)

    def test_two_files_of_one_name_and_size_are_never_mixed(self):
        first, second = (self.render(1001, seed=seed).read_bytes().ljust(9000, b"\0") for seed in (1, 2))
        self.begin_whole("a.1001.exr", first)
        self.assertEqual(self.piece("a.1001.exr", first, 0, 500).json()["at"], 500)
        self.assertEqual(self.begin_whole("a.1001.exr", second)["at"], 0)
        self.assertTrue(self.piece("a.1001.exr", second, 0).json()["done"])
        folder = self.root / "TST" / "TST_010" / "uploads" / "sent"
        self.assertEqual((folder / "a.1001.exr").read_bytes(), second)
        self.assertIn("other contents", self.piece("a.1001.exr", first, 500).json()["error"]["what"])
        self.assertEqual((folder / "a.1001.exr").read_bytes(), second)

    def test_what_arrives_otherwise_than_it_was_sent_is_not_kept(self):
        whole = self.render(1001).read_bytes()
        meant = sha256(whole).hexdigest()
        self.begin_whole("a.1001.exr", whole)
        answer = self.piece("a.1001.exr", whole[:-1] + b"x", 0, digest=meant)
        self.assertIn("not what was sent", answer.json()["error"]["what"])
        self.assertEqual(list((self.root / "TST" / "TST_010" / "uploads" / "sent").iterdir()), [])
        self.assertTrue(self.piece("a.1001.exr", whole, 0, digest=meant).json()["done"])

    def test_a_full_disk_is_seen_before_and_on_the_way(self):
        whole = self.render(1001).read_bytes()
        self.begin_whole("a.1001.exr", whole)
        self.piece("a.1001.exr", whole, 0, 100)
        with mock.patch("desk.intake.uploads.free_bytes", return_value=SPARE):
            refused = (self.begin("b.exr", 9), self.piece("a.1001.exr", whole, 100))
        self.assertEqual([answer.json()["error"]["code"] for answer in refused], ["file.too-large"] * 2)
        self.assertTrue(self.piece("a.1001.exr", whole, 100).json()["done"])

    def test_what_is_no_picture_is_not_kept(self):
        self.begin("a.1001.exr", 9)
        answer = self.piece("a.1001.exr", b"not a one", 0)
        self.assertEqual((answer.status_code, answer.json()["error"]["code"]), (422, "file.unreadable"))
        self.assertEqual(list((self.root / "TST" / "TST_010" / "uploads" / "sent").iterdir()), [])

    def test_names_and_sizes_that_are_refused(self):
        for name, folder, size in (
            ("../a.exr", "sent", 9), ("a.exr", "../x", 9), (".a.exr", "sent", 9), ("a.sh", "sent", 9),
            ("a.exr", "sent", 0),
            ("a.exr", "sent", 1 << 50), ("", "sent", 9), ("a.exr", "", 9), ("a\x00.exr", "sent", 9),
        ):  # fmt: skip
            with self.subTest((name, folder, size)):
                self.assertEqual(self.begin(name, size, folder).status_code, 422)
        self.assertEqual(self.piece("a.exr", bytes(MOST_PIECE + 2), 0).status_code, 422)
        self.client.force_login(self.reviewer)
        self.assertEqual(
            (self.begin("a.exr", 9).status_code, self.piece("a.exr", b"123456789", 0).status_code), (403, 403)
        )
        self.assertFalse((self.root / "TST" / "TST_010" / "uploads").exists())


class LastWord(Together, World, TransactionTestCase):
    def test_findings_of_fewer_frames_do_not_replace_those_of_all(self):
        """A gathering begins after the first frame was read, is slow, and ends after one that knows the second as
        well."""
        self.build()
        for number in (1001, 1002):
            self.render(number)
        element = self.bring_in()
        checks.check(element.pk, 1001, lambda: False)
        slow, later, gathered, turns = Event(), Event(), checks.findings, Lock()

        def gather(*given, **more):
            if turns.acquire(blocking=False):
                slow.set()
                later.wait(2)  # in vain if the other waits for this one
            return gathered(*given, **more)

        def one():
            if begins.acquire(blocking=False):
                return checks.judge(element)
            slow.wait(20)
            checks.check(element.pk, 1002, lambda: False)
            judged = checks.judge(element)
            later.set()
            return judged

        begins = Lock()
        with mock.patch.object(checks, "findings", gather):
            self.together(one, count=2)
        self.assertEqual(checks.Judgement.objects.get(element=element).checked, 2)


class AtOnce(Together, World, TransactionTestCase):
    def setUp(self):
        super().setUp()
        self.build()

    def test_two_pages_that_send_the_same_file_make_one(self):
        whole = self.render(1001).read_bytes()
        coming = Coming("a.1001.exr", len(whole), sha256(whole).hexdigest())
        begin(self.shot, "sent", [coming])

        def send():
            at = 0
            while True:
                answer = take(self.shot, "sent", coming, at, whole[at : at + 500])
                if answer["done"]:
                    return answer["at"]
                at = answer["at"]

        self.assertEqual(set(self.together(send)), {len(whole)})
        folder = self.root / "TST" / "TST_010" / "uploads" / "sent"
        self.assertEqual([path.read_bytes() for path in folder.iterdir()], [whole])

    def test_a_place_looked_at_twice_at_once_has_each_element_once(self):
        for name in ("beauty", "emission"):
            self.render(1001, name=f"s_{name}_char")
            self.render(1001, name=f"s_{name}_set")
        place = Place.objects.create(shot=self.shot, folder=str(self.folder))
        names = self.together(lambda: sorted(element.name for element in look(Place.objects.get(pk=place.pk))), count=3)
        self.assertEqual({tuple(found) for found in names}, {("char", "set")})
        self.assertEqual(self.shot.elements.count(), 2)


class Browsing(WorldCase):
    def listed(self, at):
        return self.client.get(
            self.url("intake-folders"), {"at": str(at)}, headers={"accept": "application/json"}
        ).json()

    def test_links_hidden_folders_and_counts(self):
        own = self.root / "TST" / "TST_010"
        outside = self.root / "OTHER"
        (outside / "secret").mkdir(parents=True)
        (own / "link").symlink_to(outside)
        (own / ".hidden").mkdir()
        (own / "deep" / "er").mkdir(parents=True)
        for name in ("a.1.exr", "a.2.EXR", "b.png", "notes.txt", ".c.1.exr"):
            (own / "deep" / name).write_bytes(b"")
        found = {folder["name"]: folder for folder in self.listed(own)["folders"]}
        self.assertEqual(set(found), {"deep", "render"})
        self.assertEqual((found["deep"]["pictures"], found["deep"]["folders"]), (3, 1))
        self.assertEqual(self.listed(own / "link")["error"]["code"], "file.unreadable")
        self.assertEqual(self.listed(outside)["error"]["code"], "file.unreadable")
        self.assertEqual(self.listed("")["folder"], str(own))

    def test_a_link_among_the_pictures_is_left_out(self):
        outside = self.root / "secret.1001.exr"
        outside.write_bytes(self.render(1001).read_bytes())
        (self.folder / "link_depth.1001.exr").symlink_to(outside)
        element = self.bring_in()
        self.assertNotIn("link", " ".join(pass_.files.pattern for pass_ in document_of(element).passes))


class Viewer(WorldCase):
    def setUp(self):
        super().setUp()
        self.render(1001)
        self.render(1002)
        self.element = self.bring_in()

    def question(self, name, key="beauty", **body):
        subject = {"kind": "pass", "element": self.element.pk, "key": key}
        return self.ask(name, **{"subject": subject, "frame": 1001, "view": "srgb"} | body)

    def picture(self, **body):
        answer = self.question("look-picture", **body)
        self.assertEqual(answer.status_code, 200, answer.content)
        return np.asarray(Pillow.open(io.BytesIO(answer.content)).convert("RGB"))

    def test_every_pass_is_shown_in_its_way(self):
        shown = {key: self.picture(key=key) for key in ("beauty", "depth", "normals", "emission", "occlusion")}
        self.assertEqual({picture.shape for picture in shown.values()}, {(HEIGHT, WIDTH, 3)})
        self.assertEqual(len({picture.tobytes() for picture in shown.values()}), len(shown))
        ranged = self.picture(key="depth", remap={"near": 100, "far": 200})
        self.assertEqual((ranged.min(), ranged.max()), (255, 255))

    def test_marks_and_differences(self):
        marked = self.picture(marks=["over"])
        self.assertTrue((marked == (255, 120, 0)).all(axis=-1).any())
        self.assertFalse((self.picture() == (255, 120, 0)).all(axis=-1).any())
        same = {"subject": {"kind": "pass", "element": self.element.pk, "key": "beauty"}, "frame": 1001}
        self.assertEqual(self.picture(against=same).max(), 0)
        self.assertGreater(self.picture(against=same | {"frame": 1002}, gain=4.0).max(), 0)

    def probed(self, **body) -> dict:
        """The lines of the probe by the pass they read."""
        lines = self.question("look-probe", **body).json()["lines"]
        return {line["key"].rpartition("/")[2]: line for line in lines}

    def test_the_probe_reads_every_pass_as_stored_and_through_the_screen(self):
        body = {"x": 5, "y": 3}
        lines = self.probed(**body)
        shown = self.picture()
        self.assertEqual(lines["beauty"]["codes"]["8"], shown[3, 5].tolist())
        self.assertEqual(self.probed(**body, stops=2.0)["beauty"]["codes"]["8"], self.picture(stops=2.0)[3, 5].tolist())
        self.assertEqual(
            (lines["normals"]["names"], lines["depth"]["names"], lines["depth"]["codes"]),
            (["X", "Y", "Z"], ["Z"], None),
        )
        values = self.question("look-values", key="depth", x=5, y=3, x1=6, y1=3).json()
        self.assertEqual(values["values"][0], lines["depth"]["stored"])
        mean = self.probed(**body, x1=6, y1=3)["depth"]["stored"][0]
        self.assertAlmostEqual(mean, np.mean(values["values"]), 5)
        self.assertEqual(self.question("look-probe", **body | {"x": 999}).status_code, 422)
        self.assertEqual(self.question("look-values", key="depth", x=-9, y=-9).status_code, 422)

    def test_a_frame_that_cannot_be_shown_says_so(self):
        answer = self.question("look-picture", frame=1009)
        self.assertEqual((answer.status_code, answer.json()["error"]["code"]), (422, "file.unreadable"))
        (self.folder / "TST_010.1001.exr").write_bytes(b"RGBA")
        page = self.client.get(self.url("look") + f"?element={self.element.pk}&frame=1001")
        self.assertContains(page, "This frame cannot be shown", status_code=422)
        self.assertContains(page, "frame=1002", status_code=422)
        self.assertContains(self.client.get(self.url("look") + "?frame=1002&pass=nonsense"), "page-data")

    def test_the_pass_sheet(self):
        answer = self.client.get(self.url("look-sheet"), {"element": self.element.pk, "frame": "1001"})
        sheet = Pillow.open(io.BytesIO(answer.content))
        self.assertEqual((answer.headers["Content-Type"], sheet.format), ("image/png", "PNG"))
        self.assertGreater(sheet.width, 3 * WIDTH)

    def test_a_stranger_sees_nothing(self):
        self.client.force_login(self.stranger)
        for name in ("look", "look-sheet"):
            self.assertEqual(self.client.get(self.url(name)).status_code, 404)
        self.assertEqual(self.question("look-picture").status_code, 404)

    def test_passes_of_two_elements_in_one_ledger(self):
        """A row may take a pass of another element; both are opened, each under its own name."""
        other = self.root / "TST" / "TST_010" / "other"
        other.mkdir()
        glow = {c: np.full((HEIGHT, WIDTH), 0.25, np.float16) for c in "RGB"}
        write_exr(other / "glow_emission.1001.exr", Image.of_planes(glow))
        self.bring_in(other, "glow")
        page = self.client.get(self.url("rebuild")).context["page"]
        self.assertIn("glow/emission", [source["key"] for source in page["sources"]])
        ledger = page["ledger"] | {"rows": [{"id": "g", "source": "glow/emission"}]}
        asked = {"subject": {"kind": "ledger"}, "ledgerId": page["ledgerId"], "ledger": ledger}
        answer = self.question("look-probe", **asked, x=1, y=1)
        self.assertEqual(answer.json()["lines"][0]["stored"], [0.25, 0.25, 0.25])
