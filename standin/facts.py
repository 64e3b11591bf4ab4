"""The facts of a stand-in scene, for planning its passes."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from prism.scenes.facts import MATERIAL_GIVES, CameraFact, Extent, GroupFact, LightFact, SceneFacts
from standin.scene import Camera, Light, Scene
from standin.stage import boxes_of, placed_shapes
from standin.view import camera_axes

_FOLDED = frozenset({"ring", "band", "dome"})  # shapes that can see and shade themselves
MOST_FRAMES = 240  # looked at to see what comes into frame; of longer scenes every n-th
TOO_NEAR = 1e-3  # depth below which a box reaches beside the camera
CORNERS = np.array([[x, y, z] for x in (0, 3) for y in (1, 4) for z in (2, 5)])  # of a box, among its six numbers
ROOM = 0.05  # half widths added around what moves between the frames that are looked at


@dataclass(frozen=True, slots=True)
class _Known:
    """A scene by its fingerprint."""

    fingerprint: str
    scene: Scene = field(compare=False)


def facts_of(scene: Scene) -> SceneFacts:
    """What the scene's materials, lights and cameras can give."""
    return _facts(_Known(scene.fingerprint, scene))


@lru_cache(maxsize=16)
def _facts(known: _Known) -> SceneFacts:
    scene = known.scene
    frames = range(scene.first, scene.last + 1, -(-(scene.last - scene.first + 1) // MOST_FRAMES))
    groups = {shape.name: shape.group for shape in scene.shapes}
    owners = [groups.get(name, name) for name, _ in placed_shapes(scene, scene.first)]  # a lamp is its own
    still = not any(group.turn for group in scene.groups)
    places = frames[:1] if still else frames
    boxes = dict(zip(places, boxes_of(scene, places), strict=True))
    first = boxes[frames[0]]
    return SceneFacts(
        name=scene.name,
        groups={group.name: _group(scene, group.name) for group in scene.groups},
        lights=tuple(_light(light) for light in scene.lights),
        cameras={camera.name: _camera(scene, camera, frames, boxes, first, owners) for camera in scene.cameras},
        everywhere=frozenset({"medium"}) if scene.medium else frozenset(),
        mist=scene.mist,
        fingerprint=known.fingerprint,
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


def _camera(
    scene: Scene, camera: Camera, frames: range, boxes: dict[int, NDArray], first: NDArray, owners: list[str]
) -> CameraFact:
    room = ROOM if len(boxes) > 1 or camera.path else 0.0
    per_frame = [_extents(camera.at(frame), boxes.get(frame, first)) for frame in (frames if camera.path else boxes)]
    extents = np.concatenate([np.stack(per_frame)[..., :2].min(axis=0), np.stack(per_frame)[..., 2:].max(axis=0)], 1)
    named: dict[str, Extent] = {}
    for owner in dict.fromkeys(owners):
        mine = extents[[place for place, name in enumerate(owners) if name == owner]]
        left, top = (mine[:, :2].min(axis=0) - room).tolist()
        right, bottom = (mine[:, 2:].max(axis=0) + room).tolist()
        named[owner] = Extent(left, top, right, bottom)
    start = camera.at(frames[0])
    position, forward, _, _ = camera_axes(start)
    above = scene.medium.top - float(position[2]) if scene.medium else 0.0
    return CameraFact(
        extents=named,
        reach=_reach(start, first),
        fog=scene.medium.density * above if scene.medium and above > 0 else 0.0,
        pitch=math.asin(float(np.clip(forward[2], -1, 1))),
        half_angle=0.0 if camera.path else math.radians(camera.fov) / 2,
        working=camera.working,
    )


def _extents(camera: Camera, boxes: NDArray) -> NDArray:
    """(N, 4) left, top, right, bottom of every box on the image plane, in half widths; infinite beside the camera.

    A box wholly behind the camera is an extent that meets no picture.
    """
    position, forward, right, down = camera_axes(camera)
    axes = np.stack([right, down, forward])
    seen = (boxes[:, CORNERS] - position) @ axes.T  # (N, 8, 3)
    half = math.tan(math.radians(camera.fov) / 2)
    depth = seen[..., 2]
    with np.errstate(divide="ignore", invalid="ignore"):
        plane = seen[..., :2] / depth[..., np.newaxis] / half
    extents = np.concatenate([plane.min(axis=1), plane.max(axis=1)], axis=1)
    around = (depth < TOO_NEAR).any(axis=1)
    extents[around] = [-np.inf, -np.inf, np.inf, np.inf]
    extents[(depth < TOO_NEAR).all(axis=1)] = [np.inf, np.inf, -np.inf, -np.inf]
    return extents


def _reach(camera: Camera, boxes: NDArray) -> tuple[float, float]:
    """Nearest and farthest depth of the objects' boxes in front of the camera; zeros if there are none."""
    if not len(boxes):
        return 0.0, 0.0
    position, forward, _, _ = camera_axes(camera)
    middle = (boxes[:, :3] + boxes[:, 3:]) / 2
    half = (boxes[:, 3:] - boxes[:, :3]) / 2
    depth, spread = (middle - position) @ forward, half @ np.abs(forward)
    near, far = np.maximum(depth - spread, 0), depth + spread
    seen = far > 0
    return (float(near[seen].min()), float(far[seen].max())) if seen.any() else (0.0, 0.0)
