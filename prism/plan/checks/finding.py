"""A finding, and the small changes of a plan that fix one."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from prism.passes.catalogue import BY_KEY
from prism.plan.fields import with_fields
from prism.plan.plan import Layer, Plan, PlannedImage

ERROR, WARNING, NOTE = "error", "warning", "note"


@dataclass(frozen=True, slots=True)
class Finding:
    """fix: fields of the plan by dotted name with the values that fix it; empty if only a person can decide."""

    code: str
    level: str
    what: str
    where: str
    why: str
    fix: dict[str, Any] = field(default_factory=dict)

    def as_json(self) -> dict[str, Any]:
        """All fields, for JSON; the fix as dotted fields and their values."""
        names = ("code", "level", "what", "where", "why", "fix")
        return {name: getattr(self, name) for name in names}


def fixed(plan: Plan, finding: Finding) -> Plan:
    """The plan with a finding's fix applied."""
    return Plan.from_json(with_fields(plan.as_json(), finding.fix))


def titles(keys: Iterable[str]) -> str:
    """Titles of passes, for a sentence."""
    return " · ".join(BY_KEY[key].title for key in keys)  # titles hold commas themselves


def without_passes(plan: Plan, image: PlannedImage, keys: Iterable[str]) -> dict[str, Any]:
    """The fix that takes passes out of an image."""
    left_out = set(keys)
    return _passes(plan, image, [key for key in image.passes if key not in left_out])


def with_passes(plan: Plan, image: PlannedImage, keys: Iterable[str]) -> dict[str, Any]:
    """The fix that gives an image passes, in the order of the catalogue."""
    wanted = {*image.passes, *keys}
    return _passes(plan, image, [key for key in BY_KEY if key in wanted])


def _passes(plan: Plan, image: PlannedImage, passes: list[str]) -> dict[str, Any]:
    """The fix that gives an image these passes: the plan's own if its layer shares them with no other."""
    layer = image.layer
    for_all = image.shared and set(image.cameras) >= set(plan.cameras)
    if for_all and layer.passes is None and not layer.for_camera and len(plan.layers) == 1:
        return {"passes": passes}
    if for_all:
        changed = layer.replace(passes=passes, for_camera={})
    else:
        changed = layer.replace(for_camera=layer.for_camera | dict.fromkeys(image.cameras, passes))
    return with_layer(plan, layer, changed)


def with_layer(plan: Plan, layer: Layer, changed: Layer) -> dict[str, Any]:
    """The fix that puts a changed layer in the place of one."""
    return {"layers": [(changed if other is layer else other).model_dump(mode="json") for other in plan.layers]}
