"""The demo's shots: their first frame, then what is made of it, by a worker."""

from __future__ import annotations

import os

from django.db import transaction

from demo import load
from demo.bird import NAME as BIRD
from demo.bird import draw_all
from demo.conservatory import FIRST
from demo.finishes import finished
from demo.ledgers import graded, with_bird
from desk.elements.models import Place
from desk.intake.looking import look
from desk.jobs import engine
from desk.jobs.models import Task
from desk.jobs.registry import Outcome, Watch, kind
from desk.plan.models import Plan
from desk.rebuild.models import Ledger
from desk.rebuild.services import keep_version, open_ledger, parse, save
from desk.render.services import RunRequest, begin
from desk.shots.models import Shot
from desk.shots.storage import shot_folder
from prism.text import storable

KIND = "demo"
AT_ONCE, BEHIND_OTHERS = 1, -2


def begin_demo(shot: Shot, user) -> None:
    """Queue the first frame of a shot of the demo, and what is made of it. The caller sends the messages."""
    first = begin(shot, user, RunRequest(frames=str(FIRST), priority=AT_ONCE))
    task = Task(number=FIRST, title="first ledger")
    engine.begin(KIND, shot, "first ledger of the demo", [task], author=user, priority=AT_ONCE, after=first.job)


@kind(KIND, station="rebuild")
def carry_on(task: Task, watch: Watch) -> Outcome:
    """Make the ledger of a shot whose first frame is there, and queue its other frames. Raises PrismError."""
    shot, user = Shot.objects.get(pk=task.job.shot_id), task.job.author
    demo = next(demo for demo in load.SHOTS if demo.code == shot.code)
    with transaction.atomic():  # all versions or none: what is broken off is begun again
        if not shot.ledgers.exists() and (ledger := open_ledger(shot)):
            (_let_fly if demo.deep else _grade)(ledger, user)
    # A shot of few frames goes before one of many, so that every page soon has something to show.
    priority = BEHIND_OTHERS + (not demo.first)
    begin(shot, user, RunRequest(frames=load.frames_of(demo, os.cpu_count() or 1), priority=priority))
    if demo.layered_next:
        Plan.objects.filter(shot=shot).update(document=load.next_plan_of(demo).as_json())
    return Outcome(line="The first ledger is made; the other frames follow.")


def _grade(ledger: Ledger, user) -> None:
    """Three versions: as it was rendered, the grade of dusk, and that finished."""
    keep_version(ledger, user, "as rendered")
    first = parse(ledger.shot, ledger.document)
    element, _, beauty = first.beauty.rpartition("/")
    document = graded(element, beauty).replace(space=first.space)
    revision = save(ledger, document, ledger.revision, user)
    keep_version(ledger, user, "dusk, graded by lights")
    save(ledger, finished(document, element), revision, user)
    keep_version(ledger, user, "dusk, finished")


def _let_fly(ledger: Ledger, user) -> None:
    """Two versions: as it was rendered, and with the bird."""
    keep_version(ledger, user, "as rendered")
    folder = draw_all(shot_folder(ledger.shot))
    place = Place.objects.create(shot=ledger.shot, folder=storable(str(folder)), name=BIRD)
    look(place)
    first = parse(ledger.shot, ledger.document)
    save(ledger, with_bird(first, first.beauty.rpartition("/")[0], BIRD), ledger.revision, user)
    keep_version(ledger, user, "a paper bird flies through it")
