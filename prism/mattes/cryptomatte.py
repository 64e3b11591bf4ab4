"""Names as numbers that survive in pixels, to the open Cryptomatte specification (1.2.0; details from memory)."""

from __future__ import annotations

import json
import math
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
    """The identity of a name as it is stored: its 32 bits read as a float32 (Cryptomatte specification)."""
    return np.float32(np.array([name_bits(name)], np.uint32).view(np.float32)[0])


def name_floats(names: Sequence[str]) -> NDArray[np.float32]:
    """(N,) float32, by place in `names`; compare them by their bits."""
    return np.array([name_bits(name) for name in names], np.uint32).view(np.float32)


def flat_colours(names: Sequence[str]) -> NDArray[np.float32]:
    """(N, 3) colours 0..1 that tell things apart: points of the coarsest even grid in the colour cube that has enough.

    So no two are nearer than one step of that grid, and none is near black. A name's colour depends on the other names.
    """
    steps = 2
    while (steps + 1) ** 3 - 1 < len(names):
        steps += 1
    levels = np.arange(steps + 1) / steps
    grid = np.stack(np.meshgrid(levels, levels, levels, indexing="ij"), axis=-1).reshape(-1, 3)[1:]
    # Neighbours in the list are taken far apart in the cube: by steps that share no factor with its size.
    count = len(grid)
    stride = next(step for step in range(int(count * 0.618), count + 1) if math.gcd(step, count) == 1)
    places = np.argsort(np.argsort(np.array(names, dtype=object))) if len(names) else np.zeros(0, int)
    return grid[(np.asarray(places, int) + 1) * stride % count].astype(np.float32)


def layer_key(layer: str) -> str:
    """The beginning of all header entries of a layer: its own name, hashed, to seven digits."""
    return f"cryptomatte/{mmh3.hash(layer.encode(), signed=False):08x}"[: len("cryptomatte/") + 7]


def header(layer: str, names: Iterable[str]) -> dict[str, str]:
    """The header entries of a file that holds the ranks of `layer`. The key is the layer's own name, hashed."""
    key = layer_key(layer)
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
    ordered = np.take_along_axis(things, order, -1)
    share = np.take_along_axis(shares, order, -1).astype(np.float32)
    empty = (ordered < 0) | (share <= 0)
    empty[..., levels:] = True
    share[empty] = 0
    bits = ids.view(np.uint32)[np.maximum(ordered, 0)]
    bits[empty] = 0
    planes = []
    for rank in range(count):
        planes += [np.ascontiguousarray(bits[..., rank]).view(np.float32), np.ascontiguousarray(share[..., rank])]
    return planes
