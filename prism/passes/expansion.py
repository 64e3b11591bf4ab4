"""From a plan to the exact list of files: one entry for each sequence, however many frames it has."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from prism.naming.patterns import Pattern, parse_pattern
from prism.passes.catalogue import BY_KEY
from prism.passes.facts import SceneFacts, parts_of_groups
from prism.passes.kinds import RANKS_PER_LAYER, PassKind, Role
from prism.passes.packing import Packing, Storage, relative_size
from prism.passes.plan import Plan, PlannedImage

ONE_FILE = "passes"  # what {pass} stands for where a file holds all of them
COLOUR, DATA, DENOISED = "colour", "data", "denoised"
DENOISED_ROLES = (Role.WHOLE, Role.LIGHT, Role.GROUP, Role.PART)
_FLAT_CHANNELS = {1: ("Y",), 2: ("Y", "A"), 3: ("R", "G", "B"), 4: ("R", "G", "B", "A")}


@dataclass(frozen=True, slots=True)
class PlannedPass:
    """key: of the catalogue, or light_LABEL for one light group, COMPONENT_light_LABEL for a component of it."""

    key: str
    kind: PassKind


@dataclass(frozen=True)
class FileGroup:
    """Passes that share a file. title: what {pass} says of it. alone: one pass, and the file is named after it."""

    title: str
    passes: tuple[PlannedPass, ...]
    storage: Storage  # of the file
    pixels: tuple[str, ...]  # of every pass
    alone: bool
    levels: int
    denoised: bool = False
    in_parts: bool = False  # every pass a part of its own

    @cached_property
    def channels(self) -> dict[str, str]:
        """Full channel names to pixel type. Formats without named channels hold them by position."""
        named = {
            name: pixel
            for planned, pixel in zip(self.passes, self.pixels, strict=True)
            for name in planned.kind.channel_names(planned.key, alone=self.alone, levels=self.levels)
        }
        if "layers" in self.storage.abilities:
            return named
        flat = _FLAT_CHANNELS.get(len(named), tuple(named))
        kept = flat if "alpha" in self.storage.abilities else tuple(name for name in flat if name != "A")
        return dict.fromkeys(kept, self.storage.pixel)

    @cached_property
    def bytes_per_pixel(self) -> float:
        """Estimate, from measured bytes for each pixel of every pass and its relative size when stored so."""
        total = 0.0
        for planned, pixel in zip(self.passes, self.pixels, strict=True):
            repeats = -(-self.levels // RANKS_PER_LAYER) if planned.kind.ranked else 1
            total += planned.kind.bytes_per_pixel * repeats * relative_size(self.storage, pixel, planned.kind)
        return total


@dataclass(frozen=True)
class PlannedFiles:
    """One image sequence: the same passes of the same layer and camera, for every frame."""

    pattern: Pattern
    place: dict[str, str | int]  # of the fields that all files of an image share
    group: FileGroup
    frames: tuple[int, ...]  # ascending
    size: tuple[int, int]  # pixels, overscan included

    @property
    def values(self) -> dict[str, str | int]:
        """Of all fields but the frame."""
        return self.place | {"pass": self.group.title, "suffix": self.group.storage.suffix}

    def path(self, frame: int) -> str:
        return self.pattern.expand({**self.values, "frame": frame})

    @cached_property
    def example(self) -> str:
        """The path of the first frame."""
        return self.path(self.frames[0])

    @property
    def passes(self) -> tuple[PlannedPass, ...]:
        return self.group.passes

    @property
    def channels(self) -> dict[str, str]:
        return self.group.channels

    @property
    def bytes_each(self) -> int:
        """Estimate for one frame."""
        return round(self.group.bytes_per_pixel * self.size[0] * self.size[1])


def expand(plan: Plan, facts: SceneFacts) -> list[PlannedFiles]:
    """Every sequence the plan will write, by layer, camera and file. Warm-up frames are never among them.

    facts: of the scene, with its own light labels; the plan's are put over them.
    """
    facts = facts.relabelled(plan.light_labels)
    pattern, shot = parse_pattern(plan.names), plan.shot
    frames, size = shot.written_frames, shot.written_size
    fixed = {"production": shot.production, "shot": shot.code, "version": plan.number}
    groups: dict[tuple[tuple[str, ...], frozenset[str]], list[FileGroup]] = {}  # images that are alike share them
    files = []
    for image in plan.images():
        alike = (image.passes, facts.given_to(image))
        if alike not in groups:
            groups[alike] = list(file_groups(plan, planned_passes(plan, image, facts)))
        place = fixed | {"layer": image.layer.name, "camera": image.camera}
        files += [PlannedFiles(pattern, place, group, frames, size) for group in groups[alike]]
    return files


def planned_passes(plan: Plan, image: PlannedImage, facts: SceneFacts) -> tuple[PlannedPass, ...]:
    """The passes of an image, with one entry for every light group that is rendered, or for its components."""
    planned: list[PlannedPass] = []
    for key in image.passes:
        kind = BY_KEY[key]
        if kind.role is Role.GROUP:
            planned += [PlannedPass(f"light_{label}", kind) for label in plan.light_groups.chosen(facts.labels)]
        elif kind.role is Role.PART:
            parts = parts_of_groups(plan.light_groups, facts, facts.given_to(image))
            planned += [PlannedPass(f"{part.key}_light_{label}", kind) for label in parts for part in parts[label]]
        else:
            planned.append(PlannedPass(key, kind))
    return tuple(planned)


def file_groups(plan: Plan, passes: tuple[PlannedPass, ...]) -> Iterator[FileGroup]:
    """Which passes share a file, denoised ones beside the noisy."""
    yield from _grouped(plan, passes, denoised=False)
    if plan.quality.denoise:
        yield from _grouped(plan, tuple(one for one in passes if one.kind.role in DENOISED_ROLES), denoised=True)


def _grouped(plan: Plan, passes: tuple[PlannedPass, ...], *, denoised: bool) -> Iterator[FileGroup]:
    packing = plan.packing
    shared = tuple(one for one in passes if not one.kind.own_file)
    if packing.rule == "each-pass":
        titled = [(one.key, (one,)) for one in shared]
    elif packing.rule == "colour-and-data":
        titled = [(title, _of_kind(shared, is_data, packing)) for title, is_data in ((COLOUR, False), (DATA, True))]
    else:
        titled = [(ONE_FILE, shared)]
    titled += [(one.key, (one,)) for one in passes if one.kind.own_file]
    for title, members in titled:
        if members:
            yield _group(plan, title, members, denoised)


def _of_kind(passes: tuple[PlannedPass, ...], is_data: bool, packing: Packing) -> tuple[PlannedPass, ...]:
    """Colour or data; a stray beauty goes with the data only if asked for."""
    members = tuple(one for one in passes if one.kind.is_data == is_data)
    stray = tuple(one for one in passes if one.kind.role is Role.WHOLE)
    return stray + members if is_data and members and packing.beauty_in_data else members


def _group(plan: Plan, title: str, passes: tuple[PlannedPass, ...], denoised: bool) -> FileGroup:
    """The file is stored as its last pass asks: data comes last, and a file has only one format and compression."""
    storages = [plan.packing.storage(one.kind) for one in passes]
    return FileGroup(
        title=f"{title}_{DENOISED}" if denoised else title,
        passes=passes,
        storage=storages[-1],
        pixels=tuple(storage.pixel for storage in storages),
        alone=plan.packing.rule == "each-pass" or passes[0].kind.own_file,
        levels=plan.cryptomatte.levels,
        denoised=denoised,
        in_parts=plan.packing.rule == "parts" and not passes[0].kind.own_file,
    )
