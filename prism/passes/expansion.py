"""From a plan to the exact list of files: one entry for each sequence, however many frames it has."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from prism.naming.patterns import Pattern, parse_pattern
from prism.passes.catalogue import BY_KEY, PassKind
from prism.passes.facts import SceneFacts
from prism.passes.plan import Layer, Plan

ONE_FILE = "passes"  # what {pass} stands for where a file holds all of them
COLOUR, DATA = "colour", "data"


@dataclass(frozen=True, slots=True)
class PlannedPass:
    """key: of the catalogue, or light_LABEL for one light group."""

    key: str
    kind: PassKind


@dataclass(frozen=True)
class PlannedFiles:
    """One image sequence: the same passes of the same layer and camera, for every frame."""

    pattern: Pattern
    values: dict[str, str | int]  # of all fields but the frame
    passes: tuple[PlannedPass, ...]
    frames: range
    size: tuple[int, int]  # pixels, overscan included
    alone: bool  # whether every pass has a file of its own

    def path(self, frame: int) -> str:
        return self.pattern.expand(self.values | {"frame": frame})

    @cached_property
    def channels(self) -> dict[str, str]:
        """Full channel names to pixel type."""
        return {
            name: planned.kind.pixel
            for planned in self.passes
            for name in planned.kind.channel_names(planned.key, alone=self.alone)
        }

    @property
    def bytes_each(self) -> int:
        """Estimate for one frame in lossless ZIP, from measured bytes for each pixel of every pass."""
        width, height = self.size
        return round(sum(planned.kind.bytes_per_pixel for planned in self.passes) * width * height)


def expand(plan: Plan, facts: SceneFacts) -> list[PlannedFiles]:
    """Every sequence the plan will write, by layer, camera and file. Warm-up frames are never among them."""
    pattern = parse_pattern(plan.names)
    shot = plan.shot
    fixed = {"production": shot.production, "shot": shot.code, "version": plan.number}
    alone = plan.packing.rule == "each-pass"
    files = []
    for layer in plan.layers:
        groups = list(_grouped(plan, _planned(plan, layer, facts)))
        for camera in plan.cameras:
            for title, passes in groups:
                values = fixed | {"layer": layer.name, "camera": camera, "pass": title}
                files.append(PlannedFiles(pattern, values, passes, shot.frames, shot.written_size, alone))
    return files


def _planned(plan: Plan, layer: Layer, facts: SceneFacts) -> tuple[PlannedPass, ...]:
    """The passes of a layer, with one entry for every light group that is rendered."""
    planned = []
    for key in plan.passes_of(layer):
        kind = BY_KEY[key]
        if key == "light_group":
            labels = plan.light_groups.chosen(facts.labels)
            planned += [PlannedPass(f"light_{label}", kind) for label in labels]
        else:
            planned.append(PlannedPass(key, kind))
    return tuple(planned)


def _grouped(plan: Plan, passes: tuple[PlannedPass, ...]) -> Iterator[tuple[str, tuple[PlannedPass, ...]]]:
    """Which passes share a file, and what {pass} says of it."""
    if plan.packing.rule == "each-pass":
        yield from ((planned.key, (planned,)) for planned in passes)
    elif plan.packing.rule == "one-file":
        yield ONE_FILE, passes
    else:
        for title, wanted in ((COLOUR, False), (DATA, True)):
            members = tuple(planned for planned in passes if planned.kind.is_data == wanted)
            if members:
                yield title, members
