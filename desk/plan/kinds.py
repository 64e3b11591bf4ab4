"""Work that planning asks for: a small frame measured, limits of deep samples, a folder compared with the plan."""

from __future__ import annotations

from django.db import transaction

from desk.jobs import engine
from desk.jobs.models import OPEN, Job, Task
from desk.jobs.registry import Outcome, Watch, kind
from desk.plan import audits, limits, measures
from desk.shots.models import Shot
from desk.web.saving import locked


def begin_measuring(shot: Shot, camera: str, author) -> Job | None:
    """Have a small frame measured; None if one of this camera is being measured already."""
    with transaction.atomic():
        locked(shot)  # asked for twice at once
        open_tasks = Task.objects.filter(job__shot=shot, job__kind="measure", state__in=OPEN)
        if camera in open_tasks.values_list("title", flat=True):
            return None
        task = Task(number=0, title=camera, payload={"camera": camera})
        job = engine.begin("measure", shot, f"small frame of {camera}", [task], author=author, priority=1)
    engine.top_up()
    return job


@kind("measure", station="plan")
def measure(task: Task, watch: Watch) -> Outcome:
    """Render one small frame to know what a frame costs. Raises PrismError."""
    measured = measures.measure(task.job.shot_id, task.given("camera"))
    return Outcome(line=f"Rendered in {measured.seconds:.1f} s.", seconds=measured.seconds)


@kind(limits.KIND, station="plan")
def measure_limits(task: Task, watch: Watch) -> Outcome:
    """What limits of deep samples would cost. Raises PrismError."""
    found = limits.measure(task)
    return Outcome(line=f"{len(found)} pairs of limits measured.", result={"costs": found})


@kind("audit", station="plan")
def audit(task: Task, watch: Watch) -> Outcome:
    """Compare one frame on disk with the plan. Raises PrismError."""
    return audits.compare_frame(task)
