"""What is wrong with a plan before a frame is rendered: each finding says what, where, why, and how to mend it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from typing import Any

from prism.errors import BadArgument
from prism.naming.patterns import parse_pattern, require_sequence
from prism.passes.catalogue import BY_KEY, CATALOGUE, Role
from prism.passes.expansion import PlannedFiles, expand
from prism.passes.facts import SceneFacts, lacking
from prism.passes.plan import Layer, Plan

ERROR, WARNING, NOTE = "error", "warning", "note"
_TOTALS = {kind.key: kind.total_of for kind in CATALOGUE if kind.total_of}


@dataclass(frozen=True, slots=True)
class Finding:
    """fix: fields of the plan with the values that mend it; empty if only a person can decide."""

    code: str
    level: str
    what: str
    where: str
    why: str
    fix: dict[str, Any] = field(default_factory=dict)

    def as_json(self) -> dict[str, Any]:
        return asdict(self)


def check(plan: Plan, facts: SceneFacts) -> list[Finding]:
    """All findings, errors first; an empty list is a plan that will do what it says."""
    files = expand(plan, facts)
    findings = [
        *_cameras(plan, facts),
        *_layers(plan, facts),
        *_pointless(plan, facts),
        *_doubled(plan),
        *_complete(plan, facts),
        *_light_groups(plan, facts),
        *_names(plan, files),
        *_scale(plan),
    ]
    return sorted(findings, key=lambda finding: (ERROR, WARNING, NOTE).index(finding.level))


def mend(plan: Plan, finding: Finding) -> Plan:
    """The plan with a finding's fix applied."""
    return Plan.from_json(plan.as_json() | finding.fix)


def _cameras(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    if not plan.cameras:
        fix = {"cameras": [facts.cameras[0]]} if len(facts.cameras) == 1 else {}
        why = f"Nothing is rendered without one; the scene has {', '.join(facts.cameras) or 'none that is known'}."
        yield Finding("camera.none", ERROR, "No camera is chosen.", "cameras", why, fix)
    for camera in plan.cameras:
        if camera not in facts.cameras:
            kept = [name for name in plan.cameras if name in facts.cameras]
            why = f"The scene has {', '.join(facts.cameras)}."
            yield Finding("camera.unknown", ERROR, f"There is no camera {camera}.", "cameras", why, {"cameras": kept})


def _layers(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    for layer in plan.layers:
        where = f"layer {layer.name}"
        for group in layer.visibility:
            if facts.groups and group not in facts.groups:
                yield Finding(
                    "layer.unknown-group", ERROR, f"There is no object group {group}.", where,
                    f"The scene has {', '.join(facts.groups)}.",
                )  # fmt: skip
        if facts.groups and not layer.shown(tuple(facts.groups)):
            yield Finding(
                "layer.empty", WARNING, "No object group is visible.", where, "Only sky and lights would be seen."
            )


def _pointless(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    """Passes that would come out all black, by layer, with the reason."""
    for layer in plan.layers:
        given = facts.given(layer.shown(tuple(facts.groups)))
        for key in plan.passes_of(layer):
            reason = lacking(BY_KEY[key], given)
            if reason:
                yield Finding(
                    "pass.pointless", WARNING, f"{BY_KEY[key].title} would come out empty.", f"layer {layer.name}",
                    f"In what this layer shows {reason}.", _without(plan, layer, {key}),
                )  # fmt: skip


def _doubled(plan: Plan) -> Iterator[Finding]:
    for layer in plan.layers:
        passes = plan.passes_of(layer)
        for total, parts in _TOTALS.items():
            if total in passes and all(part in passes for part in parts):
                yield Finding(
                    "pass.doubled", WARNING, f"{BY_KEY[total].title} is chosen whole and in parts.", f"layer {layer.name}",
                    "Both hold the same light; summed together they double it.", _without(plan, layer, {total}),
                )  # fmt: skip


def _complete(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    """Whether the beauty of each layer can be rebuilt, by components or by light groups."""
    for layer in plan.layers:
        passes, where = plan.passes_of(layer), f"layer {layer.name}"
        if "beauty" not in passes:
            yield Finding(
                "rebuild.no-beauty", WARNING, "The beauty is not rendered.", where,
                "A rebuilt picture can then be held against nothing.", _with(plan, layer, ("beauty",)),
            )  # fmt: skip
        missing = missing_components(plan, layer, facts)
        chosen = any(BY_KEY[key].role is Role.LIGHT for key in passes)
        if chosen and missing and "light_group" not in passes:
            titles = ", ".join(BY_KEY[key].title for key in missing)
            yield Finding(
                "rebuild.incomplete", WARNING, f"The components do not sum to the beauty: {titles} is missing.", where,
                "This light is in the beauty, but in no component that is rendered.", _with(plan, layer, missing),
            )  # fmt: skip


def missing_components(plan: Plan, layer: Layer, facts: SceneFacts) -> tuple[str, ...]:
    """Components that carry light in this layer and are in no chosen pass, neither whole nor in parts."""
    given = facts.given(layer.shown(tuple(facts.groups)))
    passes = set(plan.passes_of(layer))
    covered = passes | {part for total in passes & _TOTALS.keys() for part in _TOTALS[total]}
    return tuple(
        kind.key
        for kind in CATALOGUE
        if kind.role is Role.LIGHT and not kind.total_of and kind.key not in covered and not lacking(kind, given)
    )


def _light_groups(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    if not any("light_group" in plan.passes_of(layer) for layer in plan.layers):
        return
    unknown = [label for label in plan.light_groups.labels if label not in facts.labels]
    for label in unknown:
        why = f"The scene's lights are labelled {', '.join(facts.labels)}."
        yield Finding("lights.unknown", ERROR, f"No light has the label {label}.", "light groups", why)
    left_out = [label for label in facts.labels if label not in plan.light_groups.chosen(facts.labels)]
    if left_out:
        yield Finding(
            "lights.incomplete", WARNING, f"Light groups left out: {', '.join(left_out)}.", "light groups",
            "Those rendered do not sum to the beauty.", {"light_groups": {"mode": "all", "labels": []}},
        )  # fmt: skip


def _names(plan: Plan, files: list[PlannedFiles]) -> Iterator[Finding]:
    """Padding, characters, length, and two outputs of one name."""
    pattern, frames = parse_pattern(plan.names), plan.shot.frames
    widest = max((frames[0], frames[-1]), key=lambda frame: len(str(frame)))
    for planned in files:
        try:
            require_sequence(pattern, widest, planned.values | {"frame": widest})
        except BadArgument as error:
            fix = _renamed(plan, len(str(widest)))
            yield Finding("names.bad", ERROR, error.what, error.where, error.advice, fix)
            break
    same: dict[str, list[PlannedFiles]] = defaultdict(list)
    for planned in files:
        same[planned.path(frames[0]).casefold()].append(planned)
    for members in same.values():
        if len(members) > 1:
            differing = [name for name in ("layer", "camera", "pass") if len({m.values[name] for m in members}) > 1]
            yield Finding(
                "names.collision", ERROR, f"{len(members)} outputs have the name {members[0].path(frames[0])}.", plan.names,
                f"They differ by {' and '.join(differing)}; add {' and '.join(f'{{{name}}}' for name in differing)}.",
                _told_apart(plan, differing),
            )  # fmt: skip
            break


def _scale(plan: Plan) -> Iterator[Finding]:
    if plan.shot.scale > 1:
        width, height = plan.shot.width // plan.shot.scale, plan.shot.height // plan.shot.scale
        why = f"Full size is {plan.shot.width} x {plan.shot.height}."
        fix = {"shot": plan.shot.replace(scale=1).model_dump(mode="json")}
        yield Finding("shot.scaled", NOTE, f"Rendered at {width} x {height}.", "shot", why, fix)


def _renamed(plan: Plan, width: int) -> dict[str, str]:
    """The names with a frame number that is wide enough, if that is what they lack."""
    pattern = parse_pattern(plan.names)
    if "frame" not in pattern.fields:
        stem, dot, suffix = plan.names.rpartition(".")
        return {"names": f"{stem}.{{frame:0{max(4, width)}}}{dot}{suffix}"} if dot else {}
    if pattern.frame_width < width:
        pieces = [
            piece.text + (f"{{frame:0{width}}}" if piece.field == "frame" else _shown(piece.field, piece.width))
            for piece in pattern.pieces
        ]
        return {"names": "".join(pieces)}
    return {}


def _told_apart(plan: Plan, fields: list[str]) -> dict[str, str]:
    """The names with the missing fields put before the frame number."""
    before, dot, after = plan.names.rpartition(".{frame")
    return {"names": f"{before}{''.join(f'_{{{name}}}' for name in fields)}{dot}{after}"} if dot else {}


def _shown(name: str | None, width: int) -> str:
    return "" if name is None else (f"{{{name}:0{width}}}" if width else f"{{{name}}}")


def _without(plan: Plan, layer: Layer, keys: set[str]) -> dict[str, Any]:
    return _passes(plan, layer, [key for key in plan.passes_of(layer) if key not in keys])


def _with(plan: Plan, layer: Layer, keys: tuple[str, ...]) -> dict[str, Any]:
    return _passes(plan, layer, [*plan.passes_of(layer), *keys])


def _passes(plan: Plan, layer: Layer, passes: list[str]) -> dict[str, Any]:
    """The change that gives one layer these passes; the plan's own if the layer shares them with no other."""
    if layer.passes is None and len(plan.layers) == 1:
        return {"passes": passes}
    layers = [one.replace(passes=tuple(passes)) if one is layer else one for one in plan.layers]
    return {"layers": [one.model_dump(mode="json") for one in layers]}
