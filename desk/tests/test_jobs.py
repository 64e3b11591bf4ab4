"""The engine for long work: tasks under every order of events, the Work page, and work asked for twice at once."""

import json
from datetime import timedelta
from unittest import mock

from django.db import OperationalError
from django.test import TestCase, TransactionTestCase
from django.urls import reverse
from django.utils import timezone
from hypothesis import example, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisCase

from demo.conservatory import build_scene
from desk.jobs import code, engine, registry, tasks, work
from desk.jobs.models import GOOD, OPEN, Job, State, Task, Worker
from desk.jobs.registry import Outcome
from desk.jobs.services import state_of
from desk.scenes.kinds import begin_pictures
from desk.scenes.services import facts_for
from desk.tests.world import Together, World, WorldCase
from desk.web.queue import QUEUE
from prism.errors import BadArgument, Superseded, UnreadableFile

ENDED = (*GOOD, State.FAILED, State.CANCELLED)
EVENTS = ("take", "beat", "done", "fail", "lose", "cancel", "resume")


def quietly(case):
    """Without a queue: what waits is taken by hand."""
    for name in ("top_up", "send"):
        patch = mock.patch.object(engine, name)
        patch.start()
        case.addCleanup(patch.stop)


class AnyOrder(World, HypothesisCase):
    """Whatever happens, a task is one worker's, ends once, and is tried no oftener than it may be."""

    def setUp(self):
        super().setUp()
        self.build()
        quietly(self)

    @settings(max_examples=25, deadline=None)
    @given(st.lists(st.sampled_from(EVENTS), min_size=8, max_size=25), st.integers(1, 3))
    @example(["take", "lose", "take", "done", "beat", "done"], 1)
    @example(["take", "cancel", "resume", "take", "fail", "beat", "done"], 1)
    def test_events(self, events, count):
        job = engine.begin("nothing", self.shot, "a job", [Task(number=n, title=f"{n}") for n in range(count)])
        held: list[Task] = []
        for event in events:
            before = dict(job.tasks.values_list("pk", "state"))
            self.happen(event, job, held)
            for task in job.tasks.all():
                self.assertLessEqual(task.attempts - task.outages, engine.MOST_ATTEMPTS)
                self.assertEqual(task.ended is not None, task.state in ENDED, (event, task.state))
                if before[task.pk] in GOOD:
                    self.assertEqual(task.state, before[task.pk], event)
            owners = [task.claim for task in job.tasks.filter(state=State.RUNNING)]
            self.assertEqual(len(owners), len(set(owners)))
        while any(task.state in OPEN for task in job.tasks.all()):  # and it always comes to an end
            Task.objects.update(not_before=None)
            Task.objects.filter(state=State.RUNNING).update(beat=timezone.now() - 2 * engine.LOST_AFTER)
            engine.sweep()
            Task.objects.update(not_before=None)
            while task := engine.take("last"):
                self.assertTrue(engine.end(task, State.DONE, "Done."))

    def happen(self, event, job, held):
        """One event; what a worker holds that is not its own any more must change nothing."""
        if event == "take":
            task = engine.take("a")
            if task is not None:
                self.assertNotIn(task.claim, [other.claim for other in held])
                held.append(task)
        elif event in ("beat", "done", "fail") and held:
            task = held[0] if event == "beat" else held.pop(0)
            owned = Task.objects.filter(pk=task.pk, claim=task.claim, state=State.RUNNING).exists()
            before = Task.objects.filter(pk=task.pk).values().get()
            if event == "beat":
                self.assertEqual(engine.beat(task, 0.5), owned)
            elif event == "done":
                self.assertEqual(engine.end(task, State.DONE, "Done."), owned)
            else:
                engine.put_off(task, "A fault.")
            if not owned:
                self.assertEqual(Task.objects.filter(pk=task.pk).values().get(), before)
        elif event == "lose":
            Task.objects.filter(state=State.RUNNING).update(beat=timezone.now() - 2 * engine.LOST_AFTER)
            engine.sweep()
            self.assertFalse(job.tasks.filter(state=State.RUNNING).exists())
            Task.objects.update(not_before=None)  # time passes
        elif event in ("cancel", "resume"):
            getattr(engine, event)(job)


class Outages(WorldCase):
    """A worker or the database that goes away is no fault of the task that it had."""

    def setUp(self):
        super().setUp()
        quietly(self)
        self.job = engine.begin("nothing", self.shot, "a job", [Task(number=1, title="1")])

    def lose(self) -> Task:
        Task.objects.update(not_before=None)
        engine.take("a")
        Task.objects.update(beat=timezone.now() - 2 * engine.LOST_AFTER)
        engine.sweep()
        return Task.objects.get()

    def test_it_costs_no_attempt(self):
        for _ in range(2 * engine.MOST_ATTEMPTS):
            self.assertEqual(self.lose().state, State.QUEUED)
        with mock.patch.object(work, "of_kind", return_value=mock.Mock(side_effect=OperationalError("gone away"))):
            for _ in range(engine.MOST_ATTEMPTS):
                Task.objects.update(not_before=None)
                work.next_task("a")
        self.assertEqual(Task.objects.get().state, State.QUEUED)
        Task.objects.update(not_before=None)
        self.assertTrue(engine.end(engine.take("a"), State.DONE, "Done."))

    def test_back_off_grows_to_an_end(self):
        waits = []
        for _ in range(9):
            task = self.lose()
            waits.append(round((task.not_before - timezone.now()).total_seconds()))
        self.assertEqual(waits, sorted(waits))
        self.assertLessEqual(waits[-1], engine.LONGEST_BACKOFF.total_seconds())

    def test_what_ends_every_worker_fails_in_the_end(self):
        for _ in range(engine.MOST_OUTAGES + 1):
            task = self.lose()
        self.assertEqual((task.state, task.fault), (State.FAILED, engine.LOST))
        engine.resume(self.job)
        self.assertEqual(self.lose().state, State.QUEUED)


class Carried(WorldCase):
    """One task carried out, by every way in which it can end."""

    def setUp(self):
        super().setUp()
        quietly(self)
        self.job = engine.begin("test", self.shot, "a job", [Task(number=7, title="seven")])

    def carry(self, outcome):
        def carry_out(task, watch):
            if isinstance(outcome, Exception):
                raise outcome
            return outcome

        with mock.patch.dict(registry._KINDS, {"test": registry.Kind(carry_out, "shot")}):
            work.next_task("me")
        return self.job.tasks.get()

    def test_well(self):
        seen = []
        task = self.carry(Outcome(line="Made.", bytes=12, result={"noise": 0.5}, after=lambda: seen.append("after")))
        self.assertEqual((task.state, task.progress, task.bytes, task.result), (State.DONE, 1, 12, {"noise": 0.5}))
        self.assertIn("Made.", task.log)
        self.assertGreater(task.seconds, 0)
        self.assertEqual(seen, ["after"])

    def test_cancelled_meanwhile(self):
        """What was cancelled while it was being made stays cancelled, and nothing follows from it."""
        outcome = Outcome(line="Made.", after=lambda: self.fail("It was cancelled."))
        with mock.patch.object(work.BeatingWatch, "__exit__", lambda *_: engine.cancel(self.job)):
            self.assertEqual(self.carry(outcome).state, State.CANCELLED)
        self.assertEqual(engine.waiting().count(), 0)

    def test_superseded(self):
        self.assertEqual(self.carry(Superseded("Cancelled.")).state, State.CANCELLED)

    def test_a_fault_is_tried_again_later_and_then_left(self):
        for attempt in range(1, engine.MOST_ATTEMPTS + 1):
            task = self.carry(UnreadableFile("Cut short.", where="a.exr"))
            self.assertEqual((task.attempts, task.fault), (attempt, "a.exr: Cut short."))
            if attempt < engine.MOST_ATTEMPTS:
                wait = task.not_before - timezone.now()
                self.assertEqual(task.state, State.QUEUED)
                self.assertGreater(wait, engine.BACKOFF * (2 ** (attempt - 1) - 0.5))
                self.assertIsNone(work.next_task("me"))  # not before its time
                Task.objects.update(not_before=None)
        self.assertEqual(task.state, State.FAILED)

    def test_nothing_waits(self):
        engine.cancel(self.job)
        self.assertIsNone(work.next_task("me"))


class WhyNothingMoves(WorldCase):
    def test_each_reason(self):
        quietly(self)
        job = engine.begin("test", self.shot, "mine", [Task(number=n, title=f"frame {n}") for n in (1, 2)])
        other = engine.begin("test", self.shot, "another", [Task(number=1, title="one")])
        now = timezone.now()

        def stalled():
            return engine.stalled(list(job.tasks.all()))

        with mock.patch.object(engine, "messages", return_value=None):
            self.assertEqual(stalled(), engine.SILENT)
        with mock.patch.object(engine, "messages", return_value=3):
            self.assertEqual(stalled(), engine.NO_WORKER)
            engine.greet("first@here")
            self.assertEqual(stalled(), "")  # taken up in a moment
            other.tasks.update(state=State.RUNNING, beat=now)
            self.assertEqual(stalled(), "The workers are busy with another.")
            job.tasks.update(not_before=now + timedelta(seconds=60))
            self.assertIn("tried again in a moment", stalled())
            job.tasks.filter(number=1).update(state=State.RUNNING, beat=now - 2 * engine.LOST_AFTER)
            self.assertIn("The worker of frame 1 does not answer", stalled())
            job.tasks.filter(number=1).update(beat=now)
            self.assertEqual(stalled(), "")
            engine.cancel(job)
            self.assertEqual(stalled(), "")
            Worker.objects.update(seen=now - 2 * engine.LOST_AFTER)
            self.assertEqual(engine.running_workers(), [])


class WorkPage(WorldCase):
    def setUp(self):
        super().setUp()
        quietly(self)
        states = (State.DONE, State.FAILED, State.QUEUED)
        self.job = Job.objects.create(
            kind="render", production=self.shot.production, shot=self.shot, title="render v001", author=self.artist
        )
        for number, state in enumerate(states):
            fault = "A fault." if state == State.FAILED else ""
            Task.objects.create(job=self.job, number=number, title="all, wide", state=state, fault=fault)

    def change(self, **body):
        return self.client.post(
            reverse("work-change"), json.dumps({"job": self.job.pk} | body), content_type="application/json",
            headers={"accept": "application/json"},
        )  # fmt: skip

    def test_a_worker_with_other_code_takes_nothing_and_work_says_why(self):
        self.addCleanup(QUEUE.delete, code.KEY)
        for served, refuses in ((code.own(), False), ("0" * 64, True)):
            QUEUE.set(code.KEY, served)
            engine.greet("second@far", code.refusal())
            with mock.patch.object(work, "next_task", return_value=None) as asked:
                tasks.next_task.run()
            self.assertEqual(asked.called, not refuses)
            listed = self.client.get(reverse("work-progress")).json()
            said = [f"second@far {code.DIFFERS}"]
            self.assertEqual((listed["workers"], listed["refusing"]), ([], said) if refuses else (["second@far"], []))
        code.announce()
        self.assertEqual(code.refusal(), "")

    def test_all_work_with_whose_it_is_and_cancel(self):
        (entry,) = self.client.get(reverse("work")).context["page"]["work"]["jobs"]
        self.assertEqual((entry["good"], entry["whole"], entry["state"]), (1, 3, "waiting"))
        self.assertEqual((entry["author"], entry["fault"], entry["url"]), ("ada", "A fault.", self.url("render")))
        self.assertIsNone(entry["seconds"])
        begun = timezone.now() - timedelta(minutes=3)
        self.job.tasks.filter(number=0).update(begun=begun, ended=begun + timedelta(seconds=50))
        (entry,) = self.client.get(reverse("work-progress")).json()["jobs"]
        self.assertAlmostEqual(entry["seconds"], 180, delta=60)  # it is still open
        self.job.tasks.filter(state=State.QUEUED).update(state=State.DONE)
        (entry,) = self.client.get(reverse("work-progress")).json()["jobs"]
        self.assertEqual(entry["seconds"], 50)
        self.job.tasks.filter(number=2).update(state=State.QUEUED)
        self.assertContains(self.client.get("/"), '<span class="count">1</span>')
        self.assertEqual(self.change(action="cancel").json()["jobs"][0]["state"], "failed")
        self.assertNotContains(self.client.get("/"), '<span class="count">')
        self.assertEqual(self.change(action="resume").json()["jobs"][0]["open"], 2)

    def test_kinds_take_turns(self):
        """A frame to hand off does not wait until a long run is rendered, and a run is not starved by it."""
        self.job.tasks.all().delete()
        run, delivery = (
            engine.begin(kind, self.shot, kind, [Task(number=n, title=f"{n}") for n in range(9)])
            for kind in ("render", "hand-off")
        )
        kinds = [engine.take(f"worker {n}").job.kind for n in range(6)]
        self.assertEqual(kinds, ["render", "hand-off"] * 3)
        engine.cancel(run)
        self.assertEqual(engine.take("next").job, delivery)

    def test_no_job_is_endless(self):
        made = []
        tasks = (made.append(n) or Task(number=n, title="x") for n in range(10**9))
        with self.assertRaisesRegex(BadArgument, "more than 20,000 frames"):
            engine.begin("audit", self.shot, "endless", tasks)
        self.assertEqual(len(made), 20_001)
        self.assertFalse(Job.objects.filter(title="endless").exists())

    def test_a_job_waits_until_the_one_before_it_is_done_well(self):
        first = engine.begin("render", self.shot, "first", [Task(number=n, title=f"{n}") for n in (1, 2)], priority=1)
        then = engine.begin("hand-off", self.shot, "then", [Task(number=1, title="one")], priority=1, after=first)
        due = lambda: {task.job for task in engine.waiting()} & {first, then}  # noqa: E731
        self.assertEqual(due(), {first})
        first.tasks.filter(number=1).update(state=State.DONE)
        first.tasks.filter(number=2).update(state=State.FAILED)
        self.assertEqual(due(), set())
        self.assertEqual(engine.stalled(then.tasks.all()), "It waits for first.")
        first.tasks.filter(number=2).update(state=State.SKIPPED)
        self.assertEqual(due(), {then})

    def test_work_of_a_whole_production(self):
        job = engine.begin("parcel", self.shot.production, "everything", [Task(number=1, title="one")])
        listed = {entry["id"]: entry for entry in self.client.get(reverse("work-progress")).json()["jobs"]}[job.pk]
        self.assertEqual((listed["shot"], listed["mayChange"]), ("TST", True))
        self.assertEqual(self.client.get(listed["url"]).status_code, 200)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("work-progress")).json()["jobs"], [])

    def test_put_first(self):
        later = engine.begin("render", self.shot, "later", [Task(number=1, title="one")])
        self.assertEqual(engine.waiting().first().job, self.job)
        self.assertEqual(self.change(job=later.pk, action="priority", priority=1).json()["jobs"][0]["title"], "later")
        self.assertEqual(engine.waiting().first().job, later)
        for wrong in ({"action": "priority", "priority": 7}, {"action": "priority"}, {"action": "paint"}, {"job": "x"}):
            self.assertEqual(self.change(**wrong).status_code, 422, wrong)
        with self.assertRaises(BadArgument):
            engine.put_first(later, -9)

    def test_what_is_left_and_what_went_wrong(self):
        detail = self.client.get(reverse("work-detail"), {"job": self.job.pk}).json()
        self.assertEqual(detail["faults"], [{"title": "all, wide", "fault": "A fault."}])
        self.assertTrue(detail["stalled"])
        self.assertEqual(self.client.get(reverse("work-detail"), {"job": "all"}).status_code, 422)

    def test_others_see_and_change_nothing(self):
        self.client.force_login(self.reviewer)
        self.assertEqual(len(self.client.get(reverse("work-progress")).json()["jobs"]), 1)
        self.assertEqual(self.change(action="cancel").status_code, 403)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("work-progress")).json()["jobs"], [])
        self.assertEqual(self.change(action="cancel").status_code, 404)
        self.assertEqual(self.client.get(reverse("work-detail"), {"job": self.job.pk}).status_code, 404)
        self.assertEqual(self.job.tasks.filter(state=State.QUEUED).count(), 1)


class AtOnce(World, Together, TransactionTestCase):
    """Two requests at the same moment, each in a thread and a connection of its own."""

    def setUp(self):
        super().setUp()
        self.build()
        quietly(self)

    def test_pictures_are_begun_once(self):
        version = self.give_scene(build_scene())
        facts_for(self.shot, ())  # takes a moment the first time, and would part the requests
        begun = self.together(lambda: begin_pictures(version, self.artist))
        self.assertEqual(sum(job is not None for job in begun), 1)
        self.assertEqual(Job.objects.get().tasks.count(), 3)

    def test_a_task_is_taken_once(self):
        engine.begin("test", self.shot, "a job", [Task(number=n, title=f"{n}") for n in range(6)])
        taken = [task.pk for task in self.together(lambda: engine.take("one"), 6) if task]
        self.assertEqual(len(taken), len(set(taken)))
        while task := engine.take("last"):
            taken.append(task.pk)
        self.assertEqual(sorted(taken), sorted(Task.objects.values_list("pk", flat=True)))

    def test_a_scene_gets_one_number(self):
        scene = build_scene()
        self.together(lambda: self.give_scene(scene))
        self.assertEqual(list(self.shot.scenes.values_list("number", flat=True)), [1])


class States(TestCase):
    def test_a_job_in_a_word(self):
        for counts, word in (
            ({"open": 2, "running": 1}, "running"),
            ({"open": 2, "failed": 1}, "waiting"),
            ({"failed": 1, "cancelled": 1}, "failed"),
            ({"cancelled": 1}, "cancelled"),
            ({}, "done"),
        ):
            job = mock.Mock(**{"open": 0, "running": 0, "failed": 0, "cancelled": 0} | counts)
            self.assertEqual(state_of(job), word, counts)
