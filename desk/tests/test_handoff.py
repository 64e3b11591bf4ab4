"""Hand-off: orders, jobs that may run twice, failures, and files that are where their names say."""

import base64
import io
import json
import subprocess
import tempfile
from datetime import timedelta
from pathlib import Path
from unittest import mock

import numpy as np
import OpenEXR
from django.utils import timezone
from PIL import Image as Pillow

from desk.elements.services import document_of
from desk.handoff import services
from desk.handoff.models import Delivery
from desk.intake.models import Judgement
from desk.jobs import engine, work
from desk.jobs.models import State, Task
from desk.rebuild.models import Ledger, LedgerVersion
from desk.rebuild.services import keep_version
from desk.tests.world import HEIGHT, WIDTH, WorldCase
from prism.combine.evaluate import evaluate
from prism.delivery.document import Delivery as Items
from prism.errors import BadArgument, UnwritableFile
from prism.formats.exr import read_channels, write_exr
from prism.formats.headers import read_parts
from prism.ledger.document import Ledger as Document
from prism.pixels.image import Image
from prism.sources.opening import find_sources

FLOAT = {"id": "beauty", "encoding": {"kind": "exr", "pixel": "float"}}
STILL = {"id": "still", "encoding": {"kind": "still"}}


class HandoffCase(WorldCase):
    """The engine sends no messages; `work` then does what waits, as the worker would."""

    def setUp(self):
        super().setUp()
        self.with_ledger()
        for name in ("top_up", "send"):
            patched = mock.patch.object(engine, name)
            patched.start()
            self.addCleanup(patched.stop)

    def work(self):
        while work.next_task("me"):
            Task.objects.update(not_before=None)

    def items(self, *items):
        return Items.from_json({"items": list(items)})

    def order(self, frames="1001", *items):
        return services.order(self.shot, self.ledger, self.artist, frames, self.items(*(items or (FLOAT,))))

    def post(self, *items, frames="1001", to="order", revision=0):
        document = self.items(*(items or (FLOAT,))).as_json()
        return self.ask(f"hand-off-{to}", frames=frames, document=document, revision=revision)

    def paths(self, pattern="*.exr"):
        return sorted(self.root.rglob(f"delivery/**/{pattern}"))

    def frame_tasks(self):
        return Task.objects.filter(job__kind=services.KIND)


class Orders(HandoffCase):
    def test_mattes_go_out_as_files_of_one_channel(self):
        """Beside the picture, each in files of its own name, read with OpenEXR's own binding."""
        part = {"kind": "range", "source": "render/emission", "low": 0.0, "high": 9.0, "soft_high": 1.0}
        mattes = [
            {"id": name, "kind": "made", "parts": [part | {"amount": amount}]}
            for name, amount in (("brass / all", 0.5), ("rim", 1.0))
        ]
        Ledger.objects.update(document=self.ledger.document | {"mattes": mattes})
        self.assertContains(self.client.get(self.url("hand-off")), "brass / all")
        item = {"id": "mattes", "subject": "mattes", "encoding": {"kind": "exr", "packing": "apart", "pixel": "float"}}
        self.assertEqual(self.post(item | {"names": ["brass / all", "rim"]}).status_code, 200)
        self.work()
        stem = "TST_010_first_v001"
        self.assertEqual([path.name for path in self.paths()], [f"{stem}_{n}.1001.exr" for n in ("brass_all", "rim")])
        for path, most in zip(self.paths(), (0.5, 1), strict=True):
            channels = OpenEXR.File(str(path), separate_channels=True).channels()
            self.assertEqual((list(channels), float(channels["Y"].pixels.max())), (["Y"], most))
        self.assertEqual(self.post(item | {"names": ["gone"]}).status_code, 422)

    def test_written_as_named_with_the_right_numbers(self):
        delivery = self.order("1001-1002")
        self.work()
        self.assertEqual(Delivery.objects.get().state, State.DONE)
        folder = self.root / "TST" / "TST_010" / "delivery" / "first_v001"
        self.assertEqual(
            sorted(path.name for path in (folder / "beauty").iterdir()),
            [f"TST_010_first_v001_beauty.{f}.exr" for f in (1001, 1002)],
        )
        sources = find_sources([self.folder / "TST_010.1002.exr"])
        expected = evaluate(Document.from_json(self.ledger.document).moved("render", ""), sources).rgba
        path = services.path_of(delivery, 1002)
        np.testing.assert_array_equal(read_channels(path, read_parts(path)[0]).plane("R"), expected[0])

    def test_the_record_says_what_it_was_made_from(self):
        """Checksums of sources and files as sha256sum has them, the balance, findings of Intake, and who and when."""
        Judgement.objects.create(
            element=self.element,
            findings=[{"what": "clipped at 1", "frames": [1001]}, {"what": "not here", "frames": [1002]}],
        )
        self.order()
        self.work()
        (whole,) = self.paths("record.json")
        record = json.loads(whole.read_text())
        (frame,) = record["frames"]
        (file,) = frame["files"]
        for root, entry in ((whole.parent, file), (Path("/"), frame["sources"][0])):
            found = subprocess.run(["sha256sum", root / entry["file"]], capture_output=True, text=True, check=True)
            self.assertEqual(found.stdout.split()[0], entry["sha256"])
        said = frame["frame"], frame["balance"]["balanced"], record["author"]
        self.assertEqual(said, (1001, True, self.artist.username))
        self.assertEqual(frame["findings"], ["render: clipped at 1"])
        self.assertEqual(Document.from_json(record["ledger"]), Document.from_json(self.ledger.document))
        self.assertEqual(record["plan"]["shot"]["code"], "TST_010")

    def test_the_version_is_kept_even_if_the_ledger_changes(self):
        delivery = self.order()
        self.ledger.document["rows"] = []
        self.ledger.save()
        self.work()
        self.assertGreater(len(delivery.version.document["rows"]), 0)
        path = services.path_of(delivery, 1001)
        self.assertGreater(read_channels(path, read_parts(path)[0]).plane("R").max(), 0)
        self.assertEqual(self.order().version.label, "v002")

    def test_movies_show_the_day_of_the_order(self):
        delivery = self.order()
        Delivery.objects.filter(pk=delivery.pk).update(made=delivery.made - timedelta(days=3))
        delivery.refresh_from_db()
        self.assertEqual(services.place_of(delivery).ordered, timezone.localdate() - timedelta(days=3))

    def test_the_page_is_as_it_was_left(self):
        item = STILL | {"encoding": {"kind": "still", "format": "tiff", "bits": 16, "alpha": "keep"}}
        self.assertEqual(self.post(item, frames="1001-1002", to="draft").status_code, 200)
        page = self.client.get(self.url("hand-off")).context["page"]
        self.assertEqual((page["frames"], page["document"]), ("1001-1002", self.items(item).as_json()))
        self.assertEqual(self.client.get(self.url("hand-off"), {"frame": "1002"}).context["page"]["frames"], "1002")

    def test_of_two_pages_the_second_is_told_and_overwrites_nothing(self):
        self.assertEqual(self.client.get(self.url("hand-off")).context["page"]["revision"], 0)
        self.assertEqual(self.post(FLOAT, to="draft").json(), {"revision": 1})
        self.assertEqual(self.post(FLOAT, to="draft").json(), {"revision": 1})  # of another page, with just the same
        self.assertEqual(self.post(STILL, to="draft", revision=1).json(), {"revision": 2})
        late = self.post(FLOAT, STILL, to="draft", revision=1)
        self.assertEqual((late.status_code, late.json()["error"]["code"]), (422, "document.outdated"))
        page = self.client.get(self.url("hand-off")).context["page"]
        self.assertEqual((page["revision"], page["document"]), (2, self.items(STILL).as_json()))

    def test_a_version_kept_twice_keeps_both_comments(self):
        for comment in ("first look", "", "sent to the client", "first look"):
            version = keep_version(self.ledger, self.artist, comment)
        self.assertEqual((version.number, version.comment), (1, "first look; sent to the client"))
        with self.assertRaises(BadArgument):
            keep_version(self.ledger, self.artist, "x" * 490)
        self.assertEqual(LedgerVersion.objects.get().comment, "first look; sent to the client")

    def test_items_are_kept_for_all_shots_of_the_production(self):
        document = self.items(FLOAT, STILL).as_json()
        kept = self.ask("hand-off-preset", name="what they want", frames="", document=document).json()["presets"]
        self.assertEqual((kept[0]["title"], kept[0]["items"]), ("what they want", document["items"]))
        left = self.ask("hand-off-preset", remove=int(kept[0]["id"])).json()["presets"]
        self.assertFalse(any(preset["own"] for preset in left))
        for preset in left:
            self.assertEqual(Items.from_json({"items": preset["items"]}).as_json()["items"], preset["items"])

    def test_names_are_shown_before_anything_is_written(self):
        told = self.post(FLOAT, STILL, to="names").json()
        self.assertEqual((Delivery.objects.count(), LedgerVersion.objects.count()), (0, 0))
        self.post(FLOAT, STILL)
        self.work()
        written = [path for path in self.paths("*.*") if path.parent.name in ("beauty", "still")]
        self.assertEqual(
            sorted(f"{told['folder']}/{path}" for item in told["items"] for path in item["paths"]),
            sorted(str(path.relative_to(self.root)) for path in written),
        )
        self.assertIn("Not rendered: 7", self.post(frames="7", to="names").json()["why"]["what"])

    def test_an_item_is_seen_before_it_is_written_and_its_files_after(self):
        """The same picture both times; asking keeps no version and writes nothing."""
        item = {"id": "still", "encoding": {"kind": "still", "dither": "never"}}
        answer = self.post(item, to="preview").json()
        ahead = np.asarray(Pillow.open(io.BytesIO(base64.b64decode(answer["picture"].partition(",")[2]))))
        self.assertEqual((answer["frame"], LedgerVersion.objects.count(), self.paths("*")), (1001, 0, []))
        self.assertRegex(answer["words"][0], r"kB a frame, about .* for 1\.")
        parcel = {"id": "all", "subject": "files", "encoding": {"kind": "parcel"}}
        answer = self.post(parcel, to="preview").json()
        self.assertEqual((answer["picture"], answer["words"][0][:12]), ("", "No picture: "))
        self.assertEqual(self.post(item, to="preview", frames="1500").status_code, 422)

        marks = [self.post(item, parcel, to="names").json()["items"] for _ in range(2)]
        self.assertEqual(*marks)
        self.ledger.document["rows"][0]["amount"] = 0.5
        self.ledger.save()
        for before, now in zip(marks[0], self.post(item, parcel, to="names").json()["items"], strict=True):
            self.assertNotEqual(before["made_from"], now["made_from"])
        self.ledger.document["rows"][0]["amount"] = 1
        self.ledger.save()

        self.post(item, parcel)
        self.work()
        (entry,) = self.client.get(self.url("hand-off-progress")).json()["deliveries"]
        written, packed = entry["items"]
        self.assertEqual((packed["pictured"], "pictures" in packed), (False, False))
        after = {
            size: np.asarray(Pillow.open(io.BytesIO(self.client.get(url).content)))
            for size, url in written["pictures"].items()
        }
        np.testing.assert_array_equal(after["large"], ahead)
        self.assertLessEqual(after["small"].shape[1], 240)
        self.assertEqual(self.client.get(written["pictures"]["small"].replace("still", "all")).status_code, 404)
        for path in self.paths("*.png"):
            path.unlink()
        self.assertEqual(self.client.get(written["pictures"]["small"]).status_code, 404)

    def test_several_items_at_once(self):
        """One task for each frame, which runs the ledger once for all, and once untrimmed for the balance at most."""
        self.assertEqual(self.post(FLOAT, STILL).status_code, 200)
        with mock.patch("prism.delivery.ledger_frame.evaluate", side_effect=evaluate) as evaluated:
            self.work()
        self.assertEqual(evaluated.call_count, 1)
        self.assertEqual(self.frame_tasks().count(), 1)
        (entry,) = self.client.get(self.url("hand-off-progress")).json()["deliveries"]
        self.assertEqual((entry["state"], entry["done"], entry["share"], entry["closed"]), ("done", 1, 1, True))
        files = [file for item in entry["items"] for file in item["files"]]
        size = 0
        for file in files:
            answer = self.client.get(file["url"])
            size += len(b"".join(answer.streaming_content))
            self.assertIn(file["name"].split("/")[-1], answer.headers["Content-Disposition"])
        self.assertEqual((len(files), size), (2, entry["bytes"]))

    def test_a_part_of_a_file_is_answered_as_players_ask(self):
        """RFC 9110, section 14: bytes from, to, the last ones, and none that are there."""
        self.order("1001", STILL)
        self.work()
        (entry,) = self.client.get(self.url("hand-off-progress")).json()["deliveries"]
        url, whole = entry["items"][0]["files"][0]["url"], self.paths("*.png")[0].read_bytes()
        for header, start, end in (("bytes=2-5", 2, 6), ("bytes=4-", 4, len(whole)), ("bytes=-3", -3, len(whole))):
            part = self.client.get(url, headers={"Range": header}, query_params={"show": 1})
            self.assertEqual((part.status_code, b"".join(part.streaming_content)), (206, whole[start:end]))
            first = start % len(whole)
            self.assertEqual(part.headers["Content-Range"], f"bytes {first}-{end - 1}/{len(whole)}")
        self.assertEqual(self.client.get(url, headers={"Range": f"bytes={len(whole)}-"}).status_code, 416)
        self.assertEqual(self.client.get(url, {"show": 1}).headers["Content-Type"], "image/png")
        self.assertIn("attachment", self.client.get(url).headers["Content-Disposition"])

    def test_orders_that_cannot_be_met(self):
        still = lambda **encoding: STILL | {"encoding": {"kind": "still"} | encoding}  # noqa: E731
        cases = [
            ({"frames": "1003"}, "Not rendered: 1003"),
            ({"frames": "1001-1004"}, "Not rendered: 1003-1004"),
            ({"frames": "one"}, "is not a frame or range"),
            ({"item": FLOAT | {"enabled": False}}, "Nothing was chosen"),
            ({"item": still(format="jpeg", bits=16)}, "JPEG has no 16 bits"),
            ({"item": still(format="jpeg", alpha="keep")}, "JPEG has no alpha"),
            ({"item": FLOAT | {"pattern": "{shot}.exr"}}, "every frame would overwrite"),
            ({"item": FLOAT | {"pattern": "../{frame}.exr"}}, "not a plain path"),
            ({"item": FLOAT | {"encoding": {"kind": "exr", "passes": ["nothing"]}}}, "There is no pass nothing"),
        ]
        for fields, text in cases:
            with self.subTest(fields):
                answer = self.post(fields.pop("item", FLOAT), **fields)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(text, answer.json()["error"]["what"])
        self.assertFalse(Delivery.objects.exists())
        for encoding in ({"kind": "exr", "compression": "no"}, {"kind": "song"}, {"kind": "movie", "alpha": "keep"}):
            document = {"items": [{"id": "a", "encoding": encoding}]}
            answer = self.ask("hand-off-order", frames="1001", document=document)
            self.assertEqual((answer.status_code, answer.json()["error"]["where"][:6]), (422, "item a"), encoding)

    def test_another_way_of_writing_never_overwrites(self):
        """Half after float, and float again: three orders, two files, each as its order says."""
        items = [FLOAT | {"encoding": {"kind": "exr", "pixel": pixel}} for pixel in ("float", "half", "float")]
        orders = [self.order("1001", item) for item in items]
        self.work()
        paths = [services.path_of(delivery, 1001) for delivery in orders]
        self.assertEqual([path.parts[-3] for path in paths], [f"first_v001{take}" for take in ("", "_t2", "")])
        kinds = [read_parts(path)[0].channels["R"] for path in paths]
        self.assertEqual(kinds, ["float", "half", "float"])

    def test_a_file_of_somebody_else_stays(self):
        path = self.root / "TST/TST_010/delivery/first_v001/beauty/TST_010_first_v001_beauty.1001.exr"
        path.parent.mkdir(parents=True)
        path.write_bytes(b"by hand")
        self.order()
        work.next_task("me")
        self.assertIn("was made from something else", self.frame_tasks().get().fault)
        self.assertEqual(path.read_bytes(), b"by hand")

    def test_files_that_changed_make_another_take(self):
        """What was delivered stays, whatever becomes of the frames it was made from."""
        first = self.order("1001")
        self.work()
        before = services.path_of(first, 1001).read_bytes()
        other = self.order("1002")  # the same take, another frame
        self.work()
        self.render(1001, seed=99)
        again = self.order("1001-1002")
        self.work()
        self.assertEqual((first.take, other.take, again.take), (1, 1, 2))
        self.assertEqual(services.path_of(first, 1001).read_bytes(), before)
        self.assertNotEqual(services.path_of(again, 1001).read_bytes(), before)

    def test_files_that_change_after_the_order_are_delivered_as_they_are_then(self):
        delivery = self.order("1001")
        self.render(1001, seed=99)
        self.work()
        before = services.path_of(delivery, 1001).read_bytes()
        self.assertEqual(self.order("1001").take, 1)
        self.render(1001, seed=98)  # changed once more, with the second order waiting
        self.work()
        self.assertIn("what was delivered stays", Delivery.objects.first().frames.get().fault)
        self.assertEqual(services.path_of(delivery, 1001).read_bytes(), before)

    def test_asked_for_twice_while_it_is_under_way_is_one_delivery(self):
        self.assertEqual(self.order(), self.order())
        self.assertNotEqual(self.order("1001-1002"), self.order())
        self.work()
        self.assertNotEqual(self.order(), Delivery.objects.last())
        self.assertEqual(Delivery.objects.count(), 3)

    def test_a_refused_order_leaves_no_version(self):
        with self.assertRaises(BadArgument):
            self.order("1003")
        self.assertFalse(self.ledger.versions.exists())


class TwoElements(HandoffCase):
    """A ledger whose rows come from two elements of the shot."""

    def setUp(self):
        super().setUp()
        self.glow = self.root / "TST" / "TST_010" / "glow"
        self.glow.mkdir()
        self.write_glow(0.25)
        self.bring_in(self.glow, "glow")
        document = Document.from_json(self.ledger.document)
        row = document.rows[0].replace(id="glow", source="glow/emission", in_balance=False)
        self.ledger.document = document.replace(rows=(*document.rows, row)).as_json()
        self.ledger.save()

    def write_glow(self, value):
        planes = {c: np.full((HEIGHT, WIDTH), value, np.float16) for c in "RGB"}
        write_exr(self.glow / "glow_emission.1001.exr", Image.of_planes(planes))

    def test_both_are_in_what_is_written_and_in_its_mark(self):
        delivery = self.order()
        self.work()
        written = read_channels(services.path_of(delivery, 1001), read_parts(services.path_of(delivery, 1001))[0])
        without = Document.from_json(self.ledger.document)
        without = without.replace(rows=without.rows[:-1]).moved("render", "")
        expected = evaluate(without, find_sources([self.folder / "TST_010.1001.exr"])).rgba[0] + np.float32(0.25)
        np.testing.assert_array_equal(written.plane("R"), expected)
        again = self.order()
        self.assertEqual(again.take, delivery.take)
        self.work()
        self.write_glow(0.5)  # a file of the other element: what is delivered from now on is another picture
        self.assertEqual(self.order().take, delivery.take + 1)

    def test_a_choice_of_how_a_pass_is_read_makes_another_take(self):
        first = self.order()
        self.work()
        element = self.shot.elements.get(name="render")
        element.choices = {"beauty": {"state": "straight"}}
        element.save()
        self.ledger.refresh_from_db()
        self.assertEqual(self.order().take, first.take + 1)

    def test_an_element_that_was_removed_is_named(self):
        self.shot.elements.get(name="glow").delete()
        self.order()
        self.work()
        task = self.frame_tasks().get()
        self.assertEqual(task.state, State.FAILED)
        self.assertIn("There is no source glow/emission", task.fault)


class Jobs(HandoffCase):
    def test_a_link_in_place_of_the_deliveries_writes_nothing_and_locks_no_page(self):
        stranger = self.root / "OTHER"
        stranger.mkdir()
        (self.root / "TST" / "TST_010" / "delivery").symlink_to(stranger)
        self.order()
        self.work()
        task = self.frame_tasks().get()
        self.assertEqual((task.state, self.client.get(self.url("hand-off")).status_code), (State.FAILED, 200))
        self.assertIn("leads out of the production", task.fault)
        self.assertEqual(list(stranger.iterdir()), [])

    def state(self):
        return list(self.frame_tasks().order_by("number").values_list("state", flat=True))

    def test_a_camera_that_is_a_path_leads_nowhere_else(self):
        """Kept in an element from before names were cleaned: names say why, and nothing is written elsewhere."""
        outside = Path(tempfile.gettempdir(), "outside-of-the-storage")
        element = self.ledger.element
        for camera in (str(outside / "name"), "../../../name"):
            element.document = element.document | {"camera": camera}
            element.save()
            item = STILL | {"pattern": "{camera}.{frame:04}.png"}
            for to in ("names", "order"):
                answer = self.post(item, to=to)
                self.assertNotEqual(answer.status_code, 500)
            self.assertIn("no name", self.post(item).json()["error"]["what"])
        self.work()
        self.assertFalse(outside.exists())
        self.assertEqual(self.paths("*.png"), [])

    def test_a_bad_frame_fails_and_the_rest_goes_on(self):
        delivery = self.order("1001-1002")
        path = self.folder / "TST_010.1001.exr"
        whole = path.read_bytes()
        path.write_bytes(whole[:-400])
        self.work()
        self.assertEqual(self.state(), [State.FAILED, State.DONE])
        entry = services.progress(delivery)
        self.assertEqual(entry["state"], State.FAILED)
        self.assertIn("TST_010.1001.exr", entry["errors"][0])
        path.write_bytes(whole)
        self.client.post(self.url("hand-off-again", delivery=delivery.pk))
        self.work()
        self.assertEqual(self.state(), [State.DONE, State.DONE])
        self.assertEqual(services.progress(Delivery.objects.get())["errors"], [])

    def test_a_bad_file_that_is_not_needed_is_left_out_and_said(self):
        bad = self.folder / "TST_010_wire.1001.exr"
        write_exr(bad, Image.of_planes({c: np.ones((HEIGHT, WIDTH), np.float16) for c in "RGB"}))
        self.look_again()
        self.assertIn("wire", [pass_.key for pass_ in document_of(self.element_now()).passes])
        bad.write_bytes(b"RGBA")
        delivery = self.order("1001")
        self.work()
        frame = delivery.frames.get()
        self.assertEqual(frame.state, State.DONE)
        self.assertEqual(
            Delivery.objects.get().written(frame)[0]["remarks"],
            [f"{bad.name} was excluded: This is not an OpenEXR file."],
        )
        self.assertEqual(frame.bytes, services.path_of(delivery, 1001).stat().st_size)

    def element_now(self):
        return self.shot.elements.get()

    def test_an_unexpected_fault_is_said_and_logged(self):
        self.order()
        for _ in range(engine.MOST_ATTEMPTS):
            with (
                mock.patch("prism.delivery.running.deliver_all", side_effect=ZeroDivisionError),
                self.assertRaises(ZeroDivisionError),
            ):
                work.next_task("me")
            Task.objects.update(not_before=None)
        self.assertEqual(self.state(), [State.FAILED])

    def test_a_frame_that_failed_half_written_is_written_when_it_is_tried_again(self):
        """However often: a full disk between two items leaves the first one's file without a record."""
        delivery = self.order("1001", FLOAT, STILL)
        with mock.patch("prism.delivery.encodings.still.write_display", side_effect=UnwritableFile("Disk full.")):
            self.work()
        self.assertEqual((self.state(), len(self.paths())), ([State.FAILED], 1))
        self.client.post(self.url("hand-off-again", delivery=delivery.pk))
        self.work()
        self.assertEqual((self.state(), len(self.paths("*.png"))), ([State.DONE], 1))

    def test_cancelling_keeps_what_is_written(self):
        delivery = self.order("1001-1002")
        work.next_task("me")
        self.client.post(self.url("hand-off-cancel", delivery=delivery.pk))
        self.work()
        self.assertEqual(self.state(), [State.DONE, State.CANCELLED])
        self.assertFalse(services.path_of(delivery, 1002).exists())

    def test_a_frame_whose_worker_was_killed_is_taken_up_by_another(self):
        self.order("1001-1002")
        engine.take("lost")
        Task.objects.filter(state=State.RUNNING).update(beat=timezone.now() - engine.LOST_AFTER - timedelta(seconds=1))
        engine.sweep()
        Task.objects.update(not_before=None)
        self.work()
        self.assertEqual(self.state(), [State.DONE, State.DONE])

    def test_a_silent_queue_is_said(self):
        self.order()
        with mock.patch.object(engine, "messages", return_value=None):
            entry = self.client.get(self.url("hand-off-progress")).json()["deliveries"][0]
        self.assertEqual((entry["state"], entry["stalled"]), (State.QUEUED, engine.SILENT))

    def test_files_that_are_not_written_cannot_be_had(self):
        delivery = self.order()
        name = "beauty/TST_010_first_v001_beauty.1001.exr"
        address = self.url("hand-off-file", delivery=delivery.pk, file=name)
        self.assertEqual(self.client.get(address).status_code, 404)
        path = services.path_of(delivery, 1001)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"half of it")  # under its name, of a task that is not done
        self.assertEqual(self.client.get(address).status_code, 404)
        path.unlink()
        for other in ("record.json", "../../../plan.json"):
            self.assertEqual(self.client.get(address.replace(name, other)).status_code, 404)
        self.work()
        services.path_of(delivery, 1001).unlink()
        self.assertEqual(self.client.get(address).status_code, 404)
