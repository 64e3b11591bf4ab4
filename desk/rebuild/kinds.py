"""Work that Rebuild asks for: frames compared with what was rendered."""

from __future__ import annotations

from desk.jobs.models import Task
from desk.jobs.registry import Outcome, Watch, kind
from desk.rebuild import sweeps


@kind(sweeps.KIND, station="rebuild")
def compare(task: Task, watch: Watch) -> Outcome:
    """One frame of a shot compared with what was rendered. Raises PrismError."""
    line, result = sweeps.compare(task, watch.is_over)
    return Outcome(line=line, result=result)
