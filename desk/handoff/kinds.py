"""One frame of a delivery written by a worker, and what is made of all frames."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from desk.handoff import notes_file, services
from desk.jobs.models import Task
from desk.jobs.registry import Outcome, Watch, kind


@kind(services.KIND, station="hand-off")
def write_frame(task: Task, watch: Watch) -> Outcome:
    """Write one frame of a delivery, all its items. Raises PrismError."""
    return _outcome(services.write(task, watch.is_over))


@kind(services.CLOSING, station="hand-off")
def close_delivery(task: Task, watch: Watch) -> Outcome:
    """Write movies, sheets, boards and parcels, and the record. Raises PrismError."""
    return _outcome(services.close_delivery(task, watch))


@kind(notes_file.KIND, station="hand-off")
def write_notes(task: Task, watch: Watch) -> Outcome:
    """Write all notes of a shot as a PDF. Raises PrismError."""
    result = notes_file.write(task, watch)
    return Outcome(line=f"Wrote {result['bytes'] / 1e6:.1f} MB.", bytes=result["bytes"], result=result)


def _outcome(files: Sequence[dict[str, Any]]) -> Outcome:
    size = sum(file["bytes"] for file in files)
    words = f"{len(files)} file{'' if len(files) == 1 else 's'}"
    return Outcome(line=f"Wrote {words}, {size / 1e6:.1f} MB.", bytes=size, result={"files": list(files)})
