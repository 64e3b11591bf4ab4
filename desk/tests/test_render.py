"""The Render station: runs begun and ended, and a queue that real processes are killed in."""

import os
import signal
import time
from datetime import timedelta
from unittest import mock

import OpenEXR
from django.db import connection
from django.test import TransactionTestCase
from django.utils import timezone

from desk.celery import app
from desk.elements.models import Element
from desk.elements.services import document_of, sources_of
from desk.intake.checks import begin as begin_checks
from desk.intake.models import Judgement
from desk.jobs import engine, work
from desk.jobs.models import State, Task
from desk.plan.models import Plan
from desk.plan.services import open_plan
from desk.render import services
from desk.render.models import Run, Written
from desk.stations.registry import stations
from desk.tests.rendering import HASTY, Rendering, Working
from desk.tests.world import WorldCase
from prism.balance.balance import balance
from prism.errors import BadArgument, UnwritableFile
from prism.intake.found import found_file
from prism.ledger.first import first_ledger
from prism.plan.packing import Storage
from prism.plan.plan import DEFAULT_NAMES, Layer, Packing, Quality
from prism.plan.plan import Plan as Document
from standin.accumulation import COMPONENTS
from standin.shot import make_frame


class Runs(Rendering, WorldCase):
    """Without processes: frames are taken by hand, and no message is sent."""

    def setUp(self):
        super().setUp()
        for name in ("top_up", "send"):
            patched = mock.patch.object(engine, name)
            patched.start()
            self.addCleanup(patched.stop)
        self.plan()

    def test_a_run_is_frames_times_layers_and_locks_the_plan(self):
        run = self.begin(frames="1001-1004x3")
        self.assertEqual(run.frames.count(), 2 * 2)
        self.assertEqual(list(self.shot.plan.versions.values_list("number", "reason")), [(1, "rendered")])
        self.assertEqual(self.begin(every=3, layers=("back",)).frames.count(), 2)

    def test_wishes_that_make_no_sense(self):
        for request, text in (
            ({"frames": "1003-1009"}, "Not in the plan: 1005-1009"),
            ({"every": 0}, "1 or more"),
            ({"layers": ("front",)}, "no front"),
            ({"light_groups": ("key",)}, "no key"),
            ({"light_groups": ("lanterns",)}, "No file has these light groups alone"),
        ):
            with self.subTest(text), self.assertRaisesRegex(BadArgument, text):
                self.begin(**request)
        self.plan(cameras=())
        with self.assertRaisesRegex(BadArgument, "No camera is chosen.*Fix it in Plan"):
            self.begin()
        self.assertEqual(Run.objects.count(), 0)

    def test_what_no_machine_could_hold(self):
        for side, text in ((8_192, "of memory while it is rendered"), (65_536, "pixels, overscan included")):
            shot = open_plan(self.shot).document["shot"] | {"width": side, "height": side}
            self.plan(shot=shot, passes=("beauty", "depth", "crypto_object", *COMPONENTS))
            with (
                mock.patch.object(services, "free_bytes", return_value=10**18),
                mock.patch.object(os, "sysconf", return_value=1 << 16),
            ):
                with self.subTest(text), self.assertRaisesRegex(BadArgument, text):
                    self.begin()
        self.assertEqual(Task.objects.count(), 0)

    def test_only_some_light_groups(self):
        self.plan(passes=("beauty", "light_group"), packing=Packing(rule="each-pass"), layers=(Layer(name="all"),))
        run = self.begin(frames="1002", light_groups=("moon_rim",))
        work.next_task("me")
        folder = self.root / "TST" / "TST_010" / "render" / "v001"
        self.assertEqual([path.name for path in folder.iterdir()], ["all_light_moon_rim.1002.exr"])
        self.assertEqual(self.states(run), [State.DONE])

    def test_taken_by_priority_and_once(self):
        low, high = self.begin(frames="1001"), self.begin(frames="1002", priority=1)
        taken = [engine.take("me") for _ in range(5)]
        self.assertEqual([frame.job_id for frame in taken if frame], [high.job_id, high.job_id, low.job_id, low.job_id])
        engine.put_first(low.job, 1)
        self.assertEqual(Run.objects.get(pk=low.pk).job.priority, 1)

    def test_a_worker_given_up_cannot_end_a_frame_that_another_took(self):
        self.begin(frames="1001", layers=("all",))
        first = engine.take("first")
        Task.objects.update(beat=timezone.now() - engine.LOST_AFTER - timedelta(seconds=1))
        engine.sweep()
        Task.objects.update(not_before=None)
        second = engine.take("second")
        self.assertEqual((first.pk, second.attempts), (second.pk, 2))
        self.assertFalse(engine.beat(first, 0.5))
        self.assertFalse(engine.end(first, State.DONE, "late"))
        self.assertTrue(engine.end(second, State.DONE, "in time"))
        frame = Task.objects.get()
        self.assertEqual((frame.state, frame.worker), (State.DONE, "second"))
        self.assertIn("did not come back", frame.log)

    def test_a_poison_frame_is_given_up_and_the_rest_goes_on(self):
        run = self.begin(frames="1001-1002", layers=("all",))
        blocked = self.root / "TST" / "TST_010" / "render" / "v001" / "all_passes.1001.exr"
        blocked.mkdir(parents=True)
        for _ in range(6):
            work.next_task("me")
            Task.objects.update(not_before=None)
        self.assertEqual(self.states(run), [State.FAILED, State.DONE])
        bad = run.frames.get(number=1001)
        self.assertEqual((bad.attempts, bad.log.count("A folder has this name")), (engine.MOST_ATTEMPTS, 3))
        self.assertEqual({station.slug: station.state for station in stations(self.shot)}["render"], "needs attention")
        blocked.rmdir()
        services.resume(run)
        work.next_task("me")
        self.assertEqual(self.states(run), [State.DONE, State.DONE])
        self.assertEqual({station.slug: station.state for station in stations(self.shot)}["render"], "done")

    def test_an_unexpected_fault_is_logged_and_raised(self):
        run = self.begin(frames="1001", layers=("all",))
        with mock.patch("standin.shot.make_frame", side_effect=ZeroDivisionError("oops")):
            with self.assertRaises(ZeroDivisionError):
                work.next_task("me")
        self.assertIn("ZeroDivisionError: oops", run.frames.get().log)

    def test_what_is_there_and_whole_is_skipped(self):
        """A file cut short, and one of other channels, are rendered again."""
        run = self.begin(layers=("all",))
        for _ in range(4):
            work.next_task("me")
        folder = self.root / "TST" / "TST_010" / "render" / "v001"
        cut = folder / "all_passes.1002.exr"
        cut.write_bytes(cut.read_bytes()[:-200])
        other = folder / "all_passes.1003.exr"
        other.write_bytes((self.render(1003)).read_bytes())
        (self.folder / "TST_010.1003.exr").unlink()
        again = self.begin(layers=("all",))
        for _ in range(4):
            work.next_task("me")
        self.assertEqual(self.states(again), [State.SKIPPED, State.DONE, State.DONE, State.SKIPPED])
        self.assertEqual(found_file(cut).fault, "")
        everything = self.begin(layers=("all",), only_missing=False, frames="1001")
        work.next_task("me")
        self.assertEqual((self.states(run)[0], self.states(everything)), (State.DONE, [State.DONE]))

    def test_a_finished_run_is_an_element_and_is_read_by_itself(self):
        with mock.patch("desk.render.kinds.checks.begin", begin_checks):
            run = self.begin(layers=("all",), frames="1001-1002")
            while work.next_task("me"):
                pass
        self.assertEqual(self.states(run), [State.DONE] * 2)
        element = Element.objects.get(shot=self.shot)
        document = document_of(element)
        self.assertTrue(document.planned)
        self.assertEqual(
            (document.frames, {pass_.reason for pass_ in document.passes}), ((1001, 1002), {"named by the plan"})
        )
        self.assertEqual(list(element.checks.values_list("frame", flat=True)), [1001, 1002])
        judgement = Judgement.objects.get(element=element)
        self.assertEqual((judgement.checked, judgement.whole), (2, 2))
        # Two frames of four; and so few samples leave fireflies in a picture that small.
        self.assertEqual({finding["code"] for finding in judgement.findings} - {"fireflies"}, {"missing"})

    def test_cancelled_and_resumed(self):
        run = self.begin(layers=("all",))
        work.next_task("me")
        running = engine.take("me")
        services.cancel(run)
        self.assertFalse(engine.beat(running, 0.2))
        self.assertEqual(self.states(run), [State.DONE] + [State.CANCELLED] * 3)
        services.resume(run)
        self.assertEqual(self.states(run), [State.DONE] + [State.QUEUED] * 3)

    def test_a_cancel_stops_the_frame_being_rendered(self):
        run = self.begin(frames="1001", layers=("all",))

        def cancelled(*_, is_stale, **__):
            services.cancel(run)
            deadline = time.monotonic() + 10
            while not is_stale() and time.monotonic() < deadline:
                time.sleep(0.05)
            raise work.Superseded("A newer request took over.")

        with mock.patch("standin.shot.make_frame", cancelled), mock.patch.object(work, "BEAT_EVERY", 0.1):
            with mock.patch.object(engine, "beat", side_effect=lambda frame, share: False):  # threads see no test data
                work.next_task("me")
        self.assertEqual(self.states(run), [State.CANCELLED])

    def test_the_page_says_why_nothing_moves(self):
        run = self.begin(frames="1001", layers=("all",))
        with mock.patch.object(engine, "messages", return_value=None):
            self.assertIn("queue does not answer", services.wall(run)["stalled"])
        with mock.patch.object(engine, "messages", return_value=1):
            self.assertIn("No worker is running", services.wall(run)["stalled"])
            engine.greet("me")
            self.assertEqual(services.wall(run)["stalled"], "")
            frame = engine.take("me")
            self.assertEqual(services.wall(run)["stalled"], "")
            Task.objects.update(beat=timezone.now() - engine.LOST_AFTER - timedelta(seconds=1))
            self.assertIn("does not answer", services.wall(run)["stalled"])
            engine.put_off(frame, "failed")
            self.assertIn("tried again", services.wall(run)["stalled"])

    def test_wall_times_and_frames_by_the_page(self):
        self.ask("render-start", frames="1001-1002", layers=["all"])
        work.next_task("me")
        engine.greet("me")
        wall = self.client.get(self.url("render-progress")).json()["wall"]
        self.assertEqual((wall["numbers"], wall["rows"][0]["states"]), ([1001, 1002], "dq"))
        self.assertEqual((wall["good"], wall["whole"]), (1, 2))
        self.assertAlmostEqual(wall["left"], wall["elapsed"], delta=0.2)
        key = wall["newest"]["key"]
        self.assertIn("Rendered in", self.client.get(self.url("render-frame", pk=key)).json()["log"])
        self.assertEqual(self.client.get(self.url("render-picture", pk=key)).headers["Content-Type"], "image/jpeg")
        self.assertEqual(Element.objects.get(shot=self.shot).name, "render v001 all wide")
        for action, status in (("cancel", 200), ("resume", 200), ("paint", 422)):
            self.assertEqual(self.ask("render-change", run=wall["id"], action=action).status_code, status)
        self.client.force_login(self.reviewer)
        self.assertEqual(self.ask("render-start").status_code, 403)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(self.url("render-frame", pk=key)).status_code, 404)

    def test_two_layers_through_two_cameras_from_plan_to_rebuild(self):
        """Each image gets a folder of its own, and so an element that Rebuild can open and that balances."""
        layers = (
            Layer(name="front", visibility={"room": "holdout"}),
            Layer(name="back", visibility={"stand": "holdout"}),
        )
        cases = (
            ("one-file", DEFAULT_NAMES),
            ("each-pass", "by/{layer}_{camera}/{pass}/{shot}_{pass}.{frame:04}.{suffix}"),
            ("each-pass", "far/{camera}/{layer}/{pass}/{shot}.{frame:04}.{suffix}"),
        )
        for number, (rule, names) in enumerate(cases, start=1):
            self.plan(
                number=number, layers=layers, cameras=("wide", "close"), passes=("beauty", "light_group"),
                names=names, packing=Packing(rule=rule),
            )  # fmt: skip
            self.begin(frames="1001")
            while work.next_task("me"):
                pass
            elements = list(Element.objects.filter(shot=self.shot, name__startswith=f"render v{number:03}"))
            self.assertEqual(len(elements), 4, names)
            for element in elements:
                sources = sources_of([element], 1001)
                self.assertTrue(balance(first_ledger(sources), sources).balanced, element.name)
        page = self.client.get(self.url("rebuild"))
        self.assertEqual((page.status_code, page.context["page"]["frames"]), (200, [1001]))

    def test_warm_up_frames_are_rendered_first_and_thrown_away(self):
        plan = Document.from_json(open_plan(self.shot).document)
        Plan.objects.update(
            document=plan.replace(shot=plan.shot.replace(warm_up=1), layers=(Layer(name="all"),)).as_json()
        )
        run = self.begin(frames="1001")
        while work.next_task("me"):
            pass
        self.assertEqual([(task.number, task.state) for task in run.frames], [(1000, State.DONE), (1001, State.DONE)])
        self.assertEqual(len(list((self.root / "TST").rglob("*.exr"))), 1)
        self.assertIn("thrown away", run.frames.first().log)

    def test_a_light_group_from_a_newer_scene_puts_the_rest_out_of_date(self):
        self.plan(passes=("beauty", "light_group"), packing=Packing(rule="each-pass"), layers=(Layer(name="all"),))
        self.begin(frames="1001")
        work.next_task("me")
        self.assertEqual(services.outdated(self.shot), "")
        brighter = [
            light.replace(radiance=(40, 20, 9)) if light.name == "sun" else light for light in self.scene.lights
        ]
        self.give_scene(self.scene.replace(lights=brighter))
        self.begin(frames="1001", light_groups=("lanterns",), new_version=True)
        work.next_task("me")
        self.assertIn("no longer sum", services.outdated(self.shot))
        self.assertEqual(Task.objects.filter(state=State.DONE).count(), 2)

    def test_files_of_a_version_are_never_written_over(self):
        """By another scene, by another plan under the same names, by a task already queued, or where a file lies
        unasked."""
        self.plan(layers=(Layer(name="all"),))
        self.begin(frames="1001")
        work.next_task("me")
        path = self.root / "TST" / "TST_010" / "render" / "v001" / "all_passes.1001.exr"
        first = path.read_bytes()
        waiting = self.begin(frames="1001", only_missing=False)
        self.give_scene(self.scene.replace(name="later", lights=self.scene.lights[:-1]))
        with self.assertRaisesRegex(BadArgument, "stays.*Render a new version"):
            self.begin(frames="1001")
        by_hand = Document.from_json(Plan.objects.get().document)
        names = "render/v001/{layer}_{pass}.{frame:04}.{suffix}"  # the version's number written out
        Plan.objects.update(document=by_hand.replace(number=2, names=names).as_json())
        for only_missing in (True, False):
            with self.assertRaisesRegex(BadArgument, "stays"):
                self.begin(frames="1001", only_missing=only_missing)
        Written.objects.all().delete()  # as of a version rendered before there were records
        late = self.begin(frames="1001")
        engine.cancel(waiting.job)
        work.next_task("me")
        self.assertIn("stays", late.frames.get().fault)
        self.assertEqual(path.read_bytes(), first)

    def test_a_frame_that_was_cut_off_after_its_files_were_written_is_made_again(self):
        """Also in a format whose files cannot say what they were made from."""
        self.plan(
            layers=(Layer(name="all"),),
            passes=("beauty",),
            packing=Packing(colour=Storage(format="png", pixel="uint8")),
        )
        run = self.begin(frames="1001", only_missing=False)

        def cut_off(*args, **rest):
            make_frame(*args, **rest)
            raise UnwritableFile("Cut off.")

        with mock.patch("standin.shot.make_frame", cut_off):
            work.next_task("me")
        Task.objects.update(not_before=None)
        work.next_task("me")
        self.assertEqual((self.states(run), run.frames.get().attempts), ([State.DONE], 2))
        path = next((self.root / "TST").rglob("*.png"))
        self.give_scene(self.scene.replace(name="later", lights=self.scene.lights[:-1]))
        with self.assertRaisesRegex(BadArgument, "stays"):
            self.begin(frames="1001")
        path.unlink()  # nothing is there to be kept
        self.begin(frames="1001")

    def test_a_new_version_takes_its_own_place(self):
        self.plan(layers=(Layer(name="all"),))
        self.begin(frames="1001")
        work.next_task("me")
        self.give_scene(self.scene.replace(name="later", lights=self.scene.lights[:-1]))
        self.client.force_login(self.artist)
        refused = self.ask("render-start", frames="1001")
        self.assertEqual(refused.json()["error"]["code"], "render.kept")
        self.assertEqual(self.ask("render-start", frames="1001", newVersion=True).status_code, 200)
        work.next_task("me")
        folder = self.root / "TST" / "TST_010" / "render"
        self.assertEqual(sorted(path.parent.name for path in folder.rglob("*.exr")), ["v001", "v002"])
        self.assertEqual(list(self.shot.plan.versions.values_list("number", flat=True)), [1, 2])
        marks = Written.objects.values_list("plan", "scene")
        for (plan, scene), path in zip(marks, sorted(folder.rglob("*.exr")), strict=True):
            with OpenEXR.File(str(path)) as file:
                header = file.header()
                self.assertEqual((header["planFingerprint"], header["sceneFingerprint"]), (plan, scene))

    def test_pauses_do_not_count_and_one_sample_tells_no_noise(self):
        run = self.begin(frames="1001-1003", layers=("all",))
        now = timezone.now()
        for place, task in enumerate(run.frames):
            begun = now - timedelta(seconds=(1000, 994, 100)[place])  # the second begins while the first runs
            Task.objects.filter(pk=task.pk).update(
                state=State.DONE, begun=begun, ended=begun + timedelta(seconds=10), seconds=10
            )
        self.assertAlmostEqual(services.wall(run)["elapsed"], 26, places=3)
        self.assertIsNone(services.summaries(self.shot)[0]["noise"])

    def test_two_runs_compared(self):
        """Cleaner, slower, and how far apart: of two versions, since one version has one set of files."""
        rough = self.begin(frames="1001", layers=("all",))
        work.next_task("me")
        same = self.begin(frames="1001", layers=("all",), only_missing=False)
        work.next_task("me")
        document = Document.from_json(Plan.objects.get().document)
        fine = document.replace(number=2, quality=Quality(samples=16))
        Plan.objects.update(document=fine.as_json())
        clean = self.begin(frames="1001", layers=("all",))
        work.next_task("me")
        noisy, cleaner = (
            summary["noise"] for summary in reversed(services.summaries(self.shot)) if summary["id"] != same.pk
        )
        self.assertEqual((noisy is None, cleaner > 0), (True, True))  # one sample a pixel tells no noise
        found = self.client.get(self.url("render-compare"), {"a": rough.pk, "b": clean.pk}).json()
        first, second = found["runs"]
        self.assertEqual((first["samples"], second["samples"]), (1, 16))
        self.assertGreater(found["largest"], found["mean"])
        self.assertGreater(found["mean"], 0)
        picture = self.client.get(self.url("render-difference"), {"a": rough.pk, "b": clean.pk, "frame": 1001})
        self.assertEqual(picture.headers["Content-Type"], "image/jpeg")
        refused = self.client.get(
            self.url("render-compare"), {"a": rough.pk, "b": same.pk}, headers={"accept": "application/json"}
        )
        self.assertIn(
            "The files of both runs are the same: render/v001/all_passes.1001.exr", refused.json()["error"]["what"]
        )


class Processes(Working, TransactionTestCase):
    """Real workers on a real queue, killed and cut off. After each, the run is complete, every file whole, none
    twice."""

    def test_two_workers_share_a_run(self):
        """The second under its own name, as on another machine; no frame is rendered twice."""
        self.start_worker("first", **HASTY)
        self.start_worker("second", **HASTY)
        self.wait(lambda: len(engine.Worker.objects.all()) == 2, "the workers did not greet")
        self.slow()
        run = self.begin(frames="1001-1002")
        self.wait_for_end(run)
        self.assertEqual(set(run.frames.values_list("worker", flat=True)), {"first@test", "second@test"})
        self.assertEqual(set(run.frames.values_list("attempts", flat=True)), {1})

    def test_a_worker_killed_in_the_middle_of_a_frame(self):
        self.slow()
        first = self.start_worker("first", **HASTY)
        run = self.begin(layers=("all",), frames="1001-1002")
        frame = self.wait_for_a_running_frame(run)
        os.killpg(first.pid, signal.SIGKILL)
        self.start_worker("second", **HASTY)
        self.wait_for_end(run)
        taken_again = run.frames.get(pk=frame.pk)
        self.assertEqual((taken_again.worker, taken_again.attempts), ("second@test", 2))

    def test_messages_lost_and_connections_cut(self):
        """What a restart of the queue and of the database does to a worker: every message gone, every connection
        dead."""
        self.slow()
        self.start_worker("first", **HASTY)
        run = self.begin(layers=("all",), frames="1001-1002")
        self.wait_for_a_running_frame(run)
        with app.connection_for_write() as broker:
            broker.default_channel.client.flushdb()
            broker.default_channel.client.client_kill_filter(_type="normal", skipme=True)
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT id FROM information_schema.processlist WHERE db = DATABASE() AND id <> CONNECTION_ID()"
            )
            for (key,) in cursor.fetchall():
                cursor.execute(f"KILL CONNECTION {int(key)}")
        self.wait_for_end(run)

    def test_a_full_disk(self):
        """Files may not grow beyond 30 kB: each frame is tried, failed, and rendered once there is room."""
        self.large()
        full = self.start_worker("full", limit="ulimit -f 60", **HASTY)
        run = self.begin(frames="1001-1002", layers=("all",))
        self.wait(lambda: set(self.states(run)) == {State.FAILED}, "the frames were not failed")
        self.assertEqual(run.frames.first().attempts, engine.MOST_ATTEMPTS)
        self.assertEqual([path.name for path in (self.root / "TST").rglob("*.exr")], [])
        full.terminate()
        full.wait()
        self.start_worker("first", **HASTY)
        services.resume(run)
        self.wait_for_end(run)
