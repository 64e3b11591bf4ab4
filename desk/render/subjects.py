"""A pass of a frame that a run has finished, before it is brought in as part of an element."""

from django.shortcuts import get_object_or_404

from desk.jobs.models import Task
from desk.render.comparing import key_in, sources_of_pass
from desk.render.services import KIND
from desk.viewer.registry import Asked, Opened, subject
from desk.web.requests import whole_number
from prism.plan.plan import Plan
from prism.viewing.subjects import PassSubject


@subject("run")
def open_rendered(asked: Asked) -> Opened:
    """One pass of a frame that was rendered here. Raises UnreadableFile."""
    frames = Task.objects.filter(job__kind=KIND, job__shot=asked.shot)
    task = get_object_or_404(frames.select_related("job__run__shot__production"), pk=whole_number(asked.chosen, "task"))
    key = str(asked.chosen.get("key", "beauty"))
    sources = sources_of_pass(task, key, denoised=asked.chosen.get("denoised") is True)
    space = Plan.from_json(task.job.run.document).shot.space
    return Opened(PassSubject(key_in(sources, key)), sources, space)
