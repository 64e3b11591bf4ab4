"""Work that Intake asks for: a place looked at, and frames read to their last pixel."""

from __future__ import annotations

from desk.intake import checks
from desk.intake.services import KIND, look_at
from desk.jobs.models import Task
from desk.jobs.registry import Outcome, Watch, kind


@kind(KIND, station="intake")
def look(task: Task, watch: Watch) -> Outcome:
    """Look at one folder of a shot again. Raises PrismError."""
    return Outcome(line=look_at(task))


@kind(checks.KIND, station="intake")
def check(task: Task, watch: Watch) -> Outcome:
    """Read one frame of an element. Raises PrismError."""
    element = task.given("element")
    line = checks.check(element, task.number, watch.is_over)
    return Outcome(line=line, after=lambda: checks.follow_up(element, task.number, task.job))
