"""The Render station: runs begun, cancelled, resumed, and what the page shows of them."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Avg, Q, Sum
from django.utils import timezone

from desk.jobs import engine
from desk.jobs.models import GOOD, OPEN, State, Task
from desk.jobs.services import counts_by_state, state_of
from desk.plan import versions
from desk.plan.services import open_plan, require_own, save
from desk.render import written
from desk.render.models import Run
from desk.scenes.services import current, facts_for, scene_of
from desk.shots.models import Shot
from desk.shots.storage import free_bytes
from desk.web.saving import Outdated, locked
from prism.errors import BadArgument
from prism.judging.finding import ERROR
from prism.naming.frames import format_frames, parse_frames
from prism.plan.checks import check
from prism.plan.estimate import spoken_bytes
from prism.plan.expansion import PlannedFiles, expand
from prism.plan.plan import Plan, PlannedImage
from prism.plan.showing import for_plan
from prism.scenes.facts import SceneFacts
from prism.viewing.remap import way_of_kind

KIND = "render"
SHOWN = 30  # runs in the history
BYTES_HELD = 12  # of memory for a value while it is summed, rounded and written
LETTERS = {
    State.QUEUED: "q",
    State.RUNNING: "r",
    State.DONE: "d",
    State.SKIPPED: "s",
    State.FAILED: "f",
    State.CANCELLED: "c",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRequest:
    """What of a plan is to be rendered. frames: a list, empty for all. Empty layers and light groups are all of
    them."""

    frames: str = ""
    every: int = 1
    only_missing: bool = True
    layers: tuple[str, ...] = ()
    light_groups: tuple[str, ...] = ()
    priority: int = 0
    new_version: bool = False  # of the plan, since the files of this one stay as they are


def begin(shot: Shot, user, request: RunRequest) -> Run:
    """Lock the plan and queue its frames. Raises BadArgument, with nothing queued, if the plan or the request has
    faults; Locked or Kept if files that are there would be written over."""
    scene_of(shot)
    opened = open_plan(shot)
    plan = Plan.from_json(opened.document, where="plan")
    require_own(shot, plan)
    if request.new_version:
        plan = plan.replace(number=versions.next_number(opened))
    versions.require_unlocked(opened, plan)
    facts = facts_for(shot, plan.cameras)
    fault = next(
        (finding for finding in check(plan, facts, free_bytes=free_bytes()) if finding.severity == ERROR), None
    )
    if fault:
        raise BadArgument(
            f"The plan has a fault: {fault.what}", where=fault.where, advice=f"{fault.advice} Fix it in Plan."
        )
    _require_memory(plan, facts)
    frames = _frames(plan, request)
    images = [image for image in plan.images() if not request.layers or image.layer.name in request.layers]
    unknown = set(request.layers) - {layer.name for layer in plan.layers}
    labels = for_plan(facts, plan).labels
    unknown |= set(request.light_groups) - set(labels)
    if unknown:
        raise BadArgument(f"The plan has no {', '.join(sorted(unknown))}.", where="render")
    if not any(files_of(plan, facts, image.layer.name, image.camera, request.light_groups) for image in images):
        raise BadArgument(
            "No file has these light groups alone.",
            where="light groups",
            advice="Pack each pass into a file of its own.",
        )
    warm_up = plan.shot.warm_up_frames if not request.light_groups else ()
    tasks = [
        _task(image, number, warm_up=number in warm_up) for number in (*warm_up, *frames) for image in images
    ]  # fmt: skip
    planned = [
        file for image in images for file in files_of(plan, facts, image.layer.name, image.camera, request.light_groups)
    ]
    written.require_free(
        shot, plan.fingerprint, facts.fingerprint, (file.path(number) for file in planned for number in frames)
    )
    with transaction.atomic():
        if locked(opened).revision != opened.revision:
            raise Outdated("plan")
        if request.new_version:
            save(opened, plan, opened.revision)
        versions.lock(opened)
        title = f"render v{plan.number:03}" + (
            f", only {', '.join(request.light_groups)}" if request.light_groups else ""
        )
        job = engine.begin(KIND, shot, title, tasks, author=user, priority=request.priority)
        run = Run.objects.create(
            shot=shot, job=job, document=plan.as_json(), number=plan.number, scene=current(shot),
            only_missing=request.only_missing, light_groups=list(request.light_groups),
        )  # fmt: skip
    engine.top_up()
    return run


def cancel(run: Run) -> None:
    """Stop within a band of rows; what is rendered stays."""
    engine.cancel(run.job)


def resume(run: Run) -> None:
    """Take up what was cancelled or failed; files that are there as planned are not rendered again."""
    Run.objects.filter(pk=run.pk).update(only_missing=True)
    engine.resume(run.job)


def _task(image: PlannedImage, number: int, *, warm_up: bool) -> Task:
    title = f"{image.layer.name}, {image.camera}, {number}" + (", warm-up" if warm_up else "")
    payload = {"layer": image.layer.name, "camera": image.camera} | ({"warmUp": True} if warm_up else {})
    return Task(number=number, title=title, payload=payload)


def files_of(plan: Plan, facts: SceneFacts, layer: str, camera: str, labels: Sequence[str] = ()) -> list[PlannedFiles]:
    """The files of one image of a plan; with labels, only those that hold nothing but the light of these groups."""
    image = plan.image(layer, camera)
    files = [planned for planned in expand(plan, facts) if planned.is_of(image)]
    if not labels:
        return files
    ends = tuple(f"light_{label}" for label in labels)
    return [planned for planned in files if all(pass_.key.endswith(ends) for pass_ in planned.passes)]


def file_of(run: Run, layer: str, camera: str, key: str, *, denoised: bool = False) -> PlannedFiles | None:
    """The files of a run that hold a pass; for the beauty those that hold it with other light or alone come first."""
    plan = Plan.from_json(run.document)
    holding = [
        planned
        for planned in files_of(plan, facts_for(run.shot, plan.cameras, run.scene), layer, camera)
        if planned.group.denoised == denoised and any(pass_.key == key for pass_ in planned.passes)
    ]
    return min(holding, key=lambda planned: planned.group.carries_stray, default=None)


def passes_of(run: Run, layer: str, camera: str) -> list[dict[str, Any]]:
    """The passes of an image that can be looked at: key, title, and whether there is a denoised one beside."""
    plan = Plan.from_json(run.document)
    files = files_of(plan, facts_for(run.shot, plan.cameras, run.scene), layer, camera)
    shown = [
        planned for planned in files if planned.group.storage.format == "exr" and not planned.passes[0].kind.own_file
    ]
    clean = {planned.key for file in shown if file.group.denoised for planned in file.passes}
    kinds = {planned.key: planned.kind for file in shown if not file.group.denoised for planned in file.passes}
    return [
        {
            "key": key,
            "title": key.replace("_", " ") if key.startswith("light_") else kind.title,
            "denoised": key in clean,
            "data": kind.is_data,
            "way": way_of_kind(kind),
        }
        for key, kind in kinds.items()
    ]


def outdated(shot: Shot) -> str:
    """What no longer sums, after a light group was rendered again from a newer scene; empty if nothing."""
    runs = shot.runs.select_related("scene").filter(job__tasks__state__in=GOOD).distinct().order_by("-made", "-pk")
    complete = next((run for run in runs if not run.light_groups), None)
    for run in runs:
        if run.light_groups and complete and complete.made < run.made and complete.scene_id != run.scene_id:
            return (
                f"Run {run.pk} rendered {', '.join(run.light_groups)} as v{run.number:03} from a newer scene than "
                f"v{complete.number:03}. Beauty, components and other light groups of that no longer sum with it."
            )
    return ""


def summaries(shot: Shot) -> list[dict[str, Any]]:
    """The runs of a shot, the newest first."""
    runs = shot.runs.annotate(
        **counts_by_state("job__tasks"),
        seconds=Avg("job__tasks__seconds", filter=Q(job__tasks__state=State.DONE)),
        bytes=Sum("job__tasks__bytes"),
    )
    newest = list(runs.select_related("job__author", "scene").order_by("-made", "-pk")[:SHOWN])
    results: dict[int, list[dict[str, Any]]] = defaultdict(list)
    of_done = Task.objects.filter(job__in=[run.job_id for run in newest], state=State.DONE)
    for job, result in of_done.values_list("job", "result"):
        results[job].append(result)
    return [_summary(run, results[run.job_id]) for run in newest]


def wall(run: Run) -> dict[str, Any]:
    """Every frame of a run as one letter, in rows by layer and camera; the frames being rendered with their share."""
    frames = list(run.frames.defer("log"))
    rows: dict[tuple[str, str], dict[int, Task]] = defaultdict(dict)
    for frame in frames:
        rows[frame.given("layer"), frame.given("camera")][frame.number] = frame
    numbers = sorted({frame.number for frame in frames})
    done = [frame for frame in frames if frame.state in GOOD and not frame.given("warmUp")]
    newest = max(done, key=lambda frame: (frame.ended, frame.pk), default=None)
    return {
        "id": run.pk,
        "numbers": numbers,
        "rows": [
            {
                "layer": layer,
                "camera": camera,
                "states": "".join(LETTERS[tasks[number].state] if number in tasks else " " for number in numbers),
                "keys": [tasks[number].pk if number in tasks else 0 for number in numbers],
            }
            for (layer, camera), tasks in rows.items()
        ],
        "running": [
            {"key": frame.pk, "title": frame.title, "share": frame.progress, "worker": frame.worker}
            for frame in frames
            if frame.state == State.RUNNING
        ],
        "newest": _newest(run, newest) if newest else None,
        **_times(frames, stalled := engine.stalled(frames)),
        "stalled": stalled,
        "failed": [{"key": frame.pk, "title": frame.title} for frame in frames if frame.state == State.FAILED][:20],
    }


def _newest(run: Run, frame: Task) -> dict[str, Any]:
    """The frame to look at while others are rendered, and whether it was denoised."""
    clean = file_of(run, frame.given("layer"), frame.given("camera"), "beauty", denoised=True)
    return {"key": frame.pk, "title": frame.title, "denoised": clean is not None}


def detail(frame: Task) -> dict[str, Any]:
    """One frame of a run: what it is, how it went, and the passes that can be looked at."""
    run = frame.job.run
    return {
        "key": frame.pk,
        "passes": passes_of(run, frame.given("layer"), frame.given("camera")) if frame.state in GOOD else [],
        "title": frame.title,
        "state": frame.get_state_display(),
        "attempts": frame.attempts,
        "worker": frame.worker,
        "seconds": frame.seconds,
        "noise": frame.result.get("noise"),
        "samples": frame.result.get("samples"),
        "bytes": frame.bytes,
        "log": frame.log,
    }


def _require_memory(plan: Plan, facts: SceneFacts) -> None:
    """Raises BadArgument for frames that no worker of a machine like this one could hold."""
    width, height = plan.shot.written_size
    channels: dict[tuple[Any, Any], int] = defaultdict(int)
    for planned in expand(plan, facts):
        channels[planned.place["layer"], planned.place["camera"]] += len(planned.channels)
    needed = max(channels.values(), default=0) * width * height * BYTES_HELD
    there = os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    if needed > there:
        raise BadArgument(
            f"One frame takes about {spoken_bytes(needed)} of memory while it is rendered; this machine has "
            f"{spoken_bytes(there)}.",
            where="shot",
            advice="Choose a smaller size, or fewer passes for a layer.",
        )


def _frames(plan: Plan, request: RunRequest) -> list[int]:
    planned = set(plan.shot.written_frames)
    wanted = parse_frames(request.frames) if request.frames.strip() else sorted(planned)
    strange = sorted(set(wanted) - planned)
    if strange:
        raise BadArgument(f"Not in the plan: {format_frames(strange)}.", where="frames", advice="Plan them first.")
    if request.every < 1:
        raise BadArgument("The step between frames must be 1 or more.", where="every")
    return sorted(wanted)[:: request.every]


def mean_of(name: str, results: Iterable[dict[str, Any]]) -> float | None:
    """The mean of the results that have it; None if none does."""
    known = [value for result in results if (value := result.get(name)) is not None]
    return sum(known) / len(known) if known else None


def _summary(run, results: list[dict[str, Any]]) -> dict[str, Any]:
    quality = run.document["quality"]
    samples = quality.get("samples") or quality.get("samples_per_side", 0) ** 2
    return {
        "id": run.pk,
        "version": run.number,
        "made": run.made.isoformat(timespec="minutes"),
        "author": run.job.author.get_username() if run.job.author else "",
        "state": state_of(run),
        "scene": f"{run.scene.name} {run.scene.number}" if run.scene else "",
        "good": run.good,
        "whole": run.whole,
        "failed": run.failed,
        "seconds": run.seconds,
        "noise": mean_of("noise", results),
        "samples": mean_of("samples", results),
        "bytes": run.bytes or 0,
        "priority": run.job.priority,
        "settings": f"{samples} samples, {quality['sampling']}"
        + (f", only {', '.join(run.light_groups)}" if run.light_groups else ""),
    }


def _times(frames: list[Task], stalled: str) -> dict[str, Any]:
    """How far, how long, and how long still, from the time in which anything was worked on; none is left to say of a
    run that is stalled."""
    unfinished = [frame for frame in frames if frame.state in OPEN]
    rendered = [frame for frame in frames if frame.state == State.DONE]
    elapsed = _worked(frames, timezone.now())
    running = sum(frame.progress for frame in frames if frame.state == State.RUNNING)
    pace = elapsed / (len(rendered) + running) if rendered else 0
    left = sum(1 - (frame.progress if frame.state == State.RUNNING else 0) for frame in unfinished) * pace
    return {
        "elapsed": elapsed,
        "left": left if unfinished and rendered and not stalled else None,
        "perFrame": sum(frame.seconds for frame in rendered) / len(rendered) if rendered else None,
        "good": sum(frame.state in GOOD for frame in frames),
        "whole": len(frames),
        "bytes": sum(frame.bytes for frame in frames),
    }


def _worked(frames: Iterable[Task], now: datetime) -> float:
    """Seconds in which at least one frame was worked on: pauses do not count, frames side by side count once."""
    spans = sorted(
        (frame.begun, frame.ended or (now if frame.state == State.RUNNING else frame.beat or frame.begun))
        for frame in frames
        if frame.begun
    )
    total, until = 0.0, None
    for begun, ended in spans:
        start = begun if until is None else max(begun, until)
        total += max(0.0, (ended - start).total_seconds())
        until = ended if until is None else max(until, ended)
    return total
