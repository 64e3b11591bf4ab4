"""Single settings of a plan by dotted name, `quality.samples`: what presets hold and differences are told by."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

_NESTED = ("light_groups", "quality", "deep", "overlay", "cryptomatte", "packing")


def flattened(settings: Mapping[str, Any]) -> dict[str, Any]:
    """Settings by dotted name, whether they were given so or nested."""
    flat: dict[str, Any] = {}
    for name, value in settings.items():
        if name in _NESTED and isinstance(value, Mapping):
            flat |= {f"{name}.{leaf}": entry for leaf, entry in value.items()}
        else:
            flat[name] = value
    return flat


def field_of(document: Mapping[str, Any], name: str) -> Any:
    """One setting of a plan in JSON. Raises KeyError if there is none of that name."""
    root, _, leaf = name.partition(".")
    return document[root][leaf] if leaf else document[root]


def with_fields(document: Mapping[str, Any], settings: Mapping[str, Any]) -> dict[str, Any]:
    """The plan in JSON with some settings replaced; the rest of each nested value stays."""
    changed = dict(document)
    for name, value in settings.items():
        root, _, leaf = name.partition(".")
        changed[root] = {**changed[root], leaf: value} if leaf else value
    return changed


def upgraded_settings(settings: Mapping[str, Any]) -> dict[str, Any]:
    """Settings by dotted name as they are called today: samples were counted by the side of a square once."""
    changed = dict(settings)
    if "quality.samples_per_side" in changed:
        changed["quality.samples"] = changed.pop("quality.samples_per_side") ** 2
    return changed
