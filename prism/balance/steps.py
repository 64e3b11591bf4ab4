"""Whether a source was rounded to steps, as whole numbers of some bits have them: what should be there, rounded in that
way, is what is stored."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from prism.balance.trials import UNIT_HALF
from prism.colour.spaces import decode_srgb, encode_srgb

Colour = NDArray[np.float32]  # (3, 1, N)
Curve = Callable[[NDArray], NDArray]
FEWEST_LEVELS, MOST_LEVELS = 4, 300  # of values that were rounded to steps
FEWEST_TOLD = 60  # values that are exact enough to tell steps by
TELLING = 0.1  # part of a step that a value may be off by its own rounding, to tell anything
OFF_GRID = 0.005  # share of values that may lie between the steps
BITS = (8, 10, 12)
_GAMMA = 1 / 2.2
_CURVES: Mapping[str, tuple[Curve, Curve]] = MappingProxyType(
    {
        "": (lambda light: light, lambda code: code),
        ", stored as sRGB": (encode_srgb, decode_srgb),
        ", stored with gamma 2.2": (lambda light: np.maximum(light, 0) ** _GAMMA, lambda code: code ** (1 / _GAMMA)),
    }
)


@dataclass(frozen=True, slots=True, eq=False)
class Steps:
    """slack: how far each value may have been moved, (3, 1, N). top: where it is at the largest value of its channel,
    and what was above is gone, (3, 1, N). text: what was done, after the title of the source."""

    slack: Colour
    top: NDArray[np.bool_]
    text: str


def steps_of(stored: Colour, *, half: bool) -> Iterator[Steps]:
    """The ways in which a source may have been rounded, by its own values."""
    for bits in BITS:
        for words, (encode, decode) in _CURVES.items():
            top = 2**bits - 1
            if _on_grid(stored, encode, top, half=half):
                text = f"was rounded to {bits} bits a channel{words}"
                yield Steps(_of_grid(stored, encode, decode, top), _ends(stored), text)
    spaced = _spaced(stored)
    if spaced is not None:
        count = max(len(np.unique(plane)) for plane in stored)
        text = f"has only {count} values in the pixels looked at: it was rounded to steps"
        yield Steps(spaced, _ends(stored), text)


def _ends(stored: Colour) -> NDArray[np.bool_]:
    return stored >= np.nanmax(stored, axis=(1, 2), keepdims=True)


def _on_grid(stored: Colour, encode: Curve, top: int, *, half: bool) -> bool:
    """Whether all values that can tell lie on whole codes, and are not all the same few."""
    values = np.unique(stored[np.isfinite(stored) & (stored > 0)])
    if values.size < FEWEST_LEVELS or values[-1] > 1 + 2 * UNIT_HALF or values.size > top + 2:
        return False
    values = values.astype(np.float64)
    unit = UNIT_HALF if half else 2.0**-22
    code, off = encode(values) * top, (encode(values * (1 + unit)) - encode(values)) * top
    telling = off < TELLING
    if stored.size < FEWEST_TOLD or not telling.any():
        return False
    apart = np.abs(code - np.round(code))[telling]
    return bool((apart > 1.5 * off[telling] + 1e-4).mean() <= OFF_GRID)


def _of_grid(stored: Colour, encode: Curve, decode: Curve, top: int) -> Colour:
    """The bound of each value, to the next code above or below: it may have been rounded or cut."""
    code = np.round(encode(np.clip(stored, 0, 1).astype(np.float64)) * top)
    below, above = decode(np.maximum(code - 1, 0) / top), decode((code + 1) / top)
    return np.maximum(above - stored, stored - below).astype(np.float32)


def _spaced(stored: Colour) -> Colour | None:
    """How far apart the few values lie that a source was rounded to, at each of its values; None unless they are
    few."""
    slack = np.zeros_like(stored)
    for plane, out in zip(stored, slack, strict=True):
        levels = np.unique(plane[np.isfinite(plane)])
        if not FEWEST_LEVELS <= len(levels) <= MOST_LEVELS or plane.size < 4 * len(levels):
            return None
        gaps = np.diff(levels)
        if len(levels) >= 16 and gaps.max() > np.ptp(levels) / 4:  # flat colours, not steps
            return None
        place = np.clip(np.searchsorted(levels, plane), 0, len(levels) - 1)
        out[:] = np.maximum(gaps[np.clip(place, 0, len(gaps) - 1)], gaps[np.clip(place - 1, 0, len(gaps) - 1)])
    return slack
