"""A scene seen from the side of a camera: depth to the right, height upwards, for setting the mist."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from standin.scene import Scene
from standin.stage import BAND, BOX, CYLINDER, DISC, LIGHTS_GROUP, RING, SPHERE, placed_shapes
from standin.view import camera_axes

CIRCLE = 32  # steps around
Points = list[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class Outline:
    """A convex polygon of (depth, height above the axis) around an object, or a lamp, of an object group."""

    name: str
    group: str
    points: Points


@dataclass(frozen=True, slots=True)
class SideView:
    """Scene units. outlines: of the objects in the picture, far to near.

    half_angle: of the vertical field of view, in degrees, for a picture of the asked aspect.
    """

    outlines: tuple[Outline, ...]
    half_angle: float


def side_view(scene: Scene, frame: int, camera: str, *, aspect: float) -> SideView:
    """The side view of a scene at a frame, looking along the camera's right axis. aspect: width / height of the
    picture.

    Raises BadArgument if there is no such camera.
    """
    view = scene.camera(camera)
    position, forward, right, down = camera_axes(view)
    axes = np.array([forward, -down, right])
    groups = {shape.name: shape.group for shape in scene.shapes}
    across = math.tan(math.radians(view.fov) / 2)
    outlines = []
    for name, record in placed_shapes(scene, frame):
        points = (_surface_points(record) - position) @ axes.T
        if _is_in_picture(points, across, across / aspect):
            outlines.append(Outline(name, groups.get(name, LIGHTS_GROUP), _hull(points[:, :2])))
    outlines.sort(key=lambda outline: -max(depth for depth, _ in outline.points))
    return SideView(tuple(outlines), math.degrees(math.atan(across / aspect)))


def _is_in_picture(points: NDArray, across: float, along: float) -> bool:
    """Whether an object meets the pyramid of the view, by its points (N, 3) of depth, height, side; it may be said to
    when it only comes close. across, along: half the width and height of the picture at depth 1."""
    depth, height, side = points.T
    outside = (
        depth <= 0,
        side > across * depth,
        -side > across * depth,
        height > along * depth,
        -height > along * depth,
    )
    return not any(bool(beyond.all()) for beyond in outside)


def _surface_points(shape: np.void) -> NDArray:
    """(N, 3) points in the world whose convex hull is the shape's, up to the chord of CIRCLE steps."""
    a, b, c = shape["size"]
    kind = int(shape["kind"])
    if kind == BOX:
        local = np.array(list(itertools.product((-a, a), (-b, b), (-c, c))))
    elif kind in (CYLINDER, BAND, DISC, RING):
        radius, half = {DISC: (a, 0.0), RING: (a + b, b)}.get(kind, (a, b))
        local = np.concatenate([_circle(radius, -half), _circle(radius, half)])
    else:  # a sphere, or the upper half of one
        turns = np.linspace(-math.pi / 2 if kind == SPHERE else 0, math.pi / 2, CIRCLE // 2)
        local = np.concatenate([_circle(a * math.cos(turn), a * math.sin(turn)) for turn in turns])
    return local @ shape["frame"] + shape["centre"]


def _circle(radius: float, height: float) -> NDArray:
    angle = np.linspace(0, 2 * math.pi, CIRCLE, endpoint=False)
    return np.stack([radius * np.cos(angle), radius * np.sin(angle), np.full(CIRCLE, height)], axis=1)


def _hull(points: NDArray) -> Points:
    """The convex hull of points; of those that lie on a line, its two ends."""
    try:
        points = points[ConvexHull(points).vertices]
    except QhullError:
        along = points @ (points.max(axis=0) - points.min(axis=0))
        points = points[[along.argmin(), along.argmax()]]
    return [(round(float(depth), 3), round(float(height), 3)) for depth, height in points]
