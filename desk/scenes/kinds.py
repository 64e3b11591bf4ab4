"""Small pictures of a scene, drawn by a worker."""

from __future__ import annotations

from desk.jobs import engine
from desk.jobs.models import OPEN, Job, Task
from desk.jobs.registry import Outcome, Watch, kind
from desk.scenes import services
from desk.scenes.models import SceneVersion


def begin_pictures(version: SceneVersion, author=None) -> Job | None:
    """Have the pictures drawn that are not there yet."""
    drawing = version.shot.jobs.filter(kind="look", tasks__state__in=OPEN)
    if version.kind != SceneVersion.Kind.FILE or drawing.exists():
        return None
    cameras = list(services.facts_for(version.shot, (), version).cameras)
    missing = [camera for camera in cameras if not services.picture_path(version, camera).exists()]
    if not missing:
        return None
    tasks = (
        Task(number=number, title=camera, payload={"camera": camera, "scene": version.pk})
        for number, camera in enumerate(missing)
    )
    job = engine.begin("look", version.shot, f"pictures of {version.name}", tasks, author=author, priority=1)
    engine.top_up()
    return job


@kind("look")
def draw(task: Task, watch: Watch) -> Outcome:
    version = SceneVersion.objects.select_related("shot").get(pk=task.given("scene"))
    path = services.draw_picture(version, task.given("camera"))
    return Outcome(line=f"Drawn: {path.name}.", bytes=path.stat().st_size)
