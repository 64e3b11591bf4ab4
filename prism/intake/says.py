"""What the header of a file says of its place: production words of ours, and those of other programs."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from prism.formats.headers import Part

WORDS: Mapping[str, tuple[str, ...]] = MappingProxyType(
    {
        "shot": ("shot",),
        "layer": ("layer",),
        "camera": ("camera", "cameraName", "cameraLabel"),  # the latter is one of OpenEXR's standard attributes
        "view": ("view",),
        "passes": ("passes",),
    }
)
LONGEST = 200  # characters of a word that are kept; lists of passes are kept whole
PIXELS = "pixelFingerprint"  # of the planes of a part, as they were rendered


def said_by(part: Part) -> dict[str, str]:
    """What a part says, by the keys of WORDS; what it does not say is not there."""
    found = {}
    for name, words in WORDS.items():
        said = next((value for word in words if isinstance(value := part.says(word), str) and value), "")
        if said:
            found[name] = said if name == "passes" else said[:LONGEST]
    return found
