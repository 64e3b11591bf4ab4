"""What each OpenEXR compression does to each pixel type: the one table for plans, files, Intake and hand-off.

Source: OpenEXR's technical introduction (pxr24 cuts floats to 24 bits, b44 packs half in blocks) and, for which channels dwa and lj2k
treat as colour, the library itself: a test writes and reads every pair.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

_ALL = frozenset({"half", "float", "uint"})
EXACT: Mapping[str, frozenset[str]] = MappingProxyType(
    dict.fromkeys(("none", "rle", "zips", "zip", "piz", "htj2k256", "htj2k32", "zstd"), _ALL)
    | {
        "pxr24": frozenset({"half", "uint"}),
        "b44": frozenset({"float", "uint"}),
        "b44a": frozenset({"float", "uint"}),
        "dwaa": frozenset({"uint"}),
        "dwab": frozenset({"uint"}),
        "lj2k": frozenset({"uint"}),
    }
)
"""Pixel types that come back bit by bit, whatever their channels are called."""
_COLOUR = {
    "dwaa": ("R", "G", "B", "Y", "RY", "BY"),
    "dwab": ("R", "G", "B", "Y", "RY", "BY"),
    "lj2k": ("R", "G", "B", "r", "g", "b"),
}
"""Ends of names that the compression takes for colour; it leaves all other channels as they are."""


def loses(compression: str, pixel: str, channel: str) -> bool:
    """Whether a compression may change the values of a channel. pixel: half, float or uint. channel: its full name."""
    if pixel in EXACT.get(compression, _ALL):
        return False
    colour = _COLOUR.get(compression)
    return colour is None or channel.rpartition(".")[2] in colour
