"""How long frames of a shot's scene take, from frames that were rendered."""

from __future__ import annotations

from statistics import median
from typing import Any

from django.utils import timezone

from desk.plan.models import MeasuredFrame
from desk.scenes.services import scene_of
from desk.shots.models import Shot
from prism.plan.estimate import Measured, seconds_per_frame, spoken_time, total_seconds
from prism.plan.plan import Plan as Document

KEPT = 50
LAST = 5  # frames an estimate is based on
SMALL = (240, 136)
SMALL_SAMPLES = 4


def record(shot: Shot, camera: str, frame: int, measured: Measured) -> MeasuredFrame:
    """Keep how long a frame took; the oldest are forgotten."""
    old = list(shot.measured.values_list("pk", flat=True)[KEPT:])
    MeasuredFrame.objects.filter(pk__in=old).delete()
    return MeasuredFrame.objects.create(
        shot=shot,
        camera=camera,
        frame=frame,
        width=measured.width,
        height=measured.height,
        samples=measured.samples,
        seconds=measured.seconds,
        beside=measured.beside,
    )


def measure(shot_pk: int, camera: str) -> MeasuredFrame:
    """Render a small frame of the shot's scene and keep how long it took; takes seconds."""
    # Imported here: the renderer takes seconds to load.
    from standin.render import measure_frame

    shot = Shot.objects.get(pk=shot_pk)
    scene = scene_of(shot)
    measured = measure_frame(scene, scene.first, camera=camera, size=SMALL, samples=SMALL_SAMPLES)
    return record(shot, camera, scene.first, measured)


def to_render_again(shot: Shot, frames: int) -> str:
    """How long so many frames of a shot take to render, from those that were; empty if none was measured."""
    seconds = list(shot.measured.values_list("seconds", flat=True))
    if not seconds:
        return ""
    each = median(seconds)
    counted = "1 frame" if len(seconds) == 1 else f"{len(seconds)} frames"
    return f"{spoken_time(frames * each)} ({frames} × {each:.1f} s, median of {counted} measured)"


def estimate(shot: Shot, document: Document) -> dict[str, Any] | None:
    """Time for the plan, and what that is based on; None if no frame was measured."""
    frames = list(shot.measured.all()[:LAST])
    if not frames:
        return None
    measured = [Measured(frame.seconds, frame.width, frame.height, frame.samples, frame.beside) for frame in frames]
    newest = frames[0]
    size = f"{newest.width} × {newest.height}"
    seen = f"{newest.camera} {newest.frame} at {size}, {newest.samples} samples, {newest.seconds:.1f} s"
    others = f" and {len(frames) - 1} before" if len(frames) > 1 else ""
    beside = f", {newest.beside} side by side" if newest.beside > 1 else ""
    return {
        "perFrame": seconds_per_frame(document, measured),
        "total": total_seconds(document, measured),
        "basis": f"{seen}{others}{beside}, {timezone.localtime(newest.at):%d %b %H:%M}",
        "measured": newest.pk,
    }
