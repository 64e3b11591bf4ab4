"""Cameras of a scene: where they stand, which way they look, and what of it a picture shows."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from standin.scene import Camera

STRAIGHT = 1 - 1e-9  # rise of a direction that counts as straight up or down


def camera_axes(camera: Camera) -> tuple[NDArray, NDArray, NDArray, NDArray]:
    """Position, and unit vectors forward, right and down, each (3,) in the world."""
    position = np.array(camera.position)
    forward = np.array(camera.target) - position
    forward /= np.linalg.norm(forward)
    # Looking straight up or down there is no upright; the top of the picture is north then.
    up = [0.0, 0.0, 1.0] if abs(forward[2]) < STRAIGHT else [0.0, 1.0, 0.0]
    right = np.cross(forward, up)
    right /= np.linalg.norm(right)
    return position, forward, right, np.cross(forward, right)


def camera_table(
    camera: Camera, width: int, height: int, *, margin: tuple[int, int] = (0, 0), pixel_aspect: float = 1.0
) -> NDArray:
    """(5, 3): position, forward, right times half width, down times half height, size; the image plane lies at distance
    1.

    width, height: of the picture in pixels, whose width the camera's field of view spans; a margin shows more around
    it. pixel_aspect: width of a pixel by its height.
    """
    position, forward, right, down = camera_axes(camera)
    half = math.tan(math.radians(camera.fov) / 2)
    full = (width + 2 * margin[0], height + 2 * margin[1])
    across, along = half * full[0] / width, half * full[1] / width / pixel_aspect
    return np.array([position, forward, right * across, down * along, [*full, 0]])
