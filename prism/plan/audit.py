"""A folder on disk compared with the plan: what is missing, what is there that should not be, what is not as
planned."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from prism.colour.spaces import SPACES, space_of
from prism.errors import BadArgument
from prism.judging.finding import ERROR, Finding
from prism.judging.values import PlaneFacts, judge_values
from prism.pixels.file_formats import WRITTEN
from prism.plan.expansion import PlannedFiles, PlannedPass
from prism.plan.packing import WHOLE_NUMBERS

AUDITED = {
    "nan": "values",
    "infinite": "values",
    "black": "blank",
    "clamped": "clamped",
    "eight-bit": "values",
    "range": "values",
}
"""What of the judgement of values counts against the plan, and under which kind."""


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundFile:
    """What was read of a file, to its last pixel; only a fault if that failed.

    channels: full name to pixel type. compressions: by full channel name, where the format has several. chromaticities:
    None if the header has none.
    """

    display: tuple[int, int] = (0, 0)
    data: tuple[int, int, int, int] = (0, 0, 0, 0)  # left, top, width, height
    channels: Mapping[str, str] | None = None
    compressions: Mapping[str, str] = field(default_factory=dict)
    planes: Mapping[str, PlaneFacts] = field(default_factory=dict)
    pixel_aspect: float = 1.0
    chromaticities: tuple[float, ...] | None = None
    scene: str = ""  # fingerprint of what it was rendered from
    plan: str = ""
    place: Mapping[str, Any] = field(default_factory=dict)  # what the header says of shot, layer, camera and frame
    as_rendered: bool | None = None  # whether the pixels are those that its header was written with; None: not said
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Expected:
    """Fingerprints that files should carry; empty where that is not known."""

    scene: str = ""
    plan: str = ""


def faults_of(
    planned: PlannedFiles, found: FoundFile | None, expected: Expected, frame: int | None = None
) -> Iterator[tuple[str, str]]:
    """(kind, what) of all that is not as planned in one file. frame: that it should be of, if that is known."""
    if found is None:
        yield "missing", "Not there."
    elif found.fault or found.channels is None:
        yield "unreadable", found.fault
    else:
        yield from _windows(planned, found)
        yield from _channels(planned, found)
        yield from _header(planned, found, expected)
        yield from _place(planned, found, frame)
        yield from _values(planned, found)


def gathered(found: Iterable[tuple[PlannedFiles, int, tuple[str, str]]]) -> list[Finding]:
    """One finding for each fault of a sequence, with all frames that have it; `where` is the name of its first file.

    Codes: missing, extra, unreadable, window, channels, type, compression, aspect, colour, values, blank, clamped,
    scene, plan, place, pixels or sum.
    """
    frames: dict[tuple[str, str, str], list[int]] = {}
    for planned, frame, (kind, what) in found:
        frames.setdefault((kind, planned.example.rpartition("/")[2], what), []).append(frame)
    return [
        Finding(kind, ERROR, what, where=name, advice=_ADVICE.get(kind, "Render these again."), frames=tuple(numbers))
        for (kind, name, what), numbers in frames.items()
    ]


_ADVICE = {
    "missing": "Render these.",
    "extra": "Remove it, or put it into another folder.",
    "scene": "Render these again, or take that scene back.",
}


def audit(
    files: Sequence[PlannedFiles], found: Mapping[str, FoundFile], expected: Expected = Expected()
) -> list[Finding]:
    """found: by relative path. An empty answer means that just the planned files are there, as planned."""
    faults = (
        (planned, frame, fault)
        for planned in files
        for frame in planned.frames
        for fault in faults_of(planned, found.get(planned.path(frame)), expected, frame)
    )
    return gathered(faults) + extras(files, found)


def extras(files: Sequence[PlannedFiles], paths: Iterable[str]) -> list[Finding]:
    """Files in the planned folders that are not in the plan, other versions of it aside."""
    planned = {planned.path(frame) for planned in files for frame in planned.frames}
    folders = {path.rpartition("/")[0] for path in planned}
    known = {
        field: {str(planned.values[field]) for planned in files}
        for field in ("production", "shot", "layer", "camera", "pass", "suffix")
    }

    def is_other_version(path: str) -> bool:
        try:
            values = files[0].pattern.parse(path, known)
        except BadArgument:  # nobody can tell
            return False
        return values is not None and values.get("version", files[0].values["version"]) != files[0].values["version"]

    strange = (path for path in sorted(paths) if path not in planned and path.rpartition("/")[0] in folders)
    return [
        Finding("extra", ERROR, "This file is not in the plan.", where=path, advice=_ADVICE["extra"])
        for path in strange
        if not is_other_version(path)
    ]


def _windows(planned: PlannedFiles, found: FoundFile) -> Iterator[tuple[str, str]]:
    if planned.group.storage.format != "exr":  # other formats know one size, overscan included
        if found.display != planned.size:
            yield "window", "Has {} x {} pixels instead of {} x {}.".format(*found.display, *planned.size)
    elif found.display != planned.display:
        yield "window", "The picture is {} x {} pixels instead of {} x {}.".format(*found.display, *planned.display)
    else:
        across, down = ((full - side) // 2 for full, side in zip(planned.size, planned.display, strict=True))
        if found.data != (-across, -down, *planned.size):
            yield (
                "window",
                (
                    f"Pixels range from {found.data[0]},{found.data[1]} over {found.data[2]} x {found.data[3]} "
                    "instead of from "
                    f"{-across},{-down} over {planned.size[0]} x {planned.size[1]}."
                ),
            )
    if abs(found.pixel_aspect - planned.shot.pixel_aspect) > 1e-4:
        yield "aspect", f"Pixel aspect {found.pixel_aspect:g} instead of {planned.shot.pixel_aspect:g}."


def _channels(planned: PlannedFiles, found: FoundFile) -> Iterator[tuple[str, str]]:
    there = found.channels or {}
    lost = sorted(planned.channels.keys() - there.keys())
    if lost:
        yield "channels", f"Without {', '.join(lost)}."
    stray = sorted(there.keys() - planned.channels.keys())
    if stray:
        yield "channels", f"With {', '.join(stray)}, which is not planned."
    for name in sorted(planned.channels.keys() & there.keys()):
        if there[name] != planned.channels[name]:
            yield "type", f"{name} is {there[name]} instead of {planned.channels[name]}."
    for planned_pass, compression in zip(
        planned.passes, planned.group.compressions * (1 if planned.group.in_parts else len(planned.passes)), strict=True
    ):
        wrong = {found.compressions.get(name, compression) for name in _names(planned, planned_pass)} - {compression}
        if wrong:
            yield (
                "compression",
                f"{planned_pass.kind.title} is stored with {', '.join(sorted(wrong))} instead of {compression}.",
            )


def _header(planned: PlannedFiles, found: FoundFile, expected: Expected) -> Iterator[tuple[str, str]]:
    if planned.group.storage.format == "exr":
        space = space_of(found.chromaticities)
        if space != planned.shot.space:
            says = SPACES[space] if space else "other primaries" if found.chromaticities else "nothing of its colour"
            yield "colour", f"Says {says} instead of {SPACES[planned.shot.space]}."
    if expected.scene and found.scene and found.scene != expected.scene:
        yield "scene", "Rendered from another scene than the one of now."
    if expected.plan and found.plan and found.plan != expected.plan:
        yield "plan", "Rendered by another plan than this version's."


def _place(planned: PlannedFiles, found: FoundFile, frame: int | None) -> Iterator[tuple[str, str]]:
    """Whose picture the file says it is: a copy under another's name is as well made as the true one."""
    wanted = {name: planned.place[name] for name in ("shot", "layer", "camera")} | {"frame": frame}
    wanted["passes"] = ",".join(pass_.key for pass_ in planned.passes)
    for name, value in wanted.items():
        says = found.place.get(name)
        if says not in (None, "") and value is not None and str(says) != str(value):
            what = name if name != "passes" else "the pass" if "," not in str(says) else "the passes"
            yield "place", f"Holds {what} {says} instead of {value}, as its header says."
    if found.as_rendered is False:
        yield "pixels", "Its pixels are not those that were rendered: its header has the fingerprint of others."


def _values(planned: PlannedFiles, found: FoundFile) -> Iterator[tuple[str, str]]:
    """By the judgement that Intake uses; what may be for good reasons is no deviation."""
    for pass_ in planned.passes:
        planes = {
            name.rpartition(".")[2]: found.planes[name] for name in _names(planned, pass_) if name in found.planes
        }
        if not planes:
            continue
        whole = planned.group.storage.pixel in WHOLE_NUMBERS
        for fault in judge_values(pass_.kind, pass_.kind.title, planes, whole_numbers=whole):
            if fault.code == "black" and found.as_rendered:
                continue  # there was nothing to see
            if fault.severity == ERROR and fault.code in AUDITED and not (whole and fault.code == "eight-bit"):
                yield AUDITED[fault.code], fault.what


def _names(planned: PlannedFiles, pass_: PlannedPass) -> tuple[str, ...]:
    """Full channel names of one pass of a file; those of the file where it is alone in a format without layers."""
    if "layers" not in planned.group.storage.abilities:
        return tuple(planned.channels)
    return pass_.kind.channel_names(pass_.key, alone=planned.group.alone, levels=planned.group.levels)


def keeps_sums(planned: PlannedFiles) -> bool:
    """Whether what a file holds can be summed to the last bit that its type keeps."""
    form = WRITTEN[planned.group.storage.format]
    lossless = all(storage.pixel in form.compressions[storage.compression].exact for storage in planned.group.storages)
    return lossless and planned.group.storage.format == "exr" and not planned.passes[0].kind.own_file
