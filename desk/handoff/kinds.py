"""One frame of a delivery, written by a worker."""

from __future__ import annotations

from desk.handoff import services
from desk.jobs.models import Task
from desk.jobs.registry import Outcome, Watch, kind


@kind(services.KIND, station="hand-off")
def write_frame(task: Task, watch: Watch) -> Outcome:
    """Write one frame of an order in all its formats. Raises PrismError."""
    written = services.write(task, watch.is_over)
    size = sum(file["bytes"] for file in written.values())
    files = f"{len(written)} file{'' if len(written) == 1 else 's'}"
    return Outcome(line=f"Wrote {files}, {size / 1e6:.1f} MB.", bytes=size, result={"written": written})
