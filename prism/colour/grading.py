"""Grading that needs the luminance of a working space."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import luminance_weights


def turning(saturation: float, hue: float, space: str) -> NDArray[np.float32]:
    """(3, 3): turn colour about the grey axis by `hue` degrees, red towards green, then scale its distance from its
    luminance.

    Luminance stays: v = y + c with y its luminance; c is seen along the grey axis, turned by Rodrigues' formula, and
    put back on the plane of luminance 0.
    """
    weights = luminance_weights(space)
    grey = np.outer(np.ones(3), weights)
    across = np.eye(3) - np.ones((3, 3)) / 3
    about = np.array([[0, -1, 1], [1, 0, -1], [-1, 1, 0]]) / np.sqrt(3)
    angle = np.radians(hue)
    turned = np.cos(angle) * across + np.sin(angle) * about
    return (grey + saturation * (np.eye(3) - grey) @ turned).astype(np.float32)
