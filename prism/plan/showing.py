"""What the images of a plan can show of a scene, and why a pass of them would come out empty."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace
from types import MappingProxyType

from prism.passes.catalogue import COMPONENTS, NEEDS
from prism.passes.kinds import PassKind
from prism.plan.plan import Layer, LightGroups, Override, Plan, PlannedImage, ShotSettings
from prism.scenes.facts import LIGHT_GIVES, MATERIAL_GIVES, CameraFact, LightFact, SceneFacts

OVERRIDE_GIVES: Mapping[Override, frozenset[str]] = MappingProxyType(
    {"matte-black": frozenset(), "clay": frozenset({"rough"}), "occlusion": frozenset()}
)
"""What is left of the materials under an override. Matte black and occlusion scatter no light of lights at all."""
_OF_MATERIALS = frozenset().union(*MATERIAL_GIVES.values())
_OF_LIGHTS = frozenset().union(*LIGHT_GIVES.values())
UNSEEN = "unseen "  # before a need that a light would give, were it seen


def window_of(shot: ShotSettings) -> tuple[float, float]:
    """Half width and half height of the written picture in units of half its display width, overscan included."""
    more = 1 + 2 * shot.overscan / 100
    return more, more * shot.height / (shot.width * shot.pixel_aspect)


def for_plan(facts: SceneFacts, plan: Plan) -> SceneFacts:
    """The same scene as a plan has it: with its labels on the lights, and seen through its picture."""
    lights = tuple(replace(light, label=plan.light_labels.get(light.name, light.label)) for light in facts.lights)
    return replace(facts, lights=lights, window=window_of(plan.shot))


def visible(facts: SceneFacts, layer: Layer, camera: str) -> frozenset[str]:
    """All that a layer can show through a camera."""
    names = tuple(facts.groups)
    lens = facts.cameras.get(camera, CameraFact())
    seen = [facts.groups[group] for group in layer.shown(names) if _in_frame(facts, lens, group)]
    casting = [facts.groups[group] for group in layer.casting(names)]
    shown = facts.everywhere.union(*(group.gives for group in seen))
    if layer.override is not None:
        shown = shown - _OF_MATERIALS | OVERRIDE_GIVES[layer.override]
    if any(group.surfaces for group in seen):
        shown |= {"surface"}
        if sum(group.surfaces for group in casting) > 1 or any(group.folded for group in seen):
            shown |= {"neighbours"}
    shown = shown.union(*(_light_gives(facts, light, layer, camera) for light in facts.lights))
    if "fog" in layer.kept_out:
        shown -= {"medium"}
    return shown | {"labels"} if any(light.label for light in facts.lights if not light.dark) else shown


def visible_in(facts: SceneFacts, image: PlannedImage) -> frozenset[str]:
    """All that an image can show, through any of its cameras."""
    return frozenset().union(*(visible(facts, image.layer, camera) for camera in image.cameras or ("",)))


def lit_by(facts: SceneFacts, label: str, image: PlannedImage) -> frozenset[str]:
    """What is left of what an image can show with the lights of one group alone."""
    lights = facts.lights_of(label)
    gives = (_light_gives(facts, light, image.layer, camera) for light in lights for camera in image.cameras or ("",))
    return (visible_in(facts, image) - _OF_LIGHTS).union(*gives)


def _in_frame(facts: SceneFacts, lens: CameraFact, name: str) -> bool:
    return facts.window is None or lens.shows(name, *facts.window)


def _light_gives(facts: SceneFacts, light: LightFact, layer: Layer, camera: str) -> frozenset[str]:
    if light.dark:
        return frozenset()
    lens = facts.cameras.get(camera, CameraFact())
    unseen: set[str] = set()
    if "lamps" in layer.kept_out or not _in_frame(facts, lens, light.name):
        unseen.add("glow")
    if "sky" in layer.kept_out or (facts.window is not None and not lens.sees_sky(*facts.window)):
        unseen.add("sky")
    gives = LIGHT_GIVES[light.kind]
    return (gives - unseen) | {f"{UNSEEN}{need}" for need in gives & unseen}


def lacking(kind: PassKind, given: Collection[str]) -> str:
    """Why a pass would come out empty, in words; an empty text if it can carry something."""
    missing = [need for need in kind.needs if need not in given]
    unseen = [NEEDS[need].words for need in missing if f"{UNSEEN}{need}" in given]
    absent = [NEEDS[need].words for need in missing if f"{UNSEEN}{need}" not in given]
    reasons = [f"there is no {' and no '.join(word.removeprefix('a ') for word in absent)}"] if absent else []
    reasons += [f"{' and '.join(unseen)} is not seen: out of the picture, excluded, or behind fog"] if unseen else []
    return "; ".join(reasons)


def parts_of_groups(groups: LightGroups, facts: SceneFacts, image: PlannedImage) -> dict[str, tuple[PassKind, ...]]:
    """By light group that is rendered: the components that can carry its light."""
    return {
        label: tuple(kind for kind in COMPONENTS if not lacking(kind, lit_by(facts, label, image)))
        for label in groups.chosen(facts.labels)
    }
