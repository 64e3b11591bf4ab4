"""Deliveries of our own to begin with, named for what they are for."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from prism.delivery.document import Delivery


def _preset(name: str, *items: dict[str, Any]) -> Delivery:
    return Delivery.from_json({"name": name, "items": list(items)})


_BEAUTY = {"id": "beauty", "encoding": {"kind": "exr"}}
_BURN = "{shot}  {ledger} v{version:03}|{note}|{frame}"

PRESETS: Mapping[str, Delivery] = MappingProxyType(
    {
        "picture": _preset("the picture", _BEAUTY, {"id": "still", "encoding": {"kind": "still"}}),
        "go-on": _preset(
            "to go on compositing",
            {
                "id": "set",
                "encoding": {"kind": "exr", "passes": ["*"], "mattes": ["*"], "cryptomatte": True, "packing": "parts"},
            },
        ),
        "review": _preset(
            "to review", {"id": "review", "encoding": {"kind": "movie", "codec": "h264", "burn": _BURN, "gaps": "mark"}}
        ),
        "overlay": _preset(
            "to lay over",
            {"id": "overlay", "encoding": {"kind": "movie", "codec": "prores4444", "alpha": "keep"}},
            {"id": "overlay_still", "encoding": {"kind": "still", "alpha": "keep", "bits": 16}},
        ),
    }
)
