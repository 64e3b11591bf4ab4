"""The Render station: runs begun, cancelled, resumed, and what the page shows of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Avg, Count, Max, Q, Sum
from django.utils import timezone

from desk.plan import versions
from desk.plan.scenes import facts_for, scene_of
from desk.plan.services import open_plan
from desk.render import queue
from desk.render.models import GOOD, OPEN, Run, RunFrame, State
from desk.shots.models import Shot
from prism.errors import BadArgument
from prism.naming.frames import format_frames, parse_frames
from prism.passes.checks import ERROR, check
from prism.passes.expansion import PlannedFiles, expand
from prism.passes.facts import SceneFacts
from prism.passes.kinds import Role
from prism.passes.plan import Plan, PlannedImage

LETTERS = {
    State.QUEUED: "q",
    State.RUNNING: "r",
    State.DONE: "d",
    State.SKIPPED: "s",
    State.FAILED: "f",
    State.CANCELLED: "c",
}
PRIORITIES = range(-1, 2)


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """What of a plan is to be rendered. frames: a list, empty for all. Empty layers and light groups are all of them."""

    frames: str = ""
    every: int = 1
    only_missing: bool = True
    layers: tuple[str, ...] = ()
    light_groups: tuple[str, ...] = ()
    priority: int = 0


def begin(shot: Shot, user, wish: Wish) -> Run:
    """Lock the plan and queue its frames. Raises BadArgument, with nothing queued, if the plan or the wish has faults."""
    scene_of(shot)
    opened = open_plan(shot)
    plan = Plan.from_json(opened.document, where="plan")
    facts = facts_for(shot, plan.cameras)
    fault = next((one for one in check(plan, facts) if one.level == ERROR), None)
    if fault:
        raise BadArgument(
            f"The plan has a fault: {fault.what}", where=fault.where, advice=f"{fault.why} Mend it in Plan."
        )
    frames = _frames(plan, wish)
    images = [image for image in plan.images() if not wish.layers or image.layer.name in wish.layers]
    unknown = set(wish.layers) - {layer.name for layer in plan.layers}
    labels = facts.relabelled(plan.light_labels).labels
    unknown |= set(wish.light_groups) - set(labels)
    if unknown:
        raise BadArgument(f"The plan has no {', '.join(sorted(unknown))}.", where="render")
    if not any(files_of(plan, facts, image.layer.name, image.camera, wish.light_groups) for image in images):
        raise BadArgument(
            "No file holds these light groups alone.",
            where="light groups",
            advice="Pack each pass into a file of its own.",
        )
    with transaction.atomic():
        versions.lock(opened)
        run = Run.objects.create(
            shot=shot, document=plan.as_json(), number=plan.number, only_missing=wish.only_missing,
            light_groups=list(wish.light_groups), priority=wish.priority, author=user,
        )  # fmt: skip
        RunFrame.objects.bulk_create(
            RunFrame(run=run, layer=image.layer.name, camera=image.camera, number=number)
            for number in frames
            for image in images
        )
    queue.top_up()
    return run


def cancel(run: Run) -> None:
    """Stop within a band of rows; what is rendered stays."""
    run.frames.filter(state__in=OPEN).update(state=State.CANCELLED, ended=timezone.now(), claim="")


def resume(run: Run) -> None:
    """Queue what was cancelled or set aside again; files that are there and whole are not rendered again."""
    Run.objects.filter(pk=run.pk).update(only_missing=True)
    run.frames.filter(state__in=(State.CANCELLED, State.FAILED)).update(
        state=State.QUEUED, attempts=0, not_before=None, ended=None
    )
    queue.top_up()


def put_first(run: Run, priority: int) -> None:
    """Raises BadArgument for a priority there is not."""
    if priority not in PRIORITIES:
        raise BadArgument(f"There is no priority {priority}.", where="priority")
    Run.objects.filter(pk=run.pk).update(priority=priority)


def files_of(plan: Plan, facts: SceneFacts, layer: str, camera: str, labels: Sequence[str] = ()) -> list[PlannedFiles]:
    """The files of one image of a plan; with labels, only those that hold nothing but the light of these groups."""
    own = [one for one in expand(plan, facts) if (one.values["layer"], one.values["camera"]) == (layer, camera)]
    if not labels:
        return own
    ends = tuple(f"light_{label}" for label in labels)
    return [one for one in own if all(planned.key.endswith(ends) for planned in one.passes)]


def image_of(plan: Plan, layer: str, camera: str) -> PlannedImage:
    return next(one for one in plan.images() if (one.layer.name, one.camera) == (layer, camera))


def beauty_file(run: Run, layer: str, camera: str) -> PlannedFiles | None:
    """The files of a run that hold the rendered beauty, noisy as it is."""
    plan = Plan.from_json(run.document)
    for planned in files_of(plan, facts_for(run.shot, plan.cameras), layer, camera):
        if not planned.group.denoised and any(one.kind.role is Role.WHOLE for one in planned.passes):
            return planned
    return None


def summaries(shot: Shot) -> list[dict[str, Any]]:
    """The runs of a shot, the newest first."""
    counts = Count("frames"), Count("frames", filter=Q(frames__state__in=GOOD))
    runs = shot.runs.annotate(whole=counts[0], good=counts[1])
    runs = runs.annotate(
        seconds=Avg("frames__seconds", filter=Q(frames__state=State.DONE)),
        noise=Avg("frames__noise", filter=Q(frames__state=State.DONE)),
        samples=Avg("frames__samples", filter=Q(frames__state=State.DONE)),
        bytes=Sum("frames__bytes"),
        open=Count("frames", filter=Q(frames__state__in=OPEN)),
        failed=Count("frames", filter=Q(frames__state=State.FAILED)),
        cancelled=Count("frames", filter=Q(frames__state=State.CANCELLED)),
        last=Max("frames__ended"),
    )
    return [_summary(run) for run in runs.select_related("author").order_by("-made", "-pk")[:30]]


def wall(run: Run) -> dict[str, Any]:
    """Every frame of a run as one letter, in rows by layer and camera; the frames being rendered with their share."""
    frames = list(run.frames.defer("log"))
    rows: dict[tuple[str, str], dict[int, RunFrame]] = defaultdict(dict)
    for frame in frames:
        rows[frame.layer, frame.camera][frame.number] = frame
    numbers = sorted({frame.number for frame in frames})
    done = [frame for frame in frames if frame.state in GOOD]
    newest = max(done, key=lambda frame: (frame.ended, frame.pk), default=None)
    return {
        "id": run.pk,
        "numbers": numbers,
        "rows": [
            {
                "layer": layer,
                "camera": camera,
                "states": "".join(LETTERS[held[number].state] if number in held else " " for number in numbers),
                "keys": [held[number].pk if number in held else 0 for number in numbers],
            }
            for (layer, camera), held in rows.items()
        ],
        "running": [
            {"key": frame.pk, "title": frame.title, "share": frame.progress, "worker": frame.worker}
            for frame in frames
            if frame.state == State.RUNNING
        ],
        "newest": {"key": newest.pk, "title": newest.title} if newest else None,
        **_times(frames),
        "stalled": _stalled(frames),
        "failed": [{"key": frame.pk, "title": frame.title} for frame in frames if frame.state == State.FAILED][:20],
    }


def detail(frame: RunFrame) -> dict[str, Any]:
    return {
        "key": frame.pk,
        "title": frame.title,
        "state": frame.get_state_display(),
        "attempts": frame.attempts,
        "worker": frame.worker,
        "seconds": frame.seconds,
        "noise": frame.noise,
        "samples": frame.samples,
        "bytes": frame.bytes,
        "log": frame.log,
    }


def _frames(plan: Plan, wish: Wish) -> list[int]:
    planned = set(plan.shot.written_frames)
    asked = parse_frames(wish.frames) if wish.frames.strip() else sorted(planned)
    strange = sorted(set(asked) - planned)
    if strange:
        raise BadArgument(f"Not in the plan: {format_frames(strange)}.", where="frames", advice="Plan them first.")
    if wish.every < 1:
        raise BadArgument("Every how many frames must be 1 or more.", where="every")
    return sorted(asked)[:: wish.every]


def _summary(run) -> dict[str, Any]:
    state = "running" if run.open else "failed" if run.failed else "cancelled" if run.cancelled else "done"
    quality = run.document["quality"]
    return {
        "id": run.pk,
        "version": run.number,
        "made": run.made.isoformat(timespec="minutes"),
        "author": run.author.get_username() if run.author else "",
        "state": state,
        "good": run.good,
        "whole": run.whole,
        "failed": run.failed,
        "seconds": run.seconds,
        "noise": run.noise,
        "samples": run.samples,
        "bytes": run.bytes or 0,
        "priority": run.priority,
        "settings": f"{quality['samples_per_side'] ** 2} samples, {quality['sampling']}"
        + (f", only {', '.join(run.light_groups)}" if run.light_groups else ""),
    }


def _times(frames: list[RunFrame]) -> dict[str, Any]:
    """How far, how long, and how long still: the mean pace of what is rendered, over those that render side by side."""
    begun = min((frame.begun for frame in frames if frame.begun), default=None)
    unfinished = [frame for frame in frames if frame.state in OPEN]
    ended = max((frame.ended for frame in frames if frame.ended), default=None)
    until = timezone.now() if unfinished else ended
    elapsed = (until - begun).total_seconds() if begun and until else 0.0
    rendered = [frame for frame in frames if frame.state == State.DONE]
    pace = (
        elapsed / (len(rendered) + sum(frame.progress for frame in frames if frame.state == State.RUNNING))
        if rendered
        else 0
    )
    left = sum(1 - frame.progress for frame in unfinished) * pace
    return {
        "elapsed": elapsed,
        "left": left if unfinished and rendered else None,
        "perFrame": sum(frame.seconds for frame in rendered) / len(rendered) if rendered else None,
        "good": sum(frame.state in GOOD for frame in frames),
        "whole": len(frames),
        "bytes": sum(frame.bytes for frame in frames),
    }


def _stalled(frames: list[RunFrame], now: datetime | None = None) -> str:
    """Why nothing moves; empty if something does, or nothing should."""
    now = now or timezone.now()
    unfinished = [frame for frame in frames if frame.state in OPEN]
    if not unfinished:
        return ""
    moving = [frame for frame in unfinished if frame.state == State.RUNNING and now - frame.beat < queue.LOST_AFTER]
    if moving:
        return ""
    if queue.messages() is None:
        return "The queue does not answer. Run ./eager start."
    if not queue.alive():
        return "No worker lives. Run ./eager start, or start one on another machine."
    lost = [frame for frame in unfinished if frame.state == State.RUNNING]
    if lost:
        return f"The worker of {lost[0].title} does not answer; the frame is taken up again by another shortly."
    if all(frame.not_before and frame.not_before > now for frame in unfinished):
        return "Every frame that is left failed just now, and is tried again in a moment."
    busy = RunFrame.objects.filter(state=State.RUNNING).exclude(run=unfinished[0].run_id).first()
    return f"The workers are busy with run {busy.run_id}." if busy else ""
