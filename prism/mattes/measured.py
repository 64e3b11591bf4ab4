"""Parts of mattes that follow what passes measure: flat colours, ranges, directions, boxes in space. Each (H, W)
float32, 0..1.

Where a pass holds no number there is no matte. What passes keep unfiltered (depth, normals, position) has hard edges
here as well.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from prism.colour.spaces import luminance_weights
from prism.mattes.parts import BoxPart, ColourPart, DirectionPart, RangePart
from prism.sources.pixels import Frame, Pixels

ALL_AROUND = np.ones((3, 3), bool)  # neighbours by corners touch as well


def of_colour(part: ColourPart, frame: Frame, space: str) -> NDArray[np.float32]:
    """(H, W) 0..1: how near each pixel is to the colour, by the channel that is furthest off."""
    planes = frame.pixels(part.source).planes
    with np.errstate(invalid="ignore"):
        away = [np.abs(p.astype(np.float32) - np.float32(c)) for p, c in zip(planes, part.colour, strict=True)]
        near = _falling(np.maximum.reduce(away), part.tolerance, part.soft)
    return _touching(near, frame, part) if part.touching else near


def _touching(near: NDArray[np.float32], frame: Frame, part: ColourPart) -> NDArray[np.float32]:
    """The one area that holds the place; nothing if that lies outside, or in none."""
    row = int(np.floor(part.y)) + frame.display_window.y0 - frame.window.y0
    column = int(np.floor(part.x)) + frame.display_window.x0 - frame.window.x0
    areas, _ = ndimage.label(near > 0, ALL_AROUND)
    inside = 0 <= row < near.shape[0] and 0 <= column < near.shape[1]
    mine = areas[row, column] if inside else 0
    return np.where(areas == mine, near, np.float32(0)) if mine else np.zeros_like(near)


def of_range(part: RangePart, frame: Frame, space: str) -> NDArray[np.float32]:
    """(H, W) 0..1: rising to low, whole to high, falling beyond. space: working colour, whose weights make
    luminance."""
    with np.errstate(invalid="ignore", over="ignore"):
        value = measure(part.measure, frame.pixels(part.source), space)
        rising = _falling(-value, -part.low, part.soft_low)
        return np.minimum(rising, _falling(value, part.high, part.soft_high))


def measure(what: str, pixels: Pixels, space: str) -> NDArray[np.float32]:
    """(H, W) float32: a channel by its place, `first` to `third`, or the `luminance` of whole colour."""
    if what != "luminance":
        return pixels.planes[("first", "second", "third").index(what)].astype(np.float32)
    weights = luminance_weights(space).astype(np.float32)
    light = sum(w * plane.astype(np.float32) for w, plane in zip(weights, pixels.planes, strict=True))
    if pixels.alpha is None:
        return light
    # Of whole colour: what covers half a pixel is no darker for that, and leaves no rim.
    alpha = pixels.alpha.astype(np.float32)
    return np.where(alpha > 0, light / np.where(alpha > 0, alpha, 1), light)


def of_direction(part: DirectionPart, frame: Frame, space: str) -> NDArray[np.float32]:
    """(H, W) 0..1: by the angle between normal and direction; neither needs to have the length 1."""
    toward = np.array(part.toward, np.float64)
    length = np.linalg.norm(toward)
    normals = np.stack([plane.astype(np.float32) for plane in frame.pixels(part.source).planes])
    lengths = np.sqrt((normals**2).sum(axis=0))
    there = (lengths > 0) & (length > 0)
    with np.errstate(invalid="ignore", divide="ignore"):
        cosine = np.tensordot((toward / (length or 1)).astype(np.float32), normals, 1) / np.where(there, lengths, 1)
        angle = np.degrees(np.arccos(cosine.clip(-1, 1)))
        return np.where(there, _falling(angle, part.angle, part.soft), np.float32(0))


def of_box(part: BoxPart, frame: Frame, space: str) -> NDArray[np.float32]:
    """(H, W) 0..1: by how far a place lies outside of the box, straight to its surface."""
    outside = np.zeros(frame.shape(), np.float32)
    with np.errstate(invalid="ignore", over="ignore"):
        for plane, low, high in zip(frame.pixels(part.source).planes, part.low, part.high, strict=True):
            value = plane.astype(np.float32)
            beyond = np.maximum(np.maximum(np.float32(low) - value, value - np.float32(high)), 0)
            outside += beyond * beyond
        return _falling(np.sqrt(outside), 0.0, part.soft)


def _falling(value: NDArray[np.float32], end: float, soft: float) -> NDArray[np.float32]:
    """1 up to an end, straight down to 0 over soft beyond it; 0 for what is no number."""
    beyond = value - np.float32(end)
    if soft == 0:
        return (beyond <= 0).astype(np.float32)
    kept = (1 - beyond / np.float32(soft)).clip(0, 1)
    return np.where(np.isnan(kept), np.float32(0), kept)
