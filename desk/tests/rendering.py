"""A shot that is planned and rendered, by hand or by real workers."""

from __future__ import annotations

import time
from unittest import mock

from demo.conservatory import build_scene
from desk.celery import app
from desk.jobs import engine
from desk.jobs.models import OPEN, State, Task
from desk.plan.models import Plan
from desk.plan.services import open_plan
from desk.render import services
from desk.render.models import Run
from desk.tests.world import World
from prism.intake.auditing import audit_folder
from prism.intake.found import pictures_below
from prism.plan.expansion import expand
from prism.plan.plan import Layer, Quality
from prism.plan.plan import Plan as Document
from standin.facts import facts_of

SOON = 120  # seconds a slow machine may take for a small run
HASTY = {"EAGER_LOST_AFTER": "4", "EAGER_BACKOFF": "0.2"}


class Rendering(World):
    """A shot of four small frames with two layers, planned and waiting."""

    renders = True

    def plan(self, **changes):
        self.enterContext(mock.patch("desk.render.kinds.checks.begin"))  # what a run made is read by tasks of its own
        self.scene = build_scene()
        self.give_scene(self.scene)
        plan = Document.from_json(open_plan(self.shot).document)
        wanted = {
            "cameras": ("wide",),
            "passes": ("beauty", "depth"),
            "layers": (Layer(name="all"), Layer(name="back", visibility={"stand": "hidden"})),
            "quality": Quality(samples=1),
            "names": "render/v{version:03}/{layer}_{pass}.{frame:04}.{suffix}",
        }
        Plan.objects.filter(shot=self.shot).update(document=plan.replace(**wanted | changes).as_json())

    def begin(self, **request) -> Run:
        return services.begin(self.shot, self.artist, services.RunRequest(**request))

    def states(self, run):
        return list(run.frames.order_by("number", "pk").values_list("state", flat=True))

    def check_whole(self, run):
        """Every file of the run is there as planned and can be read to its end; nothing else is."""
        plan = Document.from_json(run.document)
        folder = self.root / "TST" / "TST_010"
        files = expand(plan, facts_of(self.scene))
        planned = {
            next(planned for planned in files if planned.values["layer"] == frame.given("layer")).path(frame.number)
            for frame in run.frames.all()
        }
        self.assertEqual(
            {
                deviation.where
                for deviation in audit_folder(plan, facts_of(self.scene), folder)
                if deviation.code != "missing"
            },
            set(),
        )
        rendered = {path for path in pictures_below(folder) if not path.startswith("delivery/")}
        self.assertEqual(rendered, planned)
        left = [path.name for path in folder.rglob(".*")]
        self.assertEqual(left, [])


class Working(Rendering):
    """Mixed into a TransactionTestCase: a planned shot, and real workers on a real queue."""

    def setUp(self):
        super().setUp()
        self.build()
        self.plan()
        with app.connection_for_write() as broker:
            broker.default_channel.client.delete(engine.QUEUE)

    def wait(self, condition, what):
        deadline = time.monotonic() + SOON
        while not condition():
            self.assertLess(time.monotonic(), deadline, f"{what}: {list(Task.objects.values_list('state', 'log'))}")
            time.sleep(0.1)

    def wait_for_end(self, run):
        self.wait(lambda: not run.frames.filter(state__in=OPEN).exists(), "the run did not end")
        self.assertEqual(set(self.states(run)), {State.DONE})
        self.check_whole(run)

    def wait_for_a_running_frame(self, run):
        self.wait(lambda: run.frames.filter(state=State.RUNNING, progress__gt=0).exists(), "no frame began")
        return run.frames.filter(state=State.RUNNING).first()

    def slow(self):
        """Frames that take some seconds each, so that there is a middle to be killed in."""
        self.large(samples=32)

    def large(self, samples: int = 1):
        """Frames of more than 30 kB."""
        document = Document.from_json(open_plan(self.shot).document)
        Plan.objects.update(document=document.replace(shot=document.shot.replace(width=160, height=90)).as_json())
        self.plan(quality=Quality(samples=samples))
