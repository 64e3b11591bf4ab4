"""The facts of a stand-in scene, for planning its passes."""

from __future__ import annotations

from prism.passes.facts import MATERIAL_GIVES, SceneFacts
from prism.standin.scene import Scene


def facts_of(scene: Scene) -> SceneFacts:
    """What the scene's materials and lights can give."""
    groups: dict[str, set[str]] = {group.name: set() for group in scene.groups}
    for shape in scene.shapes:
        material = scene.materials[shape.material]
        ribs = scene.materials[material.rib_material].kind if material.rib_material else None
        for kind in filter(None, (material.kind, ribs)):
            groups[shape.group] |= MATERIAL_GIVES[kind]
    everywhere = {"light"} if scene.lights else set()
    for light in scene.lights:
        everywhere |= {"sphere": {"glow"}, "sky": {"sky"}, "distant": set()}[light.kind]
        everywhere |= {"labels"} if light.label else set()
    return SceneFacts(
        name=scene.name,
        groups={name: frozenset(given) for name, given in groups.items()},
        everywhere=frozenset(everywhere),
        labels=scene.light_groups,
        cameras=tuple(camera.name for camera in scene.cameras),
    )
