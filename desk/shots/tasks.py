from celery import shared_task

from demo import load
from desk.plan.measures import record
from desk.shots.models import Shot
from desk.shots.storage import shot_folder


@shared_task(name="shots.render_demo_frames")
def render_demo_frames(code: str, frames: list[int]) -> None:
    """The first of the frames, unless it is there; the rest as a task of its own, so that others get their turn."""
    frame, *rest = frames
    shot = next(shot for shot in load.SHOTS if shot.code == code)
    folder = shot_folder("ORR", code)
    if not load.frame_path(shot, folder, frame).exists():
        measured = load.render(shot, folder, frame)
        record(Shot.objects.get(production__code="ORR", code=code), shot.camera, frame, measured)
    if rest:
        render_demo_frames.delay(code, rest)
