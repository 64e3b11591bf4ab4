"""Hand-off: orders, jobs that may run twice, failures, and files that are where their names say."""

from datetime import timedelta
from unittest import mock

import numpy as np
import OpenEXR
from django.utils import timezone

from desk.elements.services import document_of
from desk.handoff import services
from desk.handoff.models import Delivery
from desk.jobs import engine, work
from desk.jobs.models import State, Task
from desk.rebuild.models import Ledger, LedgerVersion
from desk.tests.world import HEIGHT, WIDTH, WorldCase
from prism.combine.evaluate import evaluate
from prism.delivery.deliver import Output
from prism.elements.opening import find_sources
from prism.errors import BadArgument
from prism.formats.exr import read_channels, write_exr
from prism.formats.headers import read_parts
from prism.ledger.document import Ledger as Document
from prism.pixels.image import Image

FLOAT = {".exr": Output(pixel="float")}


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

    def order(self, frames="1001", outputs=FLOAT):
        return services.order(self.shot, self.ledger, self.artist, frames, outputs)

    def post(self, **fields):
        order = {
            "frames": "1001",
            "exr": "on",
            "pixel": "half",
            "compression": "zip",
            "holds": "light",
            "still": "",
            "view": "srgb",
            "bits": "8",
            "alpha": "black",
        }
        return self.client.post(self.url("hand-off"), order | fields)


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
        self.assertEqual(self.post(exr="", mattes=["brass / all", "rim"], pixel="float").status_code, 302)
        self.work()
        names = sorted(path.name for path in self.root.rglob("delivery/**/*.exr"))
        self.assertEqual(
            names, ["TST_010_first_v001_matte_brass_all.1001.exr", "TST_010_first_v001_matte_rim.1001.exr"]
        )
        for path, most in zip(sorted(self.root.rglob("delivery/**/*.exr")), (0.5, 1), strict=True):
            channels = OpenEXR.File(str(path), separate_channels=True).channels()
            self.assertEqual((list(channels), float(channels["Y"].pixels.max())), (["Y"], most))
        self.assertEqual(self.post(exr="", mattes=["gone"]).status_code, 422)
        # Another name that makes the same file's name gets a take of its own.
        mattes[1]["id"] = "brass all"
        Ledger.objects.update(document=self.ledger.document | {"mattes": mattes})
        version = LedgerVersion.objects.get()
        version.document = Ledger.objects.get().document
        version.save()
        self.assertEqual(self.post(exr="", mattes=["brass all"], pixel="float").status_code, 302)
        self.work()
        self.assertTrue(list(self.root.rglob("delivery/**/TST_010_first_v001_matte_brass_all_t2.1001.exr")))

    def test_written_as_named_with_the_right_numbers(self):
        delivery = self.order("1001-1002")[0]
        self.work()
        self.assertEqual(delivery.state, State.DONE)
        folder = self.root / "TST" / "TST_010" / "delivery" / "first_v001"
        self.assertEqual(
            sorted(path.name for path in folder.iterdir()), [f"TST_010_first_v001.{f}.exr" for f in (1001, 1002)]
        )
        path = folder / "TST_010_first_v001.1002.exr"
        expected = evaluate(
            Document.from_json(self.ledger.document), find_sources([self.folder / "TST_010.1002.exr"])
        ).rgba
        np.testing.assert_array_equal(read_channels(path, read_parts(path)[0]).plane("R"), expected[0])

    def test_the_version_is_kept_even_if_the_ledger_changes(self):
        delivery = self.order()[0]
        self.ledger.document["rows"] = []
        self.ledger.save()
        self.work()
        self.assertGreater(len(delivery.version.document["rows"]), 0)
        path = services.path_of(delivery, 1001)
        self.assertGreater(read_channels(path, read_parts(path)[0]).plane("R").max(), 0)
        self.assertEqual(self.order()[0].version.label, "v002")

    def test_the_choices_of_the_last_order_are_there_again(self):
        self.post(pixel="float", still=".tif", bits="16", alpha="keep")
        form = self.client.get(self.url("hand-off"), {"frame": "1002"}).context["form"]
        chosen = {name: form[name].value() for name in ("frames", "pixel", "still", "bits", "alpha", "exr")}
        self.assertEqual(
            chosen, {"frames": "1002", "pixel": "float", "still": ".tif", "bits": 16, "alpha": "keep", "exr": True}
        )

    def test_names_are_shown_before_anything_is_written(self):
        fields = {"frames": "1001", "exr": "on", "pixel": "half", "compression": "zip", "still": ".png", "view": "srgb"}
        fields |= {"bits": "8", "alpha": "black"}
        told = self.client.post(self.url("hand-off-names"), fields).json()
        self.assertEqual((Delivery.objects.count(), LedgerVersion.objects.count()), (0, 0))
        self.post(**fields)
        self.work()
        written = [
            str(services.path_of(delivery, 1001).relative_to(self.root)) for delivery in Delivery.objects.order_by("pk")
        ]
        self.assertEqual(sorted(told["paths"]), sorted(written))
        self.assertIn(
            "Not rendered: 7", self.client.post(self.url("hand-off-names"), fields | {"frames": "7"}).json()["why"]
        )

    def test_several_formats_at_once(self):
        """One task for each frame, which runs the ledger once for both, and once untrimmed for the balance at most."""
        self.assertEqual(self.post(still=".png", view="film").status_code, 302)
        with mock.patch("prism.delivery.deliver.evaluate", side_effect=evaluate) as evaluated:
            self.work()
        self.assertEqual(evaluated.call_count, 1)
        self.assertEqual(sorted(delivery.suffix for delivery in Delivery.objects.all()), [".exr", ".png"])
        self.assertEqual(Task.objects.filter(job__kind=services.KIND).count(), 1)
        listed = self.client.get(self.url("hand-off-progress")).json()["deliveries"]
        for entry in listed:
            self.assertEqual((entry["state"], entry["done"], entry["share"]), ("done", 1, 1))
            file = self.client.get(entry["files"][0]["url"])
            self.assertEqual(len(b"".join(file.streaming_content)), entry["bytes"])
            self.assertIn(entry["files"][0]["name"], file.headers["Content-Disposition"])

    def test_orders_that_cannot_be_met(self):
        cases = [
            ({"frames": "1003"}, "Not rendered: 1003"),
            ({"frames": "1001-1004"}, "Not rendered: 1003-1004"),
            ({"frames": "one"}, "is not a frame or range"),
            ({"exr": "", "still": ""}, "Nothing was chosen"),
            ({"still": ".jpg", "bits": "16"}, "JPEG has no 16 bits"),
            ({"still": ".jpg", "alpha": "keep"}, "JPEG has no alpha"),
            ({"compression": "dwaa"}, "Select a valid choice"),
        ]
        for fields, text in cases:
            with self.subTest(fields):
                page = self.post(**fields)
                if text == "Select a valid choice":
                    self.assertEqual(page.status_code, 422)
                else:
                    self.assertContains(page, text, status_code=422)
        self.assertFalse(Delivery.objects.exists())

    def test_another_way_of_writing_never_overwrites(self):
        """Half after float, and float again: three orders, two files, each as its order says."""
        orders = [self.order(outputs={".exr": Output(pixel=pixel)})[0] for pixel in ("float", "half", "float")]
        self.work()
        paths = [services.path_of(delivery, 1001) for delivery in orders]
        self.assertEqual(
            [path.name for path in paths], [f"TST_010_first_v001{take}.1001.exr" for take in ("", "_t2", "")]
        )
        kinds = [read_parts(path)[0].channels["R"] for path in paths]
        self.assertEqual(kinds, ["float", "half", "float"])

    def test_files_that_changed_make_another_take(self):
        """What was delivered stays, whatever becomes of the frames it was made from."""
        first = self.order("1001")[0]
        self.work()
        before = services.path_of(first, 1001).read_bytes()
        other = self.order("1002")[0]  # the same take, another frame
        self.work()
        self.render(1001, seed=99)
        again = self.order("1001-1002")[0]
        self.work()
        self.assertEqual((first.take, other.take, again.take), (1, 1, 2))
        self.assertEqual(services.path_of(first, 1001).read_bytes(), before)
        self.assertNotEqual(services.path_of(again, 1001).read_bytes(), before)

    def test_files_that_change_after_the_order_are_delivered_as_they_are_then(self):
        delivery = self.order("1001")[0]
        self.render(1001, seed=99)
        self.work()
        before = services.path_of(delivery, 1001).read_bytes()
        self.assertEqual(self.order("1001")[0].take, 1)
        self.render(1001, seed=98)  # changed once more, with the second order waiting
        self.work()
        self.assertIn("what was delivered stays", Delivery.objects.first().frames.get().fault)
        self.assertEqual(services.path_of(delivery, 1001).read_bytes(), before)

    def test_asked_for_twice_while_it_is_under_way_is_one_delivery(self):
        self.assertEqual(self.order()[0], self.order()[0])
        self.assertNotEqual(self.order("1001-1002")[0], self.order()[0])
        self.work()
        self.assertNotEqual(self.order()[0], Delivery.objects.last())
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
        delivery = self.order()[0]
        self.work()
        written = read_channels(services.path_of(delivery, 1001), read_parts(services.path_of(delivery, 1001))[0])
        without = Document.from_json(self.ledger.document)
        without = without.replace(rows=without.rows[:-1])
        expected = evaluate(without, find_sources([self.folder / "TST_010.1001.exr"])).rgba[0] + np.float32(0.25)
        np.testing.assert_array_equal(written.plane("R"), expected)
        again = self.order()[0]
        self.assertEqual(again.take, delivery.take)
        self.work()
        self.write_glow(0.5)  # a file of the other element: what is delivered from now on is another picture
        self.assertEqual(self.order()[0].take, delivery.take + 1)

    def test_a_choice_of_how_a_pass_is_read_makes_another_take(self):
        first = self.order()[0]
        self.work()
        element = self.shot.elements.get(name="render")
        element.choices = {"beauty": {"state": "straight"}}
        element.save()
        self.ledger.refresh_from_db()
        self.assertEqual(self.order()[0].take, first.take + 1)

    def test_an_element_that_was_removed_is_named(self):
        self.shot.elements.get(name="glow").delete()
        self.order()
        self.work()
        task = Task.objects.get()
        self.assertEqual(task.state, State.FAILED)
        self.assertIn("There is no source glow/emission", task.fault)


class Jobs(HandoffCase):
    def test_a_link_in_place_of_the_deliveries_writes_nothing_and_locks_no_page(self):
        stranger = self.root / "OTHER"
        stranger.mkdir()
        (self.root / "TST" / "TST_010" / "delivery").symlink_to(stranger)
        self.order()
        self.work()
        task = Task.objects.get()
        self.assertEqual((task.state, self.client.get(self.url("hand-off")).status_code), (State.FAILED, 200))
        self.assertIn("leads out of the production", task.fault)
        self.assertEqual(list(stranger.iterdir()), [])

    def state(self):
        return list(Task.objects.order_by("number").values_list("state", flat=True))

    def test_a_bad_frame_fails_and_the_rest_goes_on(self):
        delivery = self.order("1001-1002")[0]
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
        delivery = self.order("1001")[0]
        self.work()
        frame = delivery.frames.get()
        self.assertEqual(frame.state, State.DONE)
        self.assertEqual(
            Delivery.objects.get().written(frame)["remarks"], [f"{bad.name} was left out: This is not an OpenEXR file."]
        )
        self.assertEqual(frame.bytes, services.path_of(delivery, 1001).stat().st_size)

    def element_now(self):
        return self.shot.elements.get()

    def test_an_unexpected_fault_is_said_and_logged(self):
        self.order()
        for _ in range(engine.MOST_ATTEMPTS):
            with (
                mock.patch.object(services, "deliver_all", side_effect=ZeroDivisionError),
                self.assertRaises(ZeroDivisionError),
            ):
                work.next_task("me")
            Task.objects.update(not_before=None)
        self.assertEqual(self.state(), [State.FAILED])

    def test_cancelling_keeps_what_is_written(self):
        delivery = self.order("1001-1002")[0]
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
        delivery = self.order()[0]
        address = self.url("hand-off-file", delivery=delivery.pk, number=1001)
        self.assertEqual(self.client.get(address).status_code, 404)
        path = services.path_of(delivery, 1001)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"half of it")  # under its name, of a task that is not done
        self.assertEqual(self.client.get(address).status_code, 404)
        path.unlink()
        self.work()
        services.path_of(delivery, 1001).unlink()
        self.assertEqual(self.client.get(address).status_code, 404)
