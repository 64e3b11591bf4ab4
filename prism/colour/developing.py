"""Light as a picture for a display: through the view exactly, with its alpha or laid over a colour, and what that
cost."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import decode_srgb, encode_srgb
from prism.colour.view import ViewTransform, apply_exactly

BLACK = (0.0, 0.0, 0.0)
Colour = tuple[float, float, float]


@dataclass(frozen=True, slots=True, eq=False)
class Developed:
    """values: float32 (H, W, 3) display values 0..1, straight. alpha: (H, W), None where the picture lies over a
    colour.

    The rest is in pixels. clipped: light outside the display range, where the view does not roll it off. flattened:
    whether an alpha was given up. glowing: brighter than their alpha allows, as a sky with alpha 0 is, which straight
    colour cannot hold.
    """

    values: NDArray[np.float32]
    alpha: NDArray[np.float32] | None
    clipped: int = 0
    flattened: bool = False
    glowing: int = 0


def develop(
    rgba: NDArray[np.float32], transform: ViewTransform, *, keep_alpha: bool, ground: Colour = BLACK
) -> Developed:
    """A premultiplied scene-linear (4, H, W) picture as display values.

    keep_alpha: colour is divided by alpha first, since a view is made for whole light; light without coverage (a glow
    with alpha 0) has nothing to be divided by and stays as it is. Else the picture lies over `ground`, display values
    of sRGB, which is seen as just that colour where nothing covers it: both are added as the light of the display.
    """
    colour, alpha = np.moveaxis(rgba[:3], 0, -1), rgba[3].clip(0, 1)
    clipped = int(((colour < 0) | (colour > 1)).any(axis=-1).sum()) if transform.view == "srgb" else 0
    if keep_alpha:
        covered = np.divide(colour, alpha[..., None], out=colour.copy(), where=alpha[..., None] > 0)
        return Developed(apply_exactly(covered, transform), alpha, clipped, glowing=_glowing(colour, alpha, covered))
    shown = apply_exactly(colour, transform)
    if ground != BLACK:
        light = decode_srgb(shown) + (1 - alpha[..., None]) * decode_srgb(np.asarray(ground, np.float32))
        shown = encode_srgb(light.clip(0, 1)).astype(np.float32)
    return Developed(shown, None, clipped, flattened=bool((alpha < 1).any()))


def _glowing(colour: NDArray, alpha: NDArray, covered: NDArray) -> int:
    too_bright = (covered > 1) & (colour <= 1)
    return int((too_bright.any(axis=-1) | ((alpha == 0) & (colour > 0).any(axis=-1))).sum())


def colour_of(text: str) -> Colour:
    """Display values of `#RRGGBB`. Raises ValueError."""
    if len(text) != 7 or text[0] != "#":
        raise ValueError(text)
    return tuple(int(text[place : place + 2], 16) / 255 for place in (1, 3, 5))  # type: ignore[return-value]
