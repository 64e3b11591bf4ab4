"""How much a plan writes, before it is too late: against the disk and against reason."""

from __future__ import annotations

from collections.abc import Iterator

from prism.judging.finding import ERROR, WARNING, Finding
from prism.pixels.window import PIXEL_LIMIT
from prism.plan.estimate import spoken_bytes, total_bytes
from prism.plan.expansion import PlannedFiles
from prism.plan.plan import Plan

BEYOND_REASON = 16e12  # bytes for one version of one shot
MOST_TASKS = 20_000  # frames of layers through cameras
LARGE_SHARE = 0.5  # of the free space


def size_findings(plan: Plan, files: list[PlannedFiles], free_bytes: int | None) -> Iterator[Finding]:
    """More frames or bytes than a run or a disk can take. free_bytes: on the disk, None if unknown."""
    size = total_bytes(files)
    tasks = len(plan.shot.written_frames) * len(plan.layers) * len(plan.cameras)
    if tasks > MOST_TASKS:
        yield Finding(
            "size.tasks", ERROR, f"{tasks} frames are to be rendered.", "shot",
            f"A run has {MOST_TASKS} at most; choose fewer frames, layers or cameras.",
        )  # fmt: skip
    width, height = plan.shot.written_size
    if width * height > PIXEL_LIMIT:
        yield Finding(
            "size.pixels", ERROR, f"A frame has {width} x {height} pixels, overscan included.", "shot",
            f"Files of more than {PIXEL_LIMIT:,} are not read here; choose a smaller size or less overscan.",
        )  # fmt: skip
    if size > BEYOND_REASON:
        yield Finding(
            "size.reason",
            ERROR,
            f"The files would take about {spoken_bytes(size)}.",
            "files",
            f"That is beyond the {spoken_bytes(BEYOND_REASON)} of one version; look at the size, the frames "
            "and the passes.",
        )
    elif free_bytes is not None and size > free_bytes:
        yield Finding(
            "size.disk", ERROR, f"The files would take about {spoken_bytes(size)}.", "files",
            f"{spoken_bytes(free_bytes)} are free; free more, or write fewer frames or passes.",
        )  # fmt: skip
    elif free_bytes is not None and size > LARGE_SHARE * free_bytes:
        yield Finding(
            "size.large",
            WARNING,
            f"The files would take about {spoken_bytes(size)} of {spoken_bytes(free_bytes)} free.",
            "files",
            "Others need room on this disk too.",
        )
