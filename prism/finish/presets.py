"""Chains of our own to begin with, named for what they do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

from prism.finish.document import Finish


@dataclass(frozen=True, slots=True)
class Chain:
    """title: what it does, in a few words. steps: as a document has them."""

    title: str
    steps: tuple[dict[str, Any], ...]

    @property
    def finish(self) -> Finish:
        """The finish as a document."""
        return Finish.from_json({**_HEAD, "name": self.title, "steps": list(self.steps)})


_HEAD = {"format": "eager-prism.finish", "version": 1}

CHAINS: Mapping[str, Chain] = MappingProxyType(
    {
        "warm-lights": Chain(
            "warm lights in a cool dusk",
            (
                {"id": "cool", "kind": "grade", "warmth": -18, "saturation": 1.05},
                {"id": "glow", "kind": "glow", "threshold": 0.9, "size": 70, "tint": [1, 0.86, 0.66], "amount": 0.8},
                {"id": "split", "kind": "balance", "shadows": [-0.012, 0, 0.02], "highlights": [0.02, 0.004, -0.02]},
                {"id": "film", "kind": "film", "look": "evening", "amount": 0.5},
            ),
        ),
        "lens": Chain(
            "as through a simple lens",
            (
                {"id": "fringe", "kind": "fringe", "red": 0.8, "blue": -0.8},
                {"id": "vignette", "kind": "vignette", "field_of_view": 55},
                {"id": "glow", "kind": "glow", "threshold": 1, "size": 30, "amount": 0.5},
            ),
        ),
        "print": Chain(
            "a soft print with fine grain",
            (
                {"id": "film", "kind": "film", "look": "gentle", "amount": 0.8},
                {"id": "vibrance", "kind": "vibrance", "vibrance": 0.25},
                {"id": "sharpen", "kind": "sharpen", "amount": 0.5, "radius": 0.7},
                {"id": "grain", "kind": "grain", "amount": 0.03, "size": 1.4},
            ),
        ),
        "clear": Chain(
            "clear and crisp, for small screens",
            (
                {"id": "levels", "kind": "levels", "black": 0.01, "white": 0.97},
                {"id": "sharpen", "kind": "sharpen", "amount": 1.1, "radius": 0.8, "threshold": 0.004},
            ),
        ),
    }
)
