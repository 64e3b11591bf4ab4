"""Boards that a shot keeps, notes on its movies, and deliveries that carry both."""

import csv
import io
import json
from unittest import mock

import numpy as np
import pypdf
from PIL import Image as Pillow

from desk.handoff import boards, notes_file, review, services
from desk.handoff.models import Board, Delivery, Note
from desk.house.setup import create_shot
from desk.jobs import engine, work
from desk.jobs.models import Job, State
from desk.rebuild.models import Ledger
from desk.rebuild.services import keep_version
from desk.tests.test_handoff import FLOAT, STILL, HandoffCase
from desk.tests.world import HEIGHT, WIDTH
from desk.web.saving import Outdated
from prism.errors import Superseded
from prism.movies.reading import read_movie
from prism.sheets.boards.elements import Caption
from prism.sheets.page import write_page

MOVIE = {"id": "review", "encoding": {"kind": "movie", "codec": "png", "burn": "{shot}|{note}|{frame}", "note": "n"}}


class Boards(HandoffCase):
    def made(self, template="pair"):
        return boards.make(self.shot, template, self.artist)

    def test_begun_from_a_template_with_frames_of_the_shot(self):
        board = self.made()
        sources = [each.source for each in boards.parsed(board).elements if each.kind == "picture"]
        self.assertEqual([(source.shot, source.frame) for source in sources], [("TST_010", 1001), ("TST_010", 1002)])
        self.assertEqual([self.made().name, self.made().name], ["before and after-2", "before and after-3"])
        text = json.dumps(boards.parsed(board).replace(name="from elsewhere").as_json())
        self.assertEqual(self.ask("hand-off-board-new", text=text).status_code, 200)
        self.assertTrue(Board.objects.filter(name="from elsewhere").exists())
        for body in ({"template": "nothing"}, {"text": "{}["}, {"text": '{"format": "other"}'}):
            self.assertEqual(self.ask("hand-off-board-new", **body).status_code, 422)

    def test_a_board_that_was_removed_comes_back_under_a_free_name(self):
        board = self.made("empty")
        name = board.name
        act = lambda **body: self.client.post(  # noqa: E731
            self.url("hand-off-board-remove", board=board.pk), json.dumps(body), content_type="application/json",
            headers={"accept": "application/json"},
        )  # fmt: skip
        self.assertEqual(act().json()["boards"], [])
        self.assertEqual(self.client.get(self.url("hand-off-board", board=board.pk)).status_code, 404)
        self.assertEqual(self.made("empty").name, name)  # which is free
        self.assertEqual([each["name"] for each in act(restore=True).json()["boards"]], [name, f"{name}-2"])
        self.assertEqual(boards.parsed(Board.objects.get(pk=board.pk)).name, f"{name}-2")
        self.assertEqual(act(restore=True).status_code, 422)

    def test_saved_by_itself_and_never_over_another_change(self):
        board = self.made("empty")
        document = boards.parsed(board).replace(width=100)
        save = lambda revision, document: self.client.post(  # noqa: E731
            self.url("hand-off-board-save", board=board.pk),
            json.dumps({"document": document.as_json(), "revision": revision}),
            content_type="application/json",
            headers={"accept": "application/json"},
        )
        self.assertEqual(save(1, document).json(), {"revision": 2, "remarks": []})
        self.assertIn("changed elsewhere", save(1, document.replace(width=90)).json()["error"]["what"])
        self.made("pair")
        self.assertIn("Another board", save(2, document.replace(name="before and after")).json()["error"]["what"])
        self.assertEqual(boards.parsed(Board.objects.get(pk=board.pk)).width, 100)
        lettered = document.replace(elements=(Caption(id="t", text="Każe 木"), Caption(id="u", text="山", hidden=True)))
        self.assertIn("no 木:", save(2, lettered).json()["remarks"][0])

    def test_seen_as_it_is_written(self):
        """The preview of the page is the picture of the delivery, dot for dot; a picture is the finished frame."""
        board = self.made()
        document = boards.parsed(board).replace(dpi=40, elements=boards.parsed(board).elements[:3])
        address = self.url("hand-off-board-preview", board=board.pk)
        shown = self.client.post(address, json.dumps({"document": document.as_json()}), content_type="application/json")
        boards.save(board, document, 1, self.artist)
        encoding = {"kind": "board", "name": board.name, "format": "png"}
        self.order("1001", {"id": "b", "subject": "files", "encoding": encoding})
        self.work()
        (path,) = self.paths("*_b.png")
        with Pillow.open(path) as written, Pillow.open(io.BytesIO(shown.content)) as seen:
            np.testing.assert_array_equal(np.asarray(written), np.asarray(seen))
        asked = {"kind": "shot", "shot": "TST_010", "frame": "1001", "view": "film"}
        picture = self.client.get(self.url("hand-off-board-picture"), asked)
        self.assertEqual((picture.status_code, picture["Content-Type"]), (200, "image/jpeg"))
        for bad in ({"shot": "GONE"}, {"frame": "9"}, {"version": "9"}, {"kind": "file", "path": "../../secret.png"}):
            self.assertEqual(self.client.get(self.url("hand-off-board-picture"), asked | bad).status_code, 422, bad)

    def test_several_views_share_one_ledger(self):
        """That of another shot is laid on the passes of this one; what it lacks is named."""
        other = create_shot(self.production, "TST_020", frames="1001", width=WIDTH, height=HEIGHT)
        document = self.ledger.document | {"rows": [row | {"amount": 0.25} for row in self.ledger.document["rows"]]}
        Ledger.objects.create(shot=other, name="shared", document=document)
        asked = {"kind": "shot", "shot": "TST_010", "frame": "1001", "view": "srgb"}
        picture = lambda **more: self.client.get(self.url("hand-off-board-picture"), asked | more)  # noqa: E731
        own, shared = (np.asarray(Pillow.open(io.BytesIO(picture(**m).content))) for m in ({}, {"shared": "TST_020"}))
        self.assertLess(shared.mean(), own.mean() - 5)
        document["rows"][0]["source"] = "render/light_nowhere"
        Ledger.objects.filter(shot=other).update(document=document)
        self.assertContains(picture(shared="TST_020"), "asks for", status_code=422)

    def test_a_delivery_keeps_the_board_as_it_was(self):
        board = self.made("empty")
        item = {"id": "b", "subject": "files", "encoding": {"kind": "board", "name": board.name}}
        delivery = self.order("1001", item)
        boards.save(board, boards.parsed(board).replace(width=77), 1, self.artist)
        self.work()
        self.assertEqual(Delivery.objects.get().state, State.DONE)
        page = pypdf.PdfReader(self.paths("*_b.pdf")[0]).pages[0]
        self.assertAlmostEqual(float(page.mediabox.width), 420 / 25.4 * 72, delta=0.5)
        self.assertEqual(self.order("1001", item).take, delivery.take + 1)
        fault = self.post(item | {"encoding": {"kind": "board", "name": "gone"}}).json()["error"]
        self.assertIn("There is no board gone", fault["what"])


class Closing(HandoffCase):
    def test_movies_sheets_and_parcels_are_made_of_all_frames(self):
        """One after the other when all frames are there; each opened again, and the parcel's sums are those written."""
        sheet = {"id": "sheet", "encoding": {"kind": "sheet", "columns": 2, "cell_width": 60, "cell_height": 40}}
        pictures = [{"kind": "shot", "shot": "TST_010", "frame": n, "version": 1} for n in (1001, 1002, 1001)]
        chosen = {
            "kind": "sheet",
            "of": "chosen",
            "chosen": pictures,
            "columns": 3,
            "cell_width": 50,
            "cell_height": 30,
        }
        parcel = {"id": "parcel", "subject": "files", "encoding": {"kind": "parcel"}}
        self.order("1001-1002", FLOAT, STILL, MOVIE, sheet, {"id": "chosen", "encoding": chosen}, parcel)
        self.work()
        (entry,) = self.client.get(self.url("hand-off-progress")).json()["deliveries"]
        self.assertEqual((entry["state"], entry["errors"], entry["closed"]), ("done", [], True))
        self.assertEqual(len(list(read_movie(self.paths("*.mov")[0]))), 2)
        with Pillow.open(self.paths("*_sheet.png")[0]) as picture:
            self.assertEqual(picture.size, (2 * 32 + 2 * 60 + 16, 2 * 32 + 40))
        with Pillow.open(self.paths("*_chosen.png")[0]) as picture:
            self.assertEqual(picture.size, (2 * 32 + 3 * 50 + 2 * 16, 2 * 32 + 30))
            codes = np.asarray(picture).astype(int)[32:48]
        self.assertEqual(np.abs(codes[:, 32:82] - codes[:, 164:214]).max(), 0)
        self.assertGreater(np.abs(codes[:, 32:82] - codes[:, 98:148]).max(), 3)
        names = {path.name for path in self.root.rglob("*_parcel/files/**/*") if path.is_file()}
        self.assertIn("TST_010_first_v001_review.mov", names)
        movie = next(item for item in entry["items"] if item["id"] == "review")
        self.assertTrue(movie["files"][0]["name"].endswith(".mov"))

    def test_frames_that_are_not_rendered_are_held_or_refused(self):
        held = MOVIE | {"encoding": MOVIE["encoding"] | {"gaps": "hold"}}
        self.assertIn("Not rendered: 1003", self.post(MOVIE, frames="1001-1003").json()["error"]["what"])
        self.assertEqual(self.post(held, frames="1001-1003").status_code, 200)
        self.work()
        self.assertEqual(self.frame_tasks().count(), 2)
        self.assertEqual(len(list(read_movie(self.paths("*.mov")[0]))), 3)

    def test_a_sheet_that_does_not_read_back_is_not_delivered(self):
        self.order("1001-1002", {"id": "sheet", "encoding": {"kind": "sheet", "cell_width": 60, "cell_height": 40}})
        other = lambda page, path, **_: write_page(page.__class__(page.codes ^ 1), path)  # noqa: E731
        with mock.patch("prism.delivery.encodings.sheet.write_page", other):
            self.work()
        self.assertEqual(Delivery.objects.get().state, State.FAILED)
        self.assertIn("does not read back", " ".join(services.progress(Delivery.objects.get())["errors"]))

    def test_closed_without_a_frame_that_failed(self):
        """Movies wait for all frames; without the one that failed they hold it, or say which it is."""
        (self.folder / "TST_010.1002.exr").write_bytes(b"broken")
        held = MOVIE | {"encoding": MOVIE["encoding"] | {"gaps": "mark"}}
        delivery = self.order("1001-1002", held, MOVIE | {"id": "strict"})
        self.work()
        self.assertEqual((Delivery.objects.get().state, self.paths("*.mov")), (State.FAILED, []))
        self.client.post(self.url("hand-off-close", delivery=delivery.pk))
        self.work()
        self.assertEqual([path.name for path in self.paths("*.mov")], ["TST_010_first_v001_review.mov"])
        self.assertIn("Not there: 1002", " ".join(services.progress(Delivery.objects.get())["errors"]))

    def test_a_cancelled_movie_leaves_none_and_its_frames_stay(self):
        delivery = self.order("1001-1002", MOVIE)
        work.next_task("me")
        work.next_task("me")
        self.client.post(self.url("hand-off-cancel", delivery=delivery.pk))
        self.work()
        self.assertEqual((self.paths("*.mov"), len(self.paths("*.png"))), ([], 2))
        self.client.post(self.url("hand-off-again", delivery=delivery.pk))
        self.work()
        self.assertEqual(len(self.paths("*.mov")), 1)


class Notes(HandoffCase):
    def setUp(self):
        super().setUp()
        self.delivery = self.order("1001-1002", MOVIE)
        self.work()

    def say(self, **fields):
        said = {"frame": 1002, "x": 0.25, "y": 0.5, "strokes": [[[0.1, 0.2], [0.3, 0.4]]], "text": "warmer key"}
        address = self.url("hand-off-note", delivery=self.delivery.pk, item="review")
        return self.client.post(
            address, json.dumps(said | fields), content_type="application/json", headers={"accept": "application/json"}
        )

    def test_said_answered_by_a_version_and_shown_before_and_after(self):
        (note,) = self.say().json()["notes"]
        self.assertEqual((note["frame"], note["open"], note["seen"], note["by"]), (1002, True, 1, self.artist.username))
        fault = self.ask("hand-off-answer", note=note["id"], version=1).json()["error"]["what"]
        self.assertIn("A note is answered by a later version", fault)
        document = self.ledger.document
        document["rows"][0]["amount"] = 0.25
        Ledger.objects.update(document=document)
        keep_version(Ledger.objects.get(), self.artist)
        (note,) = self.ask("hand-off-answer", note=note["id"], version=2, answer="done").json()["notes"]
        self.assertEqual((note["open"], note["version"], note["answer"]), (False, 2, "done"))
        asked = {"kind": "shot", "shot": "TST_010", "frame": "1002", "view": "srgb"}
        bodies = (self.client.get(self.url("hand-off-board-picture"), asked | {"version": v}).content for v in "12")
        before, after = (np.asarray(Pillow.open(io.BytesIO(body))).astype(int) for body in bodies)
        self.assertGreater(np.abs(before - after).max(), 8)
        (note,) = self.ask("hand-off-answer", note=note["id"], reopen=True).json()["notes"]
        self.assertTrue(note["open"])
        self.assertEqual(self.client.get(note["url"]).status_code, 200)

    def test_answers_of_two_at_once_and_of_a_note_that_is_gone(self):
        """The second is told, whatever order they come in, and nothing comes back that was removed."""
        (note,) = self.say().json()["notes"]
        for amount in (0.25, 0.5):
            document = self.ledger.document
            document["rows"][0]["amount"] = amount
            Ledger.objects.update(document=document)
            keep_version(Ledger.objects.get(), self.artist)
        mine = {"note": note["id"], "was": None, "answer": "done"}
        self.assertEqual(self.ask("hand-off-answer", **mine, version=2).status_code, 200)
        for late in (mine | {"version": 3}, {"note": note["id"], "was": None, "reopen": True}):
            refused = self.ask("hand-off-answer", **late)
            self.assertEqual(refused.json()["error"]["code"], "document.outdated")
        self.assertEqual(Note.objects.get().version.number, 2)
        gone = Note.objects.select_related("seen").get()
        Note.objects.all().delete()
        for act in (lambda: review.answer(gone, 3, "late", self.artist), lambda: review.reopen(gone)):
            self.assertRaises(Outdated, act)
        self.assertFalse(Note.objects.exists())

    def test_a_page_lists_some_of_many_and_what_is_said_of_one_comes_with_its_page(self):
        self.say()
        one = Note.objects.get()
        for number in range(2 * review.IN_A_LIST):
            one.pk, one.frame, one.version = None, 1001 + (number >= review.IN_A_LIST), None
            one.save()
        read = lambda **asked: self.client.get(self.url("hand-off-notes"), asked).json()  # noqa: E731
        pages = [read(page=number) for number in (1, 2, 3, 9)]
        self.assertEqual([len(page["notes"]) for page in pages], [50, 50, 1, 1])
        self.assertEqual([(page["page"], page["pages"]) for page in pages], [(1, 3), (2, 3), (3, 3), (3, 3)])
        ids = [note["id"] for page in pages[:3] for note in page["notes"]]
        self.assertEqual(ids, list(Note.objects.values_list("pk", flat=True)))
        self.assertEqual({(page["count"], page["open"]) for page in pages}, {(101, 101)})
        document = self.ledger.document
        document["rows"][0]["amount"] = 0.25
        Ledger.objects.update(document=document)
        keep_version(Ledger.objects.get(), self.artist)
        answered = self.ask("hand-off-answer", note=ids[-1], version=2, answer="done").json()
        self.assertEqual((answered["page"], answered["notes"][-1]["id"], answered["open"]), (3, ids[-1], 100))
        self.assertEqual((read(open="")["pages"], read()["pages"]), (2, 3))
        self.assertEqual(self.say(frame=1001).json()["page"], 2)
        address = self.url("hand-off-marks", delivery=self.delivery.pk, item="review", number=1001)
        marks = self.client.get(address).json()["notes"]
        self.assertEqual((len(marks), {note["frame"] for note in marks}), (51, {1001}))
        for frame, number in ((1001, 1), (1002, 2), (9999, 3)):
            address = self.url("hand-off-review", delivery=self.delivery.pk, item="review")
            self.assertEqual(self.client.get(address, {"frame": frame}).context["page"]["listed"]["page"], number)
        for bad in ("x", "-1", "²"):
            self.assertEqual(self.client.get(self.url("hand-off-notes"), {"page": bad}).status_code, 422)

    def test_of_many_notes_a_worker_makes_the_pdf(self):
        """Each frame is decoded once; what was made of other notes is not sent; asked for twice it is made once."""
        self.say()
        one = Note.objects.get()
        for left in range(notes_file.AT_ONCE + 9):
            one.pk, one.frame = None, 1001 + left % 2
            one.save()
        read = lambda: self.client.get(self.url("hand-off-notes-pdf"))  # noqa: E731
        self.assertEqual(read().status_code, 422)
        for _ in range(2):
            self.assertEqual(self.ask("hand-off-notes-order").json()["pdf"], notes_file.MAKING)
        with mock.patch.object(review, "read_codes", wraps=review.read_codes) as decoded:
            self.work()
        self.assertEqual((decoded.call_count, Job.objects.filter(kind=notes_file.KIND).count()), (2, 1))
        self.assertEqual(self.client.get(self.url("hand-off-notes")).json()["pdf"], notes_file.READY)
        pages = pypdf.PdfReader(io.BytesIO(read().content)).pages
        self.assertEqual(sum(page.extract_text().count("warmer key") for page in pages), notes_file.AT_ONCE + 10)
        Note.objects.filter(pk=one.pk).update(text="colder key")
        self.assertEqual(self.client.get(self.url("hand-off-notes")).json()["pdf"], notes_file.NONE)
        self.assertEqual(read().status_code, 422)
        self.ask("hand-off-notes-order")
        job = Job.objects.filter(kind=notes_file.KIND).latest("pk")
        engine.cancel(job)
        self.assertRaises(Superseded, notes_file.write, job.tasks.get(), mock.Mock(is_over=lambda: True))
        self.ask("hand-off-notes-order")
        self.work()
        self.assertIn(b"%PDF", read().content[:8])
        Note.objects.filter(pk__in=list(Note.objects.values_list("pk", flat=True)[:10])).delete()
        self.assertEqual(read().status_code, 200)  # few enough now

    def test_notes_of_a_shot_are_bounded(self):
        """One more than it may have is refused, and one drawing."""
        self.say()
        there = Note.objects.count()
        for most, status in ((there + 1, 200), (there, 422)):
            with mock.patch.object(review, "MOST_NOTES", most):
                answer = self.say(text="one more")
                self.assertEqual(answer.status_code, status)
            Note.objects.filter(text="one more").delete()
        points = 2 * Note.objects.count()
        for most, status in ((points + 2, 200), (points + 1, 422)):
            with mock.patch.object(review, "MOST_POINTS_OF_SHOT", most):
                self.assertEqual(self.say(text="one more").status_code, status)
            Note.objects.filter(text="one more").delete()

    def test_a_note_that_was_removed_can_be_had_back(self):
        (note,) = self.say().json()["notes"]
        self.assertEqual(self.ask("hand-off-note-remove", note=note["id"]).json()["notes"], [])
        self.assertEqual(self.ask("hand-off-answer", note=note["id"], version=2).status_code, 404)
        self.client.force_login(self.reviewer)
        self.assertEqual(self.ask("hand-off-note-remove", note=note["id"], restore=True).status_code, 403)
        self.client.force_login(self.artist)
        (back,) = self.ask("hand-off-note-remove", note=note["id"], restore=True).json()["notes"]
        self.assertEqual(back, note)
        self.assertEqual(self.ask("hand-off-note-remove", note=note["id"], restore=True).status_code, 404)

    def test_what_is_no_note_is_refused(self):
        strokes = ([[[0.1]]], [[[0.1, 7]]], "x", [[[0, 0]] * 9000])
        cases = [{"text": " "}, {"text": "x" * 2001}, {"frame": 9}, {"frame": True}, {"x": 1.5}, {"y": "a"}]
        for fields in (*cases, *({"strokes": each} for each in strokes)):
            self.assertEqual(self.say(**fields).status_code, 422, fields)
        self.assertFalse(Note.objects.exists())

    def test_its_frame_is_the_one_the_movie_was_made_of(self):
        address = self.url("hand-off-frame", delivery=self.delivery.pk, item="review", number=1002)
        body = b"".join(self.client.get(address).streaming_content)
        self.assertEqual(body, self.paths("*review.1002.png")[0].read_bytes())
        for other in (address.replace("1002", "1003"), address.replace("review/1002", "beauty/1002")):
            self.assertEqual(self.client.get(other).status_code, 404)

    def test_exports(self):
        self.say(text='=cmd("x"), a "note"')
        self.say(frame=1001, strokes=[], text="less glow")
        table = self.client.get(self.url("hand-off-notes-csv")).content.decode("utf-8-sig")
        rows = list(csv.DictReader(io.StringIO(table)))
        self.assertEqual([row["frame"] for row in rows], ["1001", "1002"])
        self.assertEqual(rows[1]["note"], '\'=cmd("x"), a "note"')  # no formula for a spreadsheet
        text = pypdf.PdfReader(io.BytesIO(self.client.get(self.url("hand-off-notes-pdf")).content)).pages[0]
        self.assertTrue("less glow" in text.extract_text() and len(text.images) == 2)

    def test_reviewers_may_say_and_take_back_their_own(self):
        self.client.force_login(self.reviewer)
        (note,) = self.say().json()["notes"]
        self.assertEqual(self.ask("hand-off-answer", note=note["id"], version=2).status_code, 403)
        self.assertEqual(self.ask("hand-off-note-remove", note=note["id"]).json()["notes"], [])
        self.client.force_login(self.artist)
        (note,) = self.say().json()["notes"]
        self.client.force_login(self.reviewer)
        self.assertEqual(self.ask("hand-off-note-remove", note=note["id"]).status_code, 403)

    def test_notes_survive_their_delivery(self):
        self.say()
        Delivery.objects.all().delete()
        (note,) = self.client.get(self.url("hand-off-notes")).json()["notes"]
        self.assertEqual((note["text"], note["url"]), ("warmer key", ""))
        self.assertTrue(review.as_pdf(self.shot, review.listed(self.shot), "ada").startswith(b"%PDF"))
