"""Presets: settings of a plan for a purpose. One may build on another and hold only what differs.

Applying copies the settings into the plan, with a note of what was applied. Later changes stay in the plan and show as
differences; a later change of the preset leaves the plan as it is, but shows that the preset moved on.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Annotated, Any, Literal

from pydantic import Field, field_validator

from prism.documents import Document
from prism.errors import BadArgument, BadDocument
from prism.passes.plan import PRESET_FIELDS, AppliedPreset, Plan


class Preset(Document):
    """settings: fields of a plan, only those that differ from the base's."""

    format: Literal["eager-prism.preset"] = "eager-prism.preset"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=60)]
    purpose: str = ""
    base: str | None = None
    settings: dict[str, Any] = {}

    @field_validator("settings")
    @classmethod
    def _only_what_a_preset_may_set(cls, settings: dict[str, Any]) -> dict[str, Any]:
        strange = sorted(settings.keys() - set(PRESET_FIELDS))
        if strange:
            raise ValueError(f"a preset cannot set {', '.join(strange)}; it may set {', '.join(PRESET_FIELDS)}")
        return settings


Library = Mapping[str, Preset]


@dataclass(frozen=True, slots=True)
class Difference:
    """A field of the plan that is no longer as its preset set it."""

    field: str
    plan: Any
    preset: Any


def resolve(name: str, library: Library) -> dict[str, Any]:
    """All settings of a preset, its bases' included. Raises BadArgument, or BadDocument if bases run in a circle."""
    chain: list[Preset] = []
    wanted: str | None = name
    while wanted is not None:
        if wanted not in library:
            raise BadArgument(f"There is no preset {wanted}.", advice=f"There are {', '.join(library)}.")
        if library[wanted] in chain:
            raise BadDocument(f"The presets {', '.join(one.name for one in chain)} build on each other in a circle.")
        chain.append(library[wanted])
        wanted = chain[-1].base
    settings: dict[str, Any] = {}
    for preset in reversed(chain):
        settings |= preset.settings
    return settings


def apply(plan: Plan, name: str, library: Library) -> Plan:
    """The plan with a preset's settings. Raises BadDocument if they do not make a plan."""
    settings = resolve(name, library)
    return Plan.from_json(plan.as_json() | settings | {"applied": {"name": name, "settings": settings}})


def differences(plan: Plan) -> list[Difference]:
    """What was changed in the plan since its preset was applied; nothing if there was none."""
    if plan.applied is None:
        return []
    now = plan.as_json()
    then = Plan.from_json(now | plan.applied.settings).as_json()  # with defaults filled in alike
    return [Difference(field, now[field], then[field]) for field in plan.applied.settings if now[field] != then[field]]


def moved_on(applied: AppliedPreset, library: Library) -> bool:
    """Whether the preset is gone or sets other things now than when it was applied."""
    return applied.name not in library or resolve(applied.name, library) != applied.settings


_SHIPPED = (
    Preset(
        name="layout check",
        purpose="Is everything where it should be? The beauty alone, quickly.",
        settings={"passes": ["beauty"], "quality": {"samples_per_side": 2}, "packing": {"rule": "one-file"}},
    ),
    Preset(
        name="animation check",
        purpose="Moves read against the background: depth and directions beside the beauty.",
        base="layout check",
        settings={"passes": ["beauty", "depth", "normals"]},
    ),
    Preset(
        name="grooming",
        purpose="Fine surfaces: the diffuse and specular light apart, with more samples.",
        base="layout check",
        settings={"passes": ["beauty", "diffuse", "specular", "occlusion"], "quality": {"samples_per_side": 6}},
    ),
    Preset(
        name="lighting",
        purpose="Every light group apart, to be mixed without rendering again.",
        settings={
            "passes": ["beauty", "light_group", "surface_colour", "raw_light", "depth", "normals"],
            "light_groups": {"mode": "all", "labels": []},
            "quality": {"samples_per_side": 4},
            "packing": {"rule": "one-file"},
        },
    ),
    Preset(
        name="full comp",
        purpose="Components, light groups and data: whatever a note may ask for.",
        base="lighting",
        settings={
            "passes": [
                "beauty", "diffuse_direct", "diffuse_indirect", "specular_direct", "specular_indirect", "transmission",
                "emission", "background", "light_group", "surface_colour", "raw_light", "occlusion", "depth", "mist",
                "normals",
            ],
            "quality": {"samples_per_side": 8},
        },
    ),
)  # fmt: skip
SHIPPED: Library = MappingProxyType({preset.name: preset for preset in _SHIPPED})
