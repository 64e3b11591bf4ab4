"""Passes in files that cannot carry them, from the table of what each storage can."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.passes.kinds import DEMANDS, LIT, RANKS_PER_LAYER, Role
from prism.pixels.file_formats import WRITTEN
from prism.plan.expansion import FileGroup, PlannedFiles, PlannedPass
from prism.plan.packing import COLOUR_STORAGE, DATA_STORAGE, DEEP_STORAGE, WHOLE_NUMBERS, Storage
from prism.plan.plan import Plan

_SOUND = {"colour": COLOUR_STORAGE, "data": DATA_STORAGE, "deep": DEEP_STORAGE}
SUMMED = LIT
_ONLY_A_LOSS = frozenset({"unclamped"})  # a picture for looking may be clamped, if that is wanted


def packing_findings(plan: Plan, files: list[PlannedFiles]) -> Iterator[Finding]:
    """Passes in files that cannot carry them, and files that carry what they need not."""
    groups = list({id(planned.group): planned.group for planned in files}.values())
    yield from _demands(plan, groups)
    yield from _shared(plan, groups)
    yield from _display_curve(plan, groups)
    strays = [group for group in groups if group.carries_stray]
    if strays:
        yield Finding(
            "packing.stray",
            NOTE,
            f"{len(strays)} data files carry a copy of the beauty.",
            "packing",
            f"It is asked for, costs its bytes again, and is stored with {strays[0].storage.compression} as "
            "the data is.",
            {"packing.beauty_in_data": False},
        )
    elif plan.packing.beauty_in_data:
        yield Finding(
            "packing.no-stray", NOTE, "No file carries a copy of the beauty.", "packing",
            "It is asked for, but there are no files of data alone, or no beauty.", {"packing.beauty_in_data": False},
        )  # fmt: skip


def _display_curve(plan: Plan, groups: list[FileGroup]) -> Iterator[Finding]:
    """Light in whole numbers is stored through the display curve: fine to look at, useless to add."""
    curved = [
        planned.kind.title
        for group in groups
        for planned in group.passes
        if planned.kind.role in SUMMED and group.storage.pixel in WHOLE_NUMBERS
    ]
    if curved:
        storage = plan.packing.colour
        yield Finding(
            "packing.curve", WARNING, f"{WRITTEN[storage.format].title} stores light through the sRGB curve.",
            "packing, colour", f"{' · '.join(dict.fromkeys(curved))} cannot be summed as they are stored; "
            "whoever reads them has to undo the curve first.",
            {"packing.colour": COLOUR_STORAGE.model_dump(mode="json")},
        )  # fmt: skip


def _demands(plan: Plan, groups: list[FileGroup]) -> Iterator[Finding]:
    """One finding for each demand that a storage leaves unmet, naming the passes that make it."""
    unmet: dict[tuple[str, str], dict[str, None]] = {}
    for group in groups:
        for planned in group.passes:
            field = plan.packing.storage_field(planned.kind)
            if group.carries_stray and planned.kind.role is Role.WHOLE:
                continue  # a copy for looking, beside the one that counts
            for demand in plan.packing.storage(planned.kind).unmet(_demands_of(planned, group)):
                unmet.setdefault((field, demand), {})[planned.kind.title] = None
    for (field, demand), passes in unmet.items():
        storage: Storage = getattr(plan.packing, field)
        yield Finding(
            f"packing.{demand}", WARNING if demand in _ONLY_A_LOSS else ERROR,
            f"{storage.title} cannot carry {' · '.join(passes)}.", f"packing, {field}",
            f"Needs {DEMANDS[demand]}.", {f"packing.{field}": _SOUND[field].model_dump(mode="json")},
        )  # fmt: skip


def _demands_of(planned: PlannedPass, group: FileGroup) -> tuple[str, ...]:
    layers = ("layers",) if planned.kind.ranked and group.levels > RANKS_PER_LAYER else ()
    return planned.kind.all_demands + layers


def _shared(plan: Plan, groups: list[FileGroup]) -> Iterator[Finding]:
    """Files of several passes: they need named channels, and have one format and compression for all."""
    crowded = next(
        (group for group in groups if len(group.passes) > 1 and "layers" not in group.storage.abilities), None
    )
    if crowded is not None:
        yield Finding(
            "packing.layers", ERROR, f"{WRITTEN[crowded.storage.format].title} can carry only one pass.", "packing",
            f"{len(crowded.passes)} passes are to share a file; give each its own, or choose OpenEXR.",
            _each_apart(plan),
        )  # fmt: skip
    mixed = next((group for group in groups if len(_ways_to_store(group)) > 1 and not group.carries_stray), None)
    if mixed is not None:
        what = "format" if mixed.in_parts else "format and one compression"
        yield Finding(
            "packing.one-storage", ERROR, "Colour and data share a file, but are to be stored differently.", "packing",
            f"A file has one {what}; asked for are {' and '.join(_ways_to_store(mixed))}.",
            {"packing.rule": "colour-and-data", **_told_apart(plan)},
        )  # fmt: skip


def _ways_to_store(group: FileGroup) -> list[str]:
    """The formats, and where parts cannot differ in it the compressions, that the passes of a file ask for."""
    ways = (
        WRITTEN[storage.format].title if group.in_parts else f"{WRITTEN[storage.format].title} {storage.compression}"
        for storage in group.storages
    )
    return list(dict.fromkeys(ways))


def _each_apart(plan: Plan) -> dict[str, Any]:
    return {"packing.rule": "each-pass", **_told_apart(plan)}


def _told_apart(plan: Plan) -> dict[str, str]:
    """Several files of one image need {pass} in their names."""
    if "{pass}" in plan.names:
        return {}
    before, frame, after = plan.names.rpartition(".{frame")
    return {"names": f"{before}_{{pass}}{frame}{after}"} if frame else {}
