"""Passes in files that cannot carry them, from the table of what each storage can."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from prism.passes.checks.finding import ERROR, NOTE, WARNING, Finding
from prism.passes.expansion import FileGroup, PlannedFiles, PlannedPass
from prism.passes.kinds import DEMANDS, RANKS_PER_LAYER
from prism.passes.packing import COLOUR_STORAGE, DATA_STORAGE, DEEP_STORAGE, FORMATS, Storage
from prism.passes.plan import Plan

_SOUND = {"colour": COLOUR_STORAGE, "data": DATA_STORAGE, "deep": DEEP_STORAGE}
_ONLY_A_LOSS = frozenset({"unclamped"})  # a picture for looking may be clamped, if that is wanted


def packing_findings(plan: Plan, files: list[PlannedFiles]) -> Iterator[Finding]:
    groups = list({id(planned.group): planned.group for planned in files}.values())
    yield from _demands(plan, groups)
    yield from _shared(plan, groups)
    if plan.packing.beauty_in_data and plan.packing.rule in ("colour-and-data", "each-pass"):
        yield Finding(
            "packing.stray", NOTE, "Data files carry a copy of the beauty.", "packing",
            "It is asked for, and costs its bytes a second time.", {"packing.beauty_in_data": False},
        )  # fmt: skip


def _demands(plan: Plan, groups: list[FileGroup]) -> Iterator[Finding]:
    """One finding for each demand that a storage leaves unmet, naming the passes that make it."""
    unmet: dict[tuple[str, str], dict[str, None]] = {}
    for group in groups:
        for planned in group.passes:
            field = plan.packing.storage_field(planned.kind)
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
    crowded = next((one for one in groups if len(one.passes) > 1 and "layers" not in one.storage.abilities), None)
    if crowded is not None:
        yield Finding(
            "packing.layers", ERROR, f"{FORMATS[crowded.storage.format].title} holds one pass alone.", "packing",
            f"{len(crowded.passes)} passes are to share a file; give each its own, or choose OpenEXR.",
            _each_apart(plan),
        )  # fmt: skip
    mixed = next((one for one in groups if len(_ways_to_store(plan, one)) > 1), None)
    if mixed is not None and plan.packing.rule == "one-file":
        yield Finding(
            "packing.one-storage", ERROR, "Colour and data share a file, but are to be stored differently.", "packing",
            f"A file has one format and one compression; asked for are {' and '.join(_ways_to_store(plan, mixed))}.",
            {"packing.rule": "colour-and-data", **_told_apart(plan)},
        )  # fmt: skip


def _ways_to_store(plan: Plan, group: FileGroup) -> list[str]:
    storages = (plan.packing.storage(planned.kind) for planned in group.passes)
    return list(dict.fromkeys(f"{FORMATS[one.format].title} {one.compression}" for one in storages))


def _each_apart(plan: Plan) -> dict[str, Any]:
    return {"packing.rule": "each-pass", **_told_apart(plan)}


def _told_apart(plan: Plan) -> dict[str, str]:
    """Several files of one image need {pass} in their names."""
    if "{pass}" in plan.names:
        return {}
    before, frame, after = plan.names.rpartition(".{frame")
    return {"names": f"{before}_{{pass}}{frame}{after}"} if frame else {}
