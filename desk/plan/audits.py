"""A shot's folder compared with its plan, frame by frame, by workers; what is shown belongs to the plan it was made from."""

from __future__ import annotations

from typing import Any

from desk.jobs import engine
from desk.jobs.models import OPEN, Job, State, Task
from desk.scenes.services import facts_for
from desk.shots.models import Shot
from desk.shots.storage import shot_folder
from prism.errors import BadArgument
from prism.intake.auditing import frame_faults
from prism.intake.found import pictures_below
from prism.passes.audit import extras, gathered
from prism.passes.expansion import expand
from prism.passes.plan import Plan

KIND = "audit"
MOST_SHOWN = 200


def begin(shot: Shot, plan: Plan, author) -> Job:
    """Queue every frame of every image. One that is under way for the shot is given up for this one."""
    if not plan.cameras:
        raise BadArgument("The plan has no camera, so there are no files.", where="cameras", advice="Choose one first.")
    for earlier in shot.jobs.filter(kind=KIND, tasks__state__in=OPEN).distinct():
        engine.cancel(earlier)
    tasks = (
        Task(number=frame, title=f"{image.layer.name}, {image.camera}, {frame}", payload={"layer": image.layer.name, "camera": image.camera})
        for frame in plan.shot.written_frames
        for image in plan.images()
    )
    title = f"comparing {shot.code} v{plan.number:03} with the disk"
    job = engine.begin(
        KIND, shot, title, tasks, author=author, priority=1, plan=plan.as_json(), scene=facts_for(shot, plan.cameras).fingerprint
    )
    engine.top_up()
    return job


def compare_frame(task: Task) -> list[dict[str, Any]]:
    """The faults of one frame of one image, as JSON."""
    shot, plan = task.job.shot, Plan.from_json(task.job.payload["plan"], where="plan")
    facts = facts_for(shot, plan.cameras)
    image = next(one for one in plan.images() if (one.layer.name, one.camera) == (task.given("layer"), task.given("camera")))
    files = [one for one in expand(plan, facts) if one.is_of(image)]
    faults = frame_faults(plan, facts, image, files, task.number, shot_folder(shot))
    return [{"pass": planned.group.title, "kind": kind, "what": what} for planned, _, (kind, what) in faults]


def newest(shot: Shot) -> dict[str, Any] | None:
    """The last comparison: how far it is, what it found, and the plan and scene it belongs to. None if there was none."""
    job = shot.jobs.filter(kind=KIND).first()
    if job is None:
        return None
    tasks = list(job.tasks.all())
    done = [task for task in tasks if task.state == State.DONE]
    plan = Plan.from_json(job.payload["plan"], where="plan")
    complete = len(done) == len(tasks)
    deviations = _deviations(shot, plan, done) if complete else []
    return {
        "plan": plan.fingerprint,
        "number": plan.number,
        "isOfNow": _is_of_now(shot, plan, job),
        "made": job.made.isoformat(timespec="minutes"),
        "done": len(done),
        "whole": len(tasks),
        "open": any(task.state in OPEN for task in tasks),
        "failed": [task.fault for task in tasks if task.state == State.FAILED][:3],
        "stalled": engine.stalled(tasks),
        "complete": complete,
        "folder": str(shot_folder(shot)),
        "count": len(deviations),
        "deviations": deviations[:MOST_SHOWN],
    }


def _deviations(shot: Shot, plan: Plan, done: list[Task]) -> list[dict[str, str]]:
    files = expand(plan, facts_for(shot, plan.cameras))
    by_place = {(one.place["layer"], one.place["camera"], one.group.title): one for one in files}
    faults = (
        (planned, task.number, (fault["kind"], fault["what"]))
        for task in done
        for fault in task.result.get("faults", ())
        if (planned := by_place.get((task.given("layer"), task.given("camera"), fault["pass"])))
    )
    folder = shot_folder(shot)
    strange = extras(files, pictures_below(folder)) if files and folder.is_dir() else []
    return [one.as_json() for one in gathered(faults) + strange]


def _is_of_now(shot: Shot, plan: Plan, job: Job) -> bool:
    """Whether plan, scene and files are still those the comparison was made from."""
    now = Plan.from_json(shot.plan.document, where="plan")
    written = Task.objects.filter(job__shot=shot, job__kind="render", state=State.DONE, ended__gt=job.made)
    same_scene = facts_for(shot, plan.cameras).fingerprint == job.payload.get("scene", "")
    return now.fingerprint == plan.fingerprint and same_scene and not written.exists()
