"""The facts of a stand-in scene, for planning its passes."""

from __future__ import annotations

import numpy as np

from prism.passes.facts import MATERIAL_GIVES, GroupFact, LightFact, SceneFacts
from prism.standin.scene import Camera, Light, Scene
from prism.standin.stage import boxes_of
from prism.standin.view import camera_axes

_FOLDED = frozenset({"ring", "band", "dome"})  # shapes that can see and shade themselves


def facts_of(scene: Scene) -> SceneFacts:
    """What the scene's materials, lights and cameras can give."""
    boxes = boxes_of(scene, scene.first)
    return SceneFacts(
        name=scene.name,
        groups={group.name: _group(scene, group.name) for group in scene.groups},
        lights=tuple(_light(light) for light in scene.lights),
        cameras=tuple(camera.name for camera in scene.cameras),
        working_views=frozenset(camera.name for camera in scene.cameras if camera.working),
        reach={camera.name: _reach(camera, boxes) for camera in scene.cameras},
        everywhere=frozenset({"medium"}) if scene.medium else frozenset(),
        mist=scene.mist,
    )


def _group(scene: Scene, name: str) -> GroupFact:
    gives: set[str] = set()
    members = [shape for shape in scene.shapes if shape.group == name]
    for shape in members:
        material = scene.materials[shape.material]
        ribs = scene.materials[material.rib_material].kind if material.rib_material else None
        for kind in filter(None, (material.kind, ribs)):
            gives |= MATERIAL_GIVES[kind]
    turn = next(group.turn for group in scene.groups if group.name == name)
    if members and turn is not None and turn.degrees_per_frame:
        gives |= {"moving"}
    folded = any(shape.kind in _FOLDED for shape in members)
    return GroupFact(gives=frozenset(gives), surfaces=len(members), folded=folded)


def _light(light: Light) -> LightFact:
    colours = (light.radiance, light.horizon, light.glow) if light.kind == "sky" else (light.radiance,)
    return LightFact(name=light.name, kind=light.kind, label=light.label or "", dark=not any(map(any, colours)))


def _reach(camera: Camera, boxes: np.ndarray) -> tuple[float, float]:
    """Nearest and farthest depth of the objects' boxes in front of the camera; zeros if there are none."""
    position, forward, _, _ = camera_axes(camera)
    middle = (boxes[:, :3] + boxes[:, 3:]) / 2
    half = (boxes[:, 3:] - boxes[:, :3]) / 2
    depth, spread = (middle - position) @ forward, half @ np.abs(forward)
    near, far = np.maximum(depth - spread, 0), depth + spread
    seen = far > 0
    return (float(near[seen].min()), float(far[seen].max())) if seen.any() else (0.0, 0.0)
