"""What limits of deep samples would cost, measured on a small frame of the shot's scene that is rendered with all of
them."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.db import transaction

from desk.jobs import engine
from desk.jobs.models import OPEN, Job, Task
from desk.plan.measures import SMALL
from desk.scenes.services import current, scene_of
from desk.shots.models import Shot
from desk.web.saving import locked
from prism.deep.costs import Cost, cheapest, costs

KIND = "deep-limits"
SAMPLES = 16  # of a pixel that is measured; a plan with more has more edges in it, and its errors are smaller
ALL = 1000  # deep samples: as many as a plan can have


def begin(shot: Shot, camera: str, author) -> Job | None:
    """Have a small frame measured; None if that is under way."""
    scene = current(shot)
    with transaction.atomic():
        locked(shot)  # asked for twice at once
        if Task.objects.filter(job__shot=shot, job__kind=KIND, state__in=OPEN).exists():
            return None
        task = Task(number=0, title=camera, payload={"camera": camera, "scene": scene.fingerprint if scene else ""})
        job = engine.begin(KIND, shot, f"deep limits of {camera}", [task], author=author, priority=1)
    engine.top_up()
    return job


def measure(task: Task) -> list[dict[str, Any]]:
    """What every pair of limits costs, as `prism.deep.costs` has it. Raises PrismError."""
    # Imported here: the renderer takes seconds to load.
    from prism.passes.catalogue import BY_KEY
    from prism.plan.plan import Deep
    from standin.render import Order, Quality, render

    scene = scene_of(task.job.shot)
    order = Order(
        camera=task.given("camera"), size=SMALL, passes={"deep": BY_KEY["deep"]}, quality=Quality(samples=SAMPLES),
        deep=Deep(most_samples=ALL, merge_distance=0.0),
    )  # fmt: skip
    samples = render(scene, scene.first, order).deep
    assert samples is not None  # asked for in the order
    return [asdict(cost) for cost in costs(samples)]


def measured(shot: Shot, camera: str, most_error: float) -> dict[str, Any] | None:
    """The costs through a camera, and the number of the cheapest within an error; None unless they were measured on the
    scene as it is now."""
    scene = current(shot)
    tasks = Task.objects.filter(job__shot=shot, job__kind=KIND).exclude(result={}).order_by("-pk")
    given = (task for task in tasks[:20] if task.given("camera") == camera)
    task = next(given, None)
    if task is None or scene is None or task.given("scene") != scene.fingerprint:
        return None
    found = [Cost(**cost) for cost in task.result["costs"]]
    best = cheapest(found, most_error)
    return {"costs": task.result["costs"], "best": None if best is None else found.index(best), "task": task.pk}
