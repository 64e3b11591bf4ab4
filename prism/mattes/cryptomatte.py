"""Names as numbers that survive in pixels, to the open Cryptomatte specification (1.2.0; details from memory)."""

from __future__ import annotations

import colorsys
import json
import struct
from collections.abc import Iterable, Sequence

import mmh3
import numpy as np
from numpy.typing import NDArray

EXPONENT = 0xFF
LOWEST_EXPONENT_BIT = 1 << 23


def name_bits(name: str) -> int:
    """The 32 bits of a name: MurmurHash3 of its UTF-8 bytes, one bit flipped where they would be no normal float."""
    bits = mmh3.hash(name.encode(), signed=False)
    return bits ^ LOWEST_EXPONENT_BIT if (bits >> 23) & EXPONENT in (0, EXPONENT) else bits


def name_float(name: str) -> np.float32:
    return np.array(name_bits(name), np.uint32).view(np.float32)[()]


def name_floats(names: Sequence[str]) -> NDArray[np.float32]:
    """By place in `names`; compare them by their bits."""
    return np.array([name_bits(name) for name in names], np.uint32).view(np.float32)


def flat_colour(name: str) -> tuple[float, float, float]:
    """A bright colour that the same name has everywhere, 0..1."""
    hue, light = struct.unpack("<HH", struct.pack("<I", name_bits(name)))
    return colorsys.hls_to_rgb(hue / 65536, 0.35 + 0.4 * light / 65536, 0.9)


def header(layer: str, names: Iterable[str]) -> dict[str, str]:
    """The header entries of a file that holds the ranks of `layer`. The key is the layer's own name, hashed."""
    key = f"cryptomatte/{mmh3.hash(layer.encode(), signed=False):08x}"[: len("cryptomatte/") + 7]
    manifest = {name: f"{name_bits(name):08x}" for name in names}
    return {
        f"{key}/name": layer,
        f"{key}/hash": "MurmurHash3_32",
        f"{key}/conversion": "uint32_to_float32",
        f"{key}/manifest": json.dumps(manifest, separators=(",", ":")),
    }


def ranked(
    things: NDArray[np.int32], shares: NDArray[np.float64], ids: NDArray[np.float32], levels: int
) -> list[NDArray[np.float32]]:
    """The planes of a Cryptomatte: id and coverage by turns, by falling coverage, 0 where there is no more.

    things, shares: (H, W, SLOTS), -1 and 0 where free. ids: of each thing. Returns 2 planes for each level, to whole
    layers of two levels.
    """
    count = levels + levels % 2
    order = np.argsort(-shares, axis=-1, kind="stable")[..., :count]
    held = np.take_along_axis(things, order, -1)
    share = np.take_along_axis(shares, order, -1).astype(np.float32)
    empty = (held < 0) | (share <= 0)
    empty[..., levels:] = True
    share[empty] = 0
    bits = ids.view(np.uint32)[np.maximum(held, 0)]
    bits[empty] = 0
    planes = []
    for rank in range(count):
        planes += [np.ascontiguousarray(bits[..., rank]).view(np.float32), np.ascontiguousarray(share[..., rank])]
    return planes
