"""A scene seen from the side of a camera: depth to the right, height upwards, for setting the mist."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from prism.standin.scene import Scene
from prism.standin.stage import BAND, BOX, CYLINDER, DISC, RING, SPHERE, placed_shapes
from prism.standin.view import camera_axes

CIRCLE = 32  # steps around
Points = list[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class SideView:
    """Scene units. outlines: convex polygons of (depth, height above the axis), one for each object, far to near.

    half_angle: of the vertical field of view, in degrees, for a picture of the asked aspect.
    """

    outlines: tuple[tuple[str, Points], ...]
    half_angle: float


def side_view(scene: Scene, frame: int, camera: str, *, aspect: float) -> SideView:
    """The side view of a scene at a frame, looking along the camera's right axis. aspect: width / height of the picture.

    Raises BadArgument if there is no such camera.
    """
    view = scene.camera(camera)
    position, forward, _, down = camera_axes(view)
    axes = np.array([forward, -down])
    outlines = []
    for name, record in placed_shapes(scene, frame):
        flat = (_surface_points(record) - position) @ axes.T
        if flat[:, 0].max() > 0:
            outlines.append((name, _hull(flat)))
    outlines.sort(key=lambda outline: -max(depth for depth, _ in outline[1]))
    half = math.degrees(math.atan(math.tan(math.radians(view.fov) / 2) / aspect))
    return SideView(tuple(outlines), half)


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
