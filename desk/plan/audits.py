"""A shot's folder compared with its plan, frame by frame, by workers; what is shown belongs to the plan it was made
from."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from desk.jobs import engine
from desk.jobs.models import OPEN, Job, State, Task
from desk.jobs.registry import Outcome
from desk.scenes.services import facts_for
from desk.shots.models import Shot
from desk.shots.storage import shot_file, shot_folder
from prism.errors import BadArgument
from prism.formats.stamps import fingerprint_of_files
from prism.intake.auditing import frame_faults
from prism.intake.found import pictures_below
from prism.plan.audit import extras, gathered
from prism.plan.expansion import PlannedFiles, expand
from prism.plan.plan import Plan

KIND = "audit"
MOST_SHOWN = 200


def begin(shot: Shot, plan: Plan, author) -> Job:
    """Queue every frame of every image. One that is under way for the shot is given up for this one. Raises
    BadArgument."""
    if not plan.cameras:
        raise BadArgument("The plan has no camera, so there are no files.", where="cameras", advice="Choose one first.")
    expand(plan, facts_for(shot, plan.cameras))  # refuses what is too much
    for earlier in shot.jobs.filter(kind=KIND, tasks__state__in=OPEN).distinct():
        engine.cancel(earlier)
    tasks = (
        Task(
            number=frame,
            title=f"{image.layer.name}, {image.camera}, {frame}",
            payload={"layer": image.layer.name, "camera": image.camera},
        )
        for frame in plan.shot.written_frames
        for image in plan.images()
    )
    title = f"comparing v{plan.number:03} with the disk"
    job = engine.begin(
        KIND,
        shot,
        title,
        tasks,
        author=author,
        priority=1,
        plan=plan.as_json(),
        scene=facts_for(shot, plan.cameras).fingerprint,
    )
    engine.top_up()
    return job


def compare_frame(task: Task) -> Outcome:
    """Result: the faults of one frame of one image, and a mark of the files as they were before they were read."""
    shot, plan = task.job.shot, Plan.from_json(task.job.payload["plan"], where="plan")
    facts = facts_for(shot, plan.cameras)
    image = plan.image(task.given("layer"), task.given("camera"))
    files = [planned for planned in expand(plan, facts) if planned.is_of(image)]
    for planned in files:
        shot_file(shot, planned.path(task.number))
    seen = _fingerprint(files, task.number, shot_folder(shot))
    faults = [
        {"pass": planned.group.title, "kind": kind, "what": what}
        for planned, _, (kind, what) in frame_faults(plan, facts, image, files, task.number, shot_folder(shot))
    ]
    found = f"{len(faults)} deviation{'s' * (len(faults) > 1)}" if faults else "no deviation"
    return Outcome(line=f"Read to the end: {found}.", result={"faults": faults, "seen": seen})


def newest(shot: Shot) -> dict[str, Any] | None:
    """The last comparison: how far it is, what it found, and the plan and scene it belongs to. None if there was
    none."""
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
        "isOfNow": complete and _is_of_now(shot, plan, job, done),
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
    by_place = {(planned.place["layer"], planned.place["camera"], planned.group.title): planned for planned in files}
    faults = (
        (planned, task.number, (fault["kind"], fault["what"]))
        for task in done
        for fault in task.result.get("faults", ())
        if (planned := by_place.get((task.given("layer"), task.given("camera"), fault["pass"])))
    )
    folder = shot_folder(shot)
    strange = extras(files, pictures_below(folder)) if files and folder.is_dir() else []
    return [deviation.as_json() for deviation in gathered(faults) + strange]


def _is_of_now(shot: Shot, plan: Plan, job: Job, done: Sequence[Task]) -> bool:
    """Whether plan, scene and files are still those the comparison was made from."""
    now, facts = Plan.from_json(shot.plan.document, where="plan"), facts_for(shot, plan.cameras)
    if now.fingerprint != plan.fingerprint or facts.fingerprint != job.payload.get("scene", ""):
        return False
    files, folder = expand(plan, facts), shot_folder(shot)
    places = {
        (image.layer.name, image.camera): [planned for planned in files if planned.is_of(image)]
        for image in plan.images()
    }
    return all(
        task.result.get("seen") == _fingerprint(places[task.given("layer"), task.given("camera")], task.number, folder)
        for task in done
    )


def _fingerprint(files: Sequence[PlannedFiles], frame: int, folder: Path) -> str:
    return fingerprint_of_files(folder / planned.path(frame) for planned in files)
