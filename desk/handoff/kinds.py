"""One frame of a delivery, written by a worker."""

from __future__ import annotations

from desk.handoff import services
from desk.jobs.models import Task
from desk.jobs.registry import Outcome, Watch, kind


@kind(services.KIND)
def write_frame(task: Task, watch: Watch) -> Outcome:
    path, remarks = services.write(task, watch.is_over)
    size = path.stat().st_size
    return Outcome(line=f"Wrote {path.name}, {size / 1e6:.1f} MB.", bytes=size, result={"remarks": remarks})
