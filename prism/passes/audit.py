"""A folder on disk held against the plan: what is missing, what is there that should not be, what is not as planned."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass

from prism.naming.frames import format_frames
from prism.passes.expansion import PlannedFiles


@dataclass(frozen=True, slots=True)
class FoundFile:
    """What the header of a file says; fault instead if it cannot be read."""

    size: tuple[int, int] = (0, 0)
    channels: Mapping[str, str] | None = None  # full name to pixel type
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Deviation:
    """kind: missing, extra, unreadable, size, channels or type. frames: those concerned, as a list of runs."""

    kind: str
    name: str  # of the first file of the sequence
    frames: str
    what: str

    def as_json(self) -> dict[str, str]:
        return asdict(self)


def audit(files: Sequence[PlannedFiles], found: Mapping[str, FoundFile]) -> list[Deviation]:
    """found: by relative path. An empty answer means that just the planned files are there, as planned."""
    deviations: list[Deviation] = []
    planned_paths: set[str] = set()
    for planned in files:
        by_fault: dict[tuple[str, str], list[int]] = {}
        for frame in planned.frames:
            path = planned.path(frame)
            planned_paths.add(path)
            for fault in _faults(planned, found.get(path)):
                by_fault.setdefault(fault, []).append(frame)
        name = planned.example.rpartition("/")[2]
        for (kind, what), frames in by_fault.items():
            deviations.append(Deviation(kind, name, format_frames(frames), what))
    for path in sorted(found.keys() - planned_paths):
        deviations.append(Deviation("extra", path, "", "This file is not in the plan."))
    return deviations


def _faults(planned: PlannedFiles, found: FoundFile | None) -> Iterable[tuple[str, str]]:
    if found is None:
        yield "missing", "Not there."
        return
    if found.fault or found.channels is None:
        yield "unreadable", found.fault
        return
    if found.size != planned.size:
        sizes = [f"{width} x {height}" for width, height in (found.size, planned.size)]
        yield "size", f"{sizes[0]} pixels instead of {sizes[1]}."
    lost = sorted(planned.channels.keys() - found.channels.keys())
    if lost:
        yield "channels", f"Without {', '.join(lost)}."
    stray = sorted(found.channels.keys() - planned.channels.keys())
    if stray:
        yield "channels", f"With {', '.join(stray)}, which is not planned."
    for name in sorted(planned.channels.keys() & found.channels.keys()):
        if found.channels[name] != planned.channels[name]:
            yield "type", f"{name} is {found.channels[name]} instead of {planned.channels[name]}."
