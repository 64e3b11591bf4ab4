"""Processes killed and cut off in the middle of rendering and hand-off: nothing is lost, half there, or for ever under
way.

`EAGER_FAULTS=full ./eager test desk.tests.test_kills` kills every kind twenty times; without it each once.
"""

import os
import random
import signal
import time
from contextlib import suppress
from pathlib import Path

from django.db import connection
from django.test import TransactionTestCase

from desk.celery import app
from desk.elements.services import frames_on_disk
from desk.handoff import services as handoff
from desk.jobs import engine
from desk.jobs.models import OPEN, State
from desk.plan.models import Plan
from desk.rebuild.services import open_ledger
from desk.tests.rendering import HASTY, Working
from prism.delivery.document import Delivery
from prism.intake.found import found_file
from prism.movies.reading import read_movie
from prism.plan.plan import DEFAULT_NAMES, Layer, Quality
from standin.accumulation import COMPONENTS

ROUNDS = 20 if os.environ.get("EAGER_FAULTS") == "full" else 1  # of each kind of kill
FRAMES = 4 if ROUNDS == 1 else 12


MOVIE = {"id": "movie", "encoding": {"kind": "movie", "codec": "png"}}
DOCUMENT = Delivery.from_json({"items": [{"id": "beauty", "encoding": {"kind": "exr"}}, MOVIE]})


class Kills(Working, TransactionTestCase):
    def setUp(self):
        super().setUp()
        self.plan(
            layers=(Layer(name="all"),), names=DEFAULT_NAMES, quality=Quality(samples=4), passes=("beauty", *COMPONENTS)
        )
        plan = Plan.objects.get()
        plan.document["shot"] |= {"width": 96, "height": 54, "frames": f"1001-{1000 + FRAMES}"}
        plan.save()
        self.worker = self.start_worker("worker 0", **HASTY)
        self.workers = 1
        self.random = random.Random(9)

    def test_rendering_and_hand_off_survive_every_kind_of_kill(self):
        run = self.begin()
        # A frame is done a moment before its files are known to the shot.
        known = lambda: frames_on_disk(self.shot.elements.first())  # noqa: E731
        self.wait(lambda: len(known()) >= 2, "no frame is known")
        done = known()
        ledger = open_ledger(self.shot)
        order = ",".join(map(str, done))
        ordered = lambda: handoff.order(self.shot, ledger, self.artist, order, DOCUMENT)  # noqa: E731
        delivery = ordered()
        counts = {}
        for kill in [self.kill_worker, self.kill_decoder, self.cut_queue, self.cut_database] * ROUNDS:
            if not delivery.frames.filter(state__in=OPEN).exists():  # something must be under way
                delivery = ordered()
            time.sleep(self.random.uniform(0.2, 1.5))
            counts[kill.__name__] = counts.get(kill.__name__, 0) + kill()
            if ROUNDS > 1 and not run.frames.filter(state__in=OPEN).exists():
                run = self.begin(only_missing=False)
        jobs = [run.job, delivery.job, delivery.closing]
        under_way = lambda: any(job.tasks.filter(state__in=OPEN).exists() for job in jobs)  # noqa: E731
        self.wait(lambda: not under_way(), "work did not end")
        given_up = sum(job.tasks.filter(state=State.FAILED).count() for job in jobs)
        if ROUNDS > 1 and given_up:  # a frame whose worker is killed three times waits for a person, who tries again
            for job in jobs:
                engine.resume(job)
            self.wait(lambda: not under_way(), "work did not end")
        for job in jobs:
            failed = job.tasks.exclude(state__in=(State.DONE, State.SKIPPED)).values_list("title", "fault", "log")
            self.assertEqual(list(failed), [])
        self.assertGreaterEqual(min(counts.values()), ROUNDS // 2, counts)
        self.check_whole(run)
        for number in done:
            self.assertEqual(found_file(handoff.path_of(delivery, number)).fault, "")
        (movie,) = self.root.rglob("delivery/**/*.mov")
        self.assertEqual(len(list(read_movie(movie))), len(done))
        rest = [path.name for path in (self.root / "TST").rglob(".*") if path.is_file()]
        self.assertEqual(rest, [])
        if ROUNDS > 1:
            print(
                f"\nkills: {counts}; {run.frames.count()} frames and {len(done)} deliveries whole, no half "
                f"file; {given_up} given up and resumed"
            )

    def kill_worker(self) -> int:
        """With all its children, and start another."""
        with suppress(ProcessLookupError):
            os.killpg(self.worker.pid, signal.SIGKILL)
        self.worker.wait()
        self.worker = self.start_worker(f"worker {self.workers}", **HASTY)
        self.workers += 1
        return 1

    def kill_decoder(self) -> int:
        """A child that decodes files, if there is one."""
        deadline = time.monotonic() + 5
        while time.monotonic() < deadline:
            for place in Path("/proc").glob("[0-9]*"):
                with suppress(OSError):
                    of_worker = os.getpgid(int(place.name)) == self.worker.pid
                    if of_worker and b"prism.formats.child" in (place / "cmdline").read_bytes():
                        os.kill(int(place.name), signal.SIGKILL)
                        return 1
            time.sleep(0.02)
        return 0

    def cut_queue(self) -> int:
        """Every message gone, every connection dead, as when the queue's server is restarted."""
        with app.connection_for_write() as broker:
            broker.default_channel.client.flushdb()
            broker.default_channel.client.client_kill_filter(_type="normal", skipme=True)
        return 1

    def cut_database(self) -> int:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT id FROM information_schema.processlist WHERE db = DATABASE() AND id <> CONNECTION_ID()"
            )
            for (key,) in cursor.fetchall():
                with suppress(Exception):  # it ended by itself meanwhile
                    cursor.execute(f"KILL CONNECTION {int(key)}")
        return 1
