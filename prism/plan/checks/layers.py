"""Layers: what each shows, and whether together they make the whole picture."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.plan.checks.repairs import with_layer
from prism.plan.layering import OVER, Layering, Recombination, layering, recombination, shows
from prism.plan.plan import SURROUNDINGS, Layer, Plan
from prism.scenes.facts import SceneFacts


def together(plan: Plan, facts: SceneFacts) -> Recombination:
    """What the layers of a plan come to. facts: as the plan has the scene."""
    return recombination(plan.layers, tuple(facts.groups), _things(facts))


def layering_of(plan: Plan, facts: SceneFacts) -> Layering:
    """How to lay its layers together; by what they say themselves if nothing is known of the scene."""
    if not facts.groups:
        return layering(plan.layers)
    things = _things(facts)
    return layering(plan.layers, tuple(facts.groups), [thing for thing in things if thing in SURROUNDINGS])


def layer_findings(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    """Layers that show nothing, and whether all together make the whole picture."""
    yield from _layers(plan, facts)
    yield from _deep_cut(plan)
    if len(plan.layers) > 1 and facts.groups:
        yield from _together(plan, together(plan, facts))


def _together(plan: Plan, found: Recombination) -> Iterator[Finding]:
    if found.doubled:
        fixed = _shown_once(plan, found.doubled[0])
        asked = "" if fixed else f" No name says where {found.doubled[0]} belongs: hide it in all layers but one."
        yield Finding(
            "layers.doubled",
            WARNING,
            f"More than one layer shows {', '.join(found.doubled)}.",
            "layers",
            "Put together, the layers would show that light twice. That is right only for layers that are "
            f"never combined.{asked}",
            fixed or {},
        )
    if found.lost:
        yield Finding(
            "layers.lost", WARNING, f"No layer shows {', '.join(found.lost)}.", "layers",
            "Put together, the layers would lack it.",
        )  # fmt: skip
    if not found.way and found.open and not found.doubled and not found.lost:
        yield Finding(
            "layers.open",
            WARNING,
            f"Layer {', '.join(found.open)} does not hold out what other layers show.",
            "layers",
            "Put together, what is behind would shine through; make it a holdout there.",
        )
    if found.way == OVER:
        yield Finding(
            "layers.over",
            NOTE,
            "The layers make the whole picture when put over one another, not summed.",
            "layers",
            f"Soft edges come out a little different. For an exact sum let {', '.join(found.open)} hold out "
            "what others show.",
        )


def _words(name: str) -> set[str]:
    """The words of a name, without plurals: `planets` and `planet_arms` have one in common."""
    return {word.lower().rstrip("s") for word in re.findall(r"[A-Za-z]+", name)}


def _shown_once(plan: Plan, group: str) -> dict[str, Any] | None:
    """The change by which a group is shown by the layer that is called after it alone; None unless there is just one,
    and one other that shows it."""
    showing = [layer for layer in plan.layers if shows(layer, group)]
    named = [layer for layer in showing if _words(group) & _words(layer.name)]
    others = [layer for layer in showing if layer not in named]
    if len(named) != 1 or len(others) != 1:
        return None
    return with_layer(plan, others[0], _without(others[0], group))


def _deep_cut(plan: Plan) -> Iterator[Finding]:
    """Deep passes of layers that hold things out: what is cut out of them is cut again where they are ordered by
    depth."""
    cut = [
        layer.name
        for layer in plan.layers
        if "deep" in plan.passes_of(layer) and "holdout" in layer.visibility.values()
    ]
    if cut:
        yield Finding(
            "layers.deep",
            NOTE,
            f"Deep of layer {', '.join(cut)} is cut where other things are holdouts.",
            "layers",
            "Summed, such layers are right. To put them in order by depth, with cards between, render them without "
            "holdouts.",
        )


def _things(facts: SceneFacts) -> list[str]:
    """What a layer can show or leave to others: object groups that have surfaces, and what surrounds them."""
    lights = {light.kind for light in facts.lights if not light.dark}
    there = {"sky": lights & {"sky", "distant"}, "lamps": "sphere" in lights, "fog": "medium" in facts.everywhere}
    groups = [name for name, group in facts.groups.items() if group.surfaces]
    return groups + [thing for thing in SURROUNDINGS if there[thing]]


def _without(layer: Layer, thing: str) -> Layer:
    if thing in SURROUNDINGS:
        return layer.replace(kept_out=(*layer.kept_out, thing))
    return layer.replace(visibility=layer.visibility | {thing: "holdout"})


def _layers(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    names = tuple(facts.groups)
    for layer in plan.layers:
        where = f"layer {layer.name}"
        unknown = [group for group in layer.visibility if names and group not in facts.groups]
        if unknown:
            kept = {group: how for group, how in layer.visibility.items() if group not in unknown}
            yield Finding(
                "layer.unknown-group", ERROR, f"There is no object group {', '.join(unknown)}.", where,
                f"The scene has {', '.join(names)}.", with_layer(plan, layer, layer.replace(visibility=kept)),
            )  # fmt: skip
        if names and not layer.shown(names):
            yield Finding(
                "layer.empty", WARNING, "No object group is visible.", where, "Only sky and lights would be seen."
            )
        lost = [camera for camera in layer.for_camera if camera not in plan.cameras]
        if lost:
            used = {camera: passes for camera, passes in layer.for_camera.items() if camera not in lost}
            yield Finding(
                "layer.unused-camera",
                NOTE,
                f"Passes are kept for {', '.join(lost)}, which is not rendered.",
                where,
                "They come back when the camera is chosen again.",
                with_layer(plan, layer, layer.replace(for_camera=used)),
            )
