"""Rendered light denoised: of all passes of a frame, or as one picture to look at."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from prism.passes.catalogue import BY_KEY
from prism.plan.expansion import DENOISED_ROLES
from standin.denoise import denoise
from standin.render import Order, Quality, Rendered, render
from standin.scene import Scene

GUIDES = ("beauty", "variance", "albedo", "normals")
"""What the denoiser works by: these passes must have been rendered."""


def cleaned(
    rendered: Rendered, order: Order, is_stale: Callable[[], bool] = lambda: False
) -> dict[str, list[NDArray[np.float32]]]:
    """Denoised planes, float32 (H, W), of all passes of an order that hold light; alpha as it was. Raises
    Superseded."""
    guides = {key: np.stack(rendered.planes[key][:3]) for key in GUIDES}
    layers = {
        key: np.stack(rendered.planes[key][:3]) for key, kind in order.passes.items() if kind.role in DENOISED_ROLES
    }
    clean = denoise(layers, **guides, is_stale=is_stale)
    return {key: [*planes, *rendered.planes[key][3:]] for key, planes in clean.items()}


def clean_picture(
    scene: Scene, frame: int, *, camera: str, size: tuple[int, int], quality: Quality
) -> NDArray[np.float32]:
    """The denoised beauty, premultiplied (4, H, W). Raises BadArgument if there is no such camera."""
    order = Order(camera=camera, size=size, quality=quality, passes={key: BY_KEY[key] for key in GUIDES})
    return np.stack(cleaned(render(scene, frame, order), order)["beauty"])
