"""Data made visible: every kind of pass in the picture that tells most of it, never through a film curve."""

from __future__ import annotations

import colorsys
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow
from PIL import ImageDraw

from prism.errors import BadArgument
from prism.passes.kinds import PassKind
from prism.pixels.channels import split_name
from prism.sources.pixels import Pixels, Source

WAYS = ("auto", "signed", "range", "plain", "motion", "arrows", "hashed")
CELLS = 24  # of the grid of arrows, along the shorter side
EMPTY_DEPTH = 1e9  # depths beyond are no surface
_OWN = {
    "normals": "signed",
    "normals_camera": "signed",
    "position": "signed",
    "depth": "range",
    "depth_filtered": "range",
    "motion_forward": "motion",
    "motion_backward": "motion",
}


@dataclass(frozen=True, slots=True)
class Remap:
    """way: one of WAYS, `auto` for what suits the pass. near, far: ends of a range, None for those found. log: of a
    range."""

    way: str = "auto"
    near: float | None = None
    far: float | None = None
    log: bool = False

    def __post_init__(self) -> None:
        if self.way not in WAYS:
            raise BadArgument(f"Unknown remap {self.way}.", advice=f"Use {', '.join(WAYS)}.")


def way_for(source: Source, remap: Remap) -> str:
    """The remap that is meant: light needs none."""
    return remap.way if remap.way != "auto" else way_of_kind(source.kind)


def way_of_kind(kind: PassKind | None) -> str:
    """The remap that suits a kind of pass."""
    if kind is None or not kind.is_data:
        return "plain"
    return "hashed" if kind.ranked else _OWN.get(kind.key, "plain")


def remapped(source: Source, pixels: Pixels, remap: Remap = Remap()) -> NDArray[np.float32]:
    """Display values (3, H, W) of a pass of data, 0..1 where it is within its range."""
    rgb = np.stack(pixels.planes).astype(np.float32)
    way = way_for(source, remap)
    if way == "signed":
        return _signed(rgb, unit=source.kind is not None and source.kind.key.startswith("normals"))
    if way == "range":
        return _range(rgb, remap)
    if way == "motion":
        return motion_colours(rgb[0], rgb[1])
    if way == "arrows":
        return motion_arrows(rgb[0], rgb[1])
    if way == "hashed":
        return hashed(pixels)
    return rgb


def found_range(plane: NDArray) -> tuple[float, float] | None:
    """Nearest and farthest of the surfaces in a plane (H, W) of depths; None where there is none."""
    surface = np.isfinite(plane) & (plane < EMPTY_DEPTH)
    if not surface.any():
        return None
    return float(plane[surface].min()), float(plane[surface].max())


def motion_colours(u: NDArray[np.float32], v: NDArray[np.float32], *, full: float | None = None) -> NDArray[np.float32]:
    """float32 (3, H, W): direction as hue, length as brightness. full: pixels that are full brightness; the longest if
    None."""
    u, v = (np.nan_to_num(plane, posinf=0, neginf=0) for plane in (u, v))
    length = np.hypot(u, v)
    bright = np.clip(length / max(full or float(length.max()), 1e-6), 0, 1)
    turn = (np.arctan2(v, u) / (2 * np.pi)) % 1
    thirds = np.stack([turn, (turn - 1 / 3) % 1, (turn - 2 / 3) % 1])
    away = np.minimum(thirds, 1 - thirds)
    return (np.clip(2 - 6 * away, 0, 1) * bright).astype(np.float32)


def motion_arrows(u: NDArray[np.float32], v: NDArray[np.float32]) -> NDArray[np.float32]:
    """float32 (3, H, W): a line for every cell of a grid, from a dot at its middle to where that point moves; the
    longest spans a cell."""
    u, v = (np.nan_to_num(plane, posinf=0, neginf=0) for plane in (u, v))
    height, width = u.shape
    cell = max(4, min(width, height) // CELLS)
    longest = max(float(np.hypot(u, v).max()), 1e-6)
    drawn = Pillow.new("L", (width, height), 24)
    pen = ImageDraw.Draw(drawn)
    for y in range(cell // 2, height, cell):
        for x in range(cell // 2, width, cell):
            across, down = (float(plane[y, x]) / longest * cell for plane in (u, v))
            pen.point((x, y), 110)
            if across * across + down * down >= 1:
                pen.line((x, y, x + across, y + down), 255)
                pen.rectangle((x - 1, y - 1, x + 1, y + 1), 170)
    return np.repeat(np.asarray(drawn, np.float32)[None] / 255, 3, axis=0)


def hashed(pixels: Pixels) -> NDArray[np.float32]:
    """float32 (3, H, W): the ranks of one layer of a Cryptomatte, a colour for every name, by its share of the
    pixel."""
    first, second = pixels.planes[0], pixels.planes[2]
    shares = pixels.planes[1], pixels.alpha if pixels.alpha is not None else np.zeros_like(pixels.planes[1])
    total = np.zeros((3, *first.shape), np.float32)
    for ids, share in ((first, shares[0]), (second, shares[1])):
        total += _colour_of(ids) * np.nan_to_num(share.astype(np.float32))
    return total


def _colour_of(ids: NDArray) -> NDArray[np.float32]:
    """By the bits of a name: the same for the same name in every picture; black for none."""
    bits = np.ascontiguousarray(ids, np.float32).view(np.uint32)
    names, place = np.unique(bits, return_inverse=True)
    colours = np.array([_colour(int(name)) for name in names], np.float32)
    return np.moveaxis(colours[place.reshape(bits.shape)], -1, 0)


def _colour(bits: int) -> tuple[float, float, float]:
    if not bits:
        return 0.0, 0.0, 0.0
    mixed = (bits * 0x9E3779B1) & 0xFFFFFFFF  # golden ratio of 2^32, so that near numbers get far hues
    hue, saturation, value = (
        (mixed >> 16) / 65536,
        0.45 + 0.4 * ((mixed >> 8 & 0xFF) / 255),
        0.55 + 0.45 * ((mixed & 0xFF) / 255),
    )
    return colorsys.hsv_to_rgb(hue, saturation, value)


def _signed(rgb: NDArray[np.float32], *, unit: bool) -> NDArray[np.float32]:
    """Around grey: directions by half and a half, places by their largest distance."""
    finite = np.abs(rgb[np.isfinite(rgb)])
    reach = 1.0 if unit or not finite.size else max(float(finite.max()), 1e-6)
    return rgb * (0.5 / reach) + 0.5


def _range(rgb: NDArray[np.float32], remap: Remap) -> NDArray[np.float32]:
    """Near is white and far is black, no surface black as well; in equal steps, or in equal ratios."""
    found = found_range(rgb[0])
    if found is None:
        return np.zeros_like(rgb)
    near = found[0] if remap.near is None else remap.near
    far = found[1] if remap.far is None else remap.far
    surface = np.isfinite(rgb) & (rgb < EMPTY_DEPTH)
    values = np.where(surface, rgb, far)
    if remap.log and min(near, far) > 0:
        values, near, far = np.log(np.maximum(values, 1e-9)), np.log(near), np.log(far)
    span = far - near if abs(far - near) > 1e-6 else 1e-6
    return np.where(surface, np.clip(1 - (values - near) / span, 0, 1), 0).astype(np.float32)


def component_names(source: Source) -> tuple[str, ...]:
    """What the channels of a source are called, for the probe: R G B, X Y Z, u v, or one name."""
    return tuple(split_name(name)[1] for name in source.colour)
