"""A folder on disk compared with the plan: what is missing, what is there that should not be, what is not as planned."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field

from prism.colour.spaces import SPACES, space_of
from prism.errors import BadArgument
from prism.naming.frames import format_frames
from prism.passes.expansion import PlannedFiles, PlannedPass
from prism.passes.kinds import Role
from prism.passes.packing import FORMATS, WHOLE_NUMBERS

CLAMPED_SHARE = 1e-3  # of the pixels at just 1.0, with none above, that look cut off there
BLANK_ROLES = (Role.WHOLE, Role.IDENTIFY, Role.MEASURE)
"""Passes that are never empty where their subject is in frame; light may be dark for good reasons."""
MAY_BE_STILL = frozenset({"motion_forward", "motion_backward", "variance", "deep"})


@dataclass(frozen=True, slots=True)
class PlaneFacts:
    """Over all pixels of a channel. least, most: of the finite values; None where there is none. ones: at just 1.0."""

    least: float | None
    most: float | None
    nan: int = 0
    infinite: int = 0
    ones: int = 0
    pixels: int = 1


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
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Deviation:
    """kind: missing, extra, unreadable, window, channels, type, compression, aspect, colour, values, blank, clamped, scene,
    plan or sum. frames: those concerned, as a list of runs."""

    kind: str
    name: str  # of the first file of the sequence
    frames: str
    what: str

    def as_json(self) -> dict[str, str]:
        """All fields, for JSON."""
        return asdict(self)


@dataclass(frozen=True, slots=True)
class Expected:
    """Fingerprints that files should carry; empty where that is not known."""

    scene: str = ""
    plan: str = ""


def faults_of(planned: PlannedFiles, found: FoundFile | None, expected: Expected) -> Iterator[tuple[str, str]]:
    """(kind, what) of all that is not as planned in one file."""
    if found is None:
        yield "missing", "Not there."
    elif found.fault or found.channels is None:
        yield "unreadable", found.fault
    else:
        yield from _windows(planned, found)
        yield from _channels(planned, found)
        yield from _header(planned, found, expected)
        yield from _values(planned, found)


def gathered(found: Iterable[tuple[PlannedFiles, int, tuple[str, str]]]) -> list[Deviation]:
    """One deviation for each fault of a sequence, with all frames that have it."""
    frames: dict[tuple[str, str, str], list[int]] = {}
    for planned, frame, (kind, what) in found:
        frames.setdefault((kind, planned.example.rpartition("/")[2], what), []).append(frame)
    return [Deviation(kind, name, format_frames(numbers), what) for (kind, name, what), numbers in frames.items()]


def audit(
    files: Sequence[PlannedFiles], found: Mapping[str, FoundFile], expected: Expected = Expected()
) -> list[Deviation]:
    """found: by relative path. An empty answer means that just the planned files are there, as planned."""
    faults = (
        (planned, frame, fault)
        for planned in files
        for frame in planned.frames
        for fault in faults_of(planned, found.get(planned.path(frame)), expected)
    )
    return gathered(faults) + extras(files, found)


def extras(files: Sequence[PlannedFiles], paths: Iterable[str]) -> list[Deviation]:
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
        Deviation("extra", path, "", "This file is not in the plan.") for path in strange if not is_other_version(path)
    ]


def _windows(planned: PlannedFiles, found: FoundFile) -> Iterator[tuple[str, str]]:
    if planned.group.storage.format != "exr":  # other formats know one size, overscan included
        if found.display != planned.size:
            yield "window", "Holds {} x {} pixels instead of {} x {}.".format(*found.display, *planned.size)
    elif found.display != planned.display:
        yield "window", "The picture is {} x {} pixels instead of {} x {}.".format(*found.display, *planned.display)
    else:
        across, down = ((full - side) // 2 for full, side in zip(planned.size, planned.display, strict=True))
        if found.data != (-across, -down, *planned.size):
            yield (
                "window",
                (
                    f"Pixels lie from {found.data[0]},{found.data[1]} over {found.data[2]} x {found.data[3]} instead of from "
                    f"{-across},{-down} over {planned.size[0]} x {planned.size[1]}."
                ),
            )
    if abs(found.pixel_aspect - planned.shot.pixel_aspect) > 1e-4:
        yield "aspect", f"Pixel aspect {found.pixel_aspect:g} instead of {planned.shot.pixel_aspect:g}."


def _channels(planned: PlannedFiles, found: FoundFile) -> Iterator[tuple[str, str]]:
    lost = sorted(planned.channels.keys() - found.channels.keys())
    if lost:
        yield "channels", f"Without {', '.join(lost)}."
    stray = sorted(found.channels.keys() - planned.channels.keys())
    if stray:
        yield "channels", f"With {', '.join(stray)}, which is not planned."
    for name in sorted(planned.channels.keys() & found.channels.keys()):
        if found.channels[name] != planned.channels[name]:
            yield "type", f"{name} is {found.channels[name]} instead of {planned.channels[name]}."
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
        yield "scene", "Rendered from an older scene; render it again, or take that scene back."
    if expected.plan and found.plan and found.plan != expected.plan:
        yield "plan", "Rendered by another plan than this version's."


def _values(planned: PlannedFiles, found: FoundFile) -> Iterator[tuple[str, str]]:
    for pass_ in planned.passes:
        planes = {name: found.planes[name] for name in _names(planned, pass_) if name in found.planes}
        if not planes:
            continue
        yield from _strange_values(pass_, planes)
        colour = [plane for name, plane in planes.items() if name.rpartition(".")[2] != "A"]
        if colour and pass_.kind.role in BLANK_ROLES and pass_.key not in MAY_BE_STILL and all(map(_is_blank, colour)):
            yield "blank", f"{pass_.kind.title} is empty."
        if colour and planned.group.storage.pixel not in WHOLE_NUMBERS and "unclamped" in pass_.kind.all_demands:
            cut = [plane for plane in colour if plane.most == 1.0 and plane.ones > CLAMPED_SHARE * plane.pixels]
            if cut and all(plane.most is not None and plane.most <= 1.0 for plane in colour):
                yield (
                    "clamped",
                    f"{pass_.kind.title} looks cut off at 1: {max(plane.ones for plane in cut)} pixels are just there.",
                )


def _strange_values(planned: PlannedPass, planes: Mapping[str, PlaneFacts]) -> Iterator[tuple[str, str]]:
    """Not-a-number, and infinity where it does not mean that there is no surface."""
    depth = planned.kind.key in ("depth", "depth_filtered", "deep")
    for name, plane in planes.items():
        endless = 0 if depth and name.rpartition(".")[2] in ("Z", "ZBack", "V") else plane.infinite
        ids = planned.kind.ranked and name.rpartition(".")[2] in (
            "R",
            "B",
        )  # bits of names, of which some are no numbers
        if (plane.nan or endless) and not ids:
            yield "values", f"{name} holds {plane.nan} not-a-number and {endless} infinite pixels."


def _is_blank(plane: PlaneFacts) -> bool:
    return plane.most is None or (plane.least == 0.0 and plane.most == 0.0)


def _names(planned: PlannedFiles, pass_: PlannedPass) -> tuple[str, ...]:
    """Full channel names of one pass of a file; those of the file where it is alone in a format without layers."""
    if "layers" not in planned.group.storage.abilities:
        return tuple(planned.channels)
    return pass_.kind.channel_names(pass_.key, alone=planned.group.alone, levels=planned.group.levels)


def keeps_sums(planned: PlannedFiles) -> bool:
    """Whether what a file holds can be summed to the last bit that its type keeps."""
    form = FORMATS[planned.group.storage.format]
    lossless = all(storage.pixel in form.compressions[storage.compression].exact for storage in planned.group.storages)
    return lossless and planned.group.storage.format == "exr" and not planned.passes[0].kind.own_file
