"""From a plan to the exact list of files: one entry for each sequence, however many frames it has."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from prism.errors import BadArgument
from prism.naming.patterns import Pattern, parse_pattern
from prism.passes.catalogue import BY_KEY
from prism.passes.kinds import LIT, RANKS_PER_LAYER, PassKind, Role
from prism.plan.packing import Packing, Storage, relative_size
from prism.plan.plan import Plan, PlannedImage, ShotSettings
from prism.plan.showing import for_plan, parts_of_groups
from prism.scenes.facts import SceneFacts

ONE_FILE = "passes"  # what {pass} stands for where a file holds all of them
MOST_OUTPUTS = 20_000  # sequences, and light groups of images
COLOUR, DATA, DENOISED = "colour", "data", "denoised"
DENOISED_ROLES = (Role.WHOLE, *LIT)
_FLAT_CHANNELS = {1: ("Y",), 2: ("Y", "A"), 3: ("R", "G", "B"), 4: ("R", "G", "B", "A")}


@dataclass(frozen=True, slots=True)
class PlannedPass:
    """key: of the catalogue, or light_LABEL for one light group, COMPONENT_light_LABEL for a component of it."""

    key: str
    kind: PassKind


@dataclass(frozen=True)
class FileGroup:
    """Passes that share a file. title: what {pass} says of it. alone: one pass, and the file is named after it.

    storages: of every pass. They share the format, and in one part the compression too.
    """

    title: str
    passes: tuple[PlannedPass, ...]
    storages: tuple[Storage, ...]
    alone: bool
    levels: int
    denoised: bool = False
    in_parts: bool = False  # every pass a part of its own
    carries_stray: bool = False  # a copy of the beauty rides along with data

    @property
    def storage(self) -> Storage:
        """The storage of the file, and of its last part: data comes last, and what suits it suits all."""
        return self.storages[-1]

    @cached_property
    def compressions(self) -> tuple[str, ...]:
        """The compressions of every part: one for each pass, or one for all."""
        return tuple(storage.compression for storage in self.storages) if self.in_parts else (self.storage.compression,)

    @cached_property
    def channels(self) -> dict[str, str]:
        """Full channel names to pixel type. Formats without named channels hold them by position."""
        named: dict[str, str] = {
            name: storage.pixel
            for planned, storage in zip(self.passes, self.storages, strict=True)
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
        for planned, storage in zip(self.passes, self.storages, strict=True):
            repeats = -(-self.levels // RANKS_PER_LAYER) if planned.kind.ranked else 1
            stored = storage if self.in_parts else self.storage
            total += planned.kind.bytes_per_pixel * repeats * relative_size(stored, storage.pixel, planned.kind)
        return total


@dataclass(frozen=True)
class PlannedFiles:
    """One image sequence: the same passes of the same layer and camera, for every frame."""

    pattern: Pattern
    place: dict[str, str | int]  # of the fields that all files of an image share
    group: FileGroup
    frames: tuple[int, ...]  # ascending
    shot: ShotSettings

    @property
    def size(self) -> tuple[int, int]:
        """Pixels, overscan included."""
        return self.shot.written_size

    @property
    def display(self) -> tuple[int, int]:
        """Pixels of the picture itself."""
        return self.shot.scaled_size

    @property
    def values(self) -> dict[str, str | int]:
        """The values of all fields but the frame."""
        return self.place | {"pass": self.group.title, "suffix": self.group.storage.suffix}

    def is_of(self, image: PlannedImage) -> bool:
        """Whether these files belong to that layer and camera."""
        return (self.place["layer"], self.place["camera"]) == (image.layer.name, image.camera)

    def path(self, frame: int) -> str:
        """The path of one frame, below the folder of the plan."""
        return self.pattern.expand({**self.values, "frame": frame})

    @cached_property
    def example(self) -> str:
        """The path of the first frame."""
        return self.path(self.frames[0])

    @property
    def passes(self) -> tuple[PlannedPass, ...]:
        """In the order in which they are stored."""
        return self.group.passes

    @property
    def channels(self) -> dict[str, str]:
        """Full channel names with their pixel types."""
        return self.group.channels

    @property
    def bytes_each(self) -> int:
        """Estimate for one frame."""
        return round(self.group.bytes_per_pixel * self.size[0] * self.size[1])


def expand(plan: Plan, facts: SceneFacts) -> list[PlannedFiles]:
    """Every sequence the plan will write, by layer, camera and file. Warm-up frames are never among them.

    facts: of the scene, with its own light labels; the plan's are put over them. Raises BadArgument before there are
    too many to look at.
    """
    facts = for_plan(facts, plan)
    _require_few(len(plan.layers) * len(plan.cameras) * len(facts.labels))
    pattern, shot = parse_pattern(plan.names), plan.shot
    frames = shot.written_frames
    fixed: dict[str, str | int] = {"production": shot.production, "shot": shot.code, "version": plan.number}
    groups: dict[tuple[PlannedPass, ...], list[FileGroup]] = {}  # images that are alike share them
    files = []
    for image in plan.images():
        passes = planned_passes(plan, image, facts)
        if passes not in groups:
            groups[passes] = list(file_groups(plan, passes))
        place = fixed | {"layer": image.layer.name, "camera": image.camera}
        files += [PlannedFiles(pattern, place, group, frames, shot) for group in groups[passes]]
        _require_few(len(files))
    return files


def _require_few(outputs: int) -> None:
    if outputs > MOST_OUTPUTS:
        raise BadArgument(
            f"This plan has more than {MOST_OUTPUTS:,} outputs.",
            where="files",
            advice="Choose fewer layers, cameras, light groups or passes, or put passes into one file.",
        )


def planned_passes(plan: Plan, image: PlannedImage, facts: SceneFacts) -> tuple[PlannedPass, ...]:
    """The passes of an image, with one entry for every light group that is rendered, or for its components."""
    planned: list[PlannedPass] = []
    for key in image.passes:
        kind = BY_KEY[key]
        if kind.role is Role.GROUP:
            planned += [PlannedPass(f"light_{label}", kind) for label in plan.light_groups.chosen(facts.labels)]
        elif kind.role is Role.PART:
            parts = parts_of_groups(plan.light_groups, facts, image)
            planned += [PlannedPass(f"{part.key}_light_{label}", kind) for label in parts for part in parts[label]]
        else:
            planned.append(PlannedPass(key, kind))
    return tuple(planned)


def file_groups(plan: Plan, passes: tuple[PlannedPass, ...]) -> Iterator[FileGroup]:
    """Which passes share a file, denoised ones beside the noisy."""
    yield from _grouped(plan, passes, denoised=False)
    if plan.quality.denoise:
        yield from _grouped(plan, tuple(pass_ for pass_ in passes if pass_.kind.role in DENOISED_ROLES), denoised=True)


def _grouped(plan: Plan, passes: tuple[PlannedPass, ...], *, denoised: bool) -> Iterator[FileGroup]:
    packing = plan.packing
    shared = tuple(pass_ for pass_ in passes if not pass_.kind.own_file)
    if packing.rule == "each-pass":
        titled = [(pass_.key, _with_stray(passes, (pass_,), packing)) for pass_ in shared]
    elif packing.rule == "colour-and-data":
        titled = [(title, _of_kind(shared, is_data, packing)) for title, is_data in ((COLOUR, False), (DATA, True))]
    else:
        titled = [(ONE_FILE, shared)]
    titled += [(pass_.key, (pass_,)) for pass_ in passes if pass_.kind.own_file]
    for title, members in titled:
        if members:
            yield _group(plan, title, members, denoised)


def _of_kind(passes: tuple[PlannedPass, ...], is_data: bool, packing: Packing) -> tuple[PlannedPass, ...]:
    return _with_stray(passes, tuple(pass_ for pass_ in passes if pass_.kind.is_data == is_data), packing)


def _with_stray(
    passes: tuple[PlannedPass, ...], members: tuple[PlannedPass, ...], packing: Packing
) -> tuple[PlannedPass, ...]:
    """The members of a file of data, with a stray beauty before them if that is asked for; other files as they are."""
    if not packing.beauty_in_data or not members or not all(member.kind.is_data for member in members):
        return members
    return tuple(pass_ for pass_ in passes if pass_.kind.role is Role.WHOLE) + members


def _group(plan: Plan, title: str, passes: tuple[PlannedPass, ...], denoised: bool) -> FileGroup:
    own_file = passes[0].kind.own_file
    return FileGroup(
        title=f"{title}_{DENOISED}" if denoised else title,
        passes=passes,
        storages=tuple(plan.packing.storage(pass_.kind) for pass_ in passes),
        alone=own_file or (plan.packing.rule == "each-pass" and len(passes) == 1),
        levels=plan.cryptomatte.levels,
        denoised=denoised,
        in_parts=plan.packing.rule == "parts" and not own_file,
        carries_stray=plan.packing.has_data_files and passes[0].kind.role is Role.WHOLE and passes[-1].kind.is_data,
    )
