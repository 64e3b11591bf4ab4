"""Cameras of a scene: where they stand, which way they look, and what of it a picture shows."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from prism.standin.scene import Camera


def camera_axes(camera: Camera) -> tuple[NDArray, NDArray, NDArray, NDArray]:
    """Position, and unit vectors forward, right and down, each (3,) in the world."""
    position = np.array(camera.position)
    forward = np.array(camera.target) - position
    forward /= np.linalg.norm(forward)
    right = np.cross(forward, [0, 0, 1])
    right /= np.linalg.norm(right)
    return position, forward, right, np.cross(forward, right)


def camera_table(camera: Camera, width: int, height: int, *, margin: tuple[int, int] = (0, 0)) -> NDArray:
    """Position, forward, right times half width, down times half height, size; the image plane lies at distance 1.

    width, height: of the picture, which the camera's field of view spans; a margin shows more around it.
    """
    position, forward, right, down = camera_axes(camera)
    half = math.tan(math.radians(camera.fov) / 2)
    whole = (width + 2 * margin[0], height + 2 * margin[1])
    return np.array([position, forward, right * half * whole[0] / width, down * half * whole[1] / width, [*whole, 0]])
