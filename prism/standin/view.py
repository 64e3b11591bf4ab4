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


def camera_table(camera: Camera, width: int, height: int) -> NDArray:
    """Position, forward, right times half width, down times half height, size; the image plane lies at distance 1."""
    position, forward, right, down = camera_axes(camera)
    half = math.tan(math.radians(camera.fov) / 2)
    return np.array([position, forward, right * half, down * half * height / width, [width, height, 0]])
