"""Small pictures of a scene, drawn by a worker."""

from __future__ import annotations

from django.db import transaction
from django.db.models import QuerySet

from desk.jobs import engine
from desk.jobs.models import GOOD, OPEN, Job, Task
from desk.jobs.registry import Outcome, Watch, kind
from desk.scenes import services
from desk.scenes.models import SceneVersion
from desk.web.saving import locked


def begin_pictures(version: SceneVersion, author=None) -> Job | None:
    """Have the pictures drawn that are not there yet, once: what failed or was cancelled is begun again from Work."""
    if version.kind != SceneVersion.Kind.FILE:
        return None
    cameras = services.facts_for(version.shot, (), version).cameras
    missing = [camera for camera in cameras if not services.picture_path(version, camera).exists()]
    with transaction.atomic():
        locked(version)  # several pictures are asked for at once
        if not missing or _drawings(version).exclude(state__in=GOOD).exists():
            return None
        tasks = (
            Task(number=number, title=camera, payload={"camera": camera, "scene": version.pk})
            for number, camera in enumerate(missing)
        )
        title = f"pictures of {version.name}"
        job = engine.begin("look", version.shot, title, tasks, author=author, priority=1, scene=version.pk)
    engine.top_up()
    return job


def are_coming(version: SceneVersion) -> bool:
    """Whether a worker draws, or will draw, pictures of this scene."""
    return _drawings(version).filter(state__in=OPEN).exists()


def _drawings(version: SceneVersion) -> QuerySet[Task]:
    return Task.objects.filter(job__shot=version.shot, job__kind="look", job__payload__scene=version.pk)


@kind("look", station="scene")
def draw(task: Task, watch: Watch) -> Outcome:
    """Draw the small pictures of one version of a scene. Raises PrismError."""
    version = SceneVersion.objects.select_related("shot").get(pk=task.given("scene"))
    path = services.draw_picture(version, task.given("camera"))
    return Outcome(line=f"Drawn: {path.name}.", bytes=path.stat().st_size)
