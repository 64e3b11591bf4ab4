"""Work that Rebuild asks for: frames compared with what was rendered, and groups by depth written as files."""

from __future__ import annotations

from desk.jobs.models import Task
from desk.jobs.registry import Outcome, Watch, kind
from desk.rebuild import deep_files, sweeps


@kind(sweeps.KIND, station="rebuild")
def compare(task: Task, watch: Watch) -> Outcome:
    """One frame of a shot compared with what was rendered. Raises PrismError."""
    line, result = sweeps.compare(task, watch.is_over)
    return Outcome(line=line, result=result)


@kind(deep_files.KIND, station="rebuild")
def write_by_depth(task: Task, watch: Watch) -> Outcome:
    """One frame of a group by depth as a file. Raises PrismError."""
    return Outcome(line=deep_files.write(task, watch.is_over))
