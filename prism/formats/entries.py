"""Header entries as OpenEXR's own binding takes them, for files that are written."""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction
from typing import Any

import numpy as np
import OpenEXR

from prism.formats.headers import Attribute
from prism.naming.timecode import TimeCode

_SHAPES = {"v2i": 2, "v2f": 2, "v3i": 3, "v3f": 3, "m33f": (3, 3), "m44f": (4, 4)}


def header_entries(attributes: Mapping[str, Any]) -> dict[str, Any]:
    """Header entries as OpenEXR's binding takes them: it has a time code of its own, and takes any attribute of a
    file."""
    return {name: _entry(value) for name, value in attributes.items()}


def _entry(value: Any) -> Any:
    if isinstance(value, TimeCode):
        return _time_code(value)
    return _as_it_lay(value) if isinstance(value, Attribute) else value


def _as_it_lay(attribute: Attribute) -> Any:
    """For the same bytes in a new file: as the binding's own type where it has one, since it compares those of several
    parts and knows some entries by name; else as they are."""
    value, shape = attribute.value, _SHAPES.get(attribute.type)
    typed = None
    if value is None:
        pass
    elif attribute.type == "timecode":
        typed = _stored_time_code(*value)
    elif attribute.type == "box2i":
        typed = np.array(value[:2], np.int32), np.array(value[2:], np.int32)
    elif (attribute.type == "string" and value.encode() == attribute.raw) or attribute.type in (
        "int",
        "float",
        "chromaticities",
    ):
        typed = value
    elif attribute.type == "rational" and value[1] and math.gcd(*value) == 1:
        typed = Fraction(*value)
    elif shape is not None:
        typed = np.array(value, attribute.type[-1] if attribute.type[-1] != "i" else "i4").reshape(shape)
    return OpenEXR.OpaqueAttribute(attribute.raw, attribute.type) if typed is None else typed


def _stored_time_code(time: int, user: int) -> OpenEXR.TimeCode | None:
    """Two words as SMPTE ST 12-1 packs them for 60 fields; None if a digit is none. The library compares those of
    several parts and wants its own type for that."""
    pairs = [(time >> shift & 15, time >> shift + 4 & tens) for shift, tens in ((24, 3), (16, 7), (8, 7), (0, 3))]
    if any(ones > 9 for ones, _ in pairs):
        return None
    digits = [10 * tens + ones for ones, tens in pairs]
    flags = [bool(time >> bit & 1) for bit in (6, 7, 15, 23, 30, 31)]  # drop, colour, field, three of the user's groups
    try:
        return OpenEXR.TimeCode(*digits, *flags, *(user >> 4 * group & 15 for group in range(8)))
    except (ValueError, RuntimeError):  # an hour of 25, say
        return None


def _time_code(code: TimeCode) -> OpenEXR.TimeCode:
    stored = OpenEXR.TimeCode()
    stored.hours, stored.minutes, stored.seconds, stored.frame = code.hours, code.minutes, code.seconds, code.frames
    stored.dropFrame = code.drop
    return stored
