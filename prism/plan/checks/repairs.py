"""The small changes of a plan that mend what was found."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from prism.judging.finding import Finding
from prism.passes.catalogue import BY_KEY
from prism.plan.fields import with_fields
from prism.plan.plan import Layer, Plan, PlannedImage


def mended(plan: Plan, finding: Finding) -> Plan:
    """The plan with a finding's repair made."""
    return Plan.from_json(with_fields(plan.as_json(), finding.repair))


def titles(keys: Iterable[str]) -> str:
    """Titles of passes, for a sentence."""
    return " · ".join(BY_KEY[key].title for key in keys)  # titles hold commas themselves


def without_passes(plan: Plan, image: PlannedImage, keys: Iterable[str]) -> dict[str, Any]:
    """The repair that takes passes out of an image."""
    left_out = set(keys)
    return _passes(plan, image, [key for key in image.passes if key not in left_out])


def with_passes(plan: Plan, image: PlannedImage, keys: Iterable[str]) -> dict[str, Any]:
    """The repair that gives an image passes, in the order of the catalogue."""
    wanted = {*image.passes, *keys}
    return _passes(plan, image, [key for key in BY_KEY if key in wanted])


def _passes(plan: Plan, image: PlannedImage, passes: list[str]) -> dict[str, Any]:
    """The repair that gives an image these passes: the plan's own if its layer shares them with no other."""
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
    """The repair that puts a changed layer in the place of one."""
    return {"layers": [(changed if other is layer else other).model_dump(mode="json") for other in plan.layers]}
