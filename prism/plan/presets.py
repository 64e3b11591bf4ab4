"""Presets: settings of a plan for a purpose. One may build on another and hold only what differs.

Applying copies the settings into the plan, with a note of what was applied. Later changes stay in the plan and show as
differences; a later change of the preset leaves the plan as it is, but shows that the preset moved on.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from prism.documents import Document, Value
from prism.errors import BadArgument, BadDocument
from prism.plan.fields import field_of, flattened, upgraded_settings, with_fields
from prism.plan.packing import Packing
from prism.plan.plan import AppliedPreset, Cryptomatte, Deep, LightGroups, Overlay, Plan, Quality, ShotSettings

_NESTED: dict[str, type[Value]] = {
    "light_groups": LightGroups,
    "quality": Quality,
    "deep": Deep,
    "overlay": Overlay,
    "cryptomatte": Cryptomatte,
    "packing": Packing,
}
PRESET_FIELDS = (
    "passes",
    *(f"{root}.{leaf}" for root, value in _NESTED.items() for leaf in value.model_fields),
    "names",
)
"""What a preset may set: nothing of the shot, its layers, cameras and lights, which differ from shot to shot."""

Name = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^\S(.*\S)?$")]


class Preset(Document):
    """settings: fields of a plan by dotted name, only those that differ from the base's. formerly: names it had."""

    format: Literal["eager-prism.preset"] = "eager-prism.preset"
    version: Literal[3] = 3
    name: Name
    purpose: Annotated[str, Field(max_length=200)] = ""
    base: str | None = None
    settings: dict[str, Any] = {}
    formerly: tuple[str, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _upgraded(cls, data: Any) -> Any:
        """Version 1 nested its settings; up to version 2 samples were counted by the side of a square."""
        if (
            not isinstance(data, dict)
            or data.get("version") not in (1, 2)
            or not isinstance(data.get("settings"), dict)
        ):
            return data
        return data | {"version": 3, "settings": upgraded_settings(flattened(data["settings"]))}

    @field_validator("settings")
    @classmethod
    def _only_what_a_preset_may_set(cls, settings: dict[str, Any]) -> dict[str, Any]:
        flat = flattened(settings)
        strange = sorted(flat.keys() - set(PRESET_FIELDS))
        if strange:
            raise ValueError(f"a preset cannot set {', '.join(strange)}; it may set {', '.join(PRESET_FIELDS)}")
        _on_a_blank_plan(flat)
        return flat


Library = Mapping[str, Preset]


@dataclass(frozen=True, slots=True)
class Difference:
    """A field that is no longer as the preset has it."""

    field: str
    plan: Any
    preset: Any


def find(name: str, library: Library) -> Preset:
    """A preset by its name or one it had before. Raises BadArgument."""
    known = library.get(name) or next((preset for preset in library.values() if name in preset.formerly), None)
    if known is None:
        raise BadArgument(f"There is no preset {name}.", advice=f"There are {', '.join(library)}.")
    return known


def resolve(name: str, library: Library) -> dict[str, Any]:
    """All settings of a preset, its bases' included. Raises BadArgument, or BadDocument if bases run in a circle."""
    chain: list[Preset] = []
    wanted: str | None = name
    while wanted is not None:
        preset = find(wanted, library)
        if preset in chain:
            raise BadDocument(
                f"The presets {', '.join(preset.name for preset in chain)} build on each other in a circle."
            )
        chain.append(preset)
        wanted = preset.base
    settings: dict[str, Any] = {}
    for preset in reversed(chain):
        settings |= preset.settings
    return settings


def apply(plan: Plan, name: str, library: Library) -> Plan:
    """The plan with a preset's settings. Raises BadDocument if they do not make a plan."""
    settings = resolve(name, library)
    return Plan.from_json(with_fields(plan.as_json(), applied_fields(name, settings)))


def applied_fields(name: str, settings: Mapping[str, Any]) -> dict[str, Any]:
    """What applying a preset changes in a plan: its settings, and the note that they are its."""
    return {**settings, "applied": {"name": name, "settings": dict(settings)}}


def differences(plan: Plan) -> list[Difference]:
    """What was changed in the plan since its preset was applied; nothing if there was none."""
    if plan.applied is None:
        return []
    try:
        then = require_applied(plan)
    except BadDocument:  # of a plan that was kept before that was seen to: it opens all the same
        return []
    return _differing(plan.as_json(), then, tuple(plan.applied.settings))


def require_applied(plan: Plan) -> dict[str, Any]:
    """The plan in JSON as its preset would have it, with defaults filled in alike; the plan itself if it has none.

    Raises BadDocument if what is noted as the preset's settings are not settings of a plan.
    """
    now = plan.as_json()
    settings = plan.applied.settings if plan.applied else {}
    where = "field applied.settings"
    strange = next((name for name in settings if name not in PRESET_FIELDS), None)
    if strange is not None:
        raise BadDocument(f"A preset sets no {strange[:40]!r}.", where=where, advice="Apply the preset again.")
    return Plan.from_json(with_fields(now, settings), where=where).as_json()


def moved_on(applied: AppliedPreset, library: Library) -> bool:
    """Whether the preset is gone or sets other things now than when it was applied."""
    try:
        return resolve(applied.name, library) != applied.settings
    except BadArgument:
        return True


def captured(plan: Plan, name: str, library: Library, *, purpose: str = "", base: str | None = None) -> Preset:
    """The plan's settings as a preset: all of them, or only what differs from its base.

    Raises BadArgument if there is no such base, BadDocument for a bad name.
    """
    now = plan.as_json()
    then = now if base is None else _on_a_blank_plan(resolve(base, library))
    fields = (
        PRESET_FIELDS if base is None else [difference.field for difference in _differing(now, then, PRESET_FIELDS)]
    )
    settings = {field: field_of(now, field) for field in fields}
    return Preset.from_json({"name": name, "purpose": purpose, "base": base, "settings": settings}, where="preset")


def added(preset: Preset, library: Library) -> Library:
    """The library with a preset put in or replaced. Raises BadArgument or BadDocument if its bases do not hold."""
    changed = {**library, preset.name: preset}
    resolve(preset.name, changed)
    return changed


def renamed(old: str, new: str, library: Library) -> Library:
    """The library with one preset under another name; those that build on it follow, and plans still find it."""
    require_free(new, library)
    preset = find(old, library)
    renaming = preset.as_json() | {"name": new, "formerly": [*preset.formerly, preset.name]}
    moved = Preset.from_json(renaming, where="preset")
    others = (
        other.replace(base=new) if other.base == preset.name else other
        for other in library.values()
        if other is not preset
    )
    return {preset.name: preset for preset in (*others, moved)}


def removed(name: str, library: Library) -> Library:
    """The library without a preset. Raises BadArgument if others build on it."""
    preset = find(name, library)
    dependents = [other.name for other in library.values() if other.base == preset.name]
    if dependents:
        raise BadArgument(
            f"{preset.name} cannot be deleted: {', '.join(dependents)} builds on it.",
            where="preset",
            advice="Delete that one first, or give it another base.",
        )
    return {other.name: other for other in library.values() if other is not preset}


def require_free(name: str, library: Library) -> None:
    """Raises BadArgument if a preset of this name is there."""
    if name in library:
        raise BadArgument(f"There is a preset {name} already.", where="preset", advice="Choose another name.")


def _differing(now: Mapping[str, Any], then: Mapping[str, Any], fields: tuple[str, ...]) -> list[Difference]:
    pairs = ((field, field_of(now, field), field_of(then, field)) for field in fields)
    return [Difference(*pair) for pair in pairs if pair[1] != pair[2]]


def _on_a_blank_plan(settings: Mapping[str, Any]) -> dict[str, Any]:
    """A plan that holds these settings and defaults else. Raises BadDocument naming the bad field."""
    blank = Plan(shot=ShotSettings(production="X", code="X", frames="1"))
    return Plan.from_json(with_fields(blank.as_json(), settings), where="preset").as_json()


_SHIPPED = (
    Preset(
        name="first look",
        purpose="Is everything where it should be? The beauty alone, quickly.",
        formerly=("layout check",),
        settings={
            "passes": ["beauty"],
            "quality.samples": 4,
            "quality.denoise": False,
            "packing.rule": "one-file",
        },
    ),
    Preset(
        name="choose and measure",
        purpose="Objects and measurements: depth, directions, motion and mattes beside the beauty.",
        base="first look",
        formerly=("animation check",),
        settings={"passes": ["beauty", "crypto_object", "depth", "normals", "motion_forward"]},
    ),
    Preset(
        name="surface study",
        purpose="Fine surfaces: the diffuse and specular light apart, with more samples.",
        base="first look",
        formerly=("grooming",),
        settings={"passes": ["beauty", "diffuse", "specular", "occlusion"], "quality.samples": 36},
    ),
    Preset(
        name="light study",
        purpose="Every light group apart, to be balanced without rendering again.",
        formerly=("lighting",),
        settings={
            "passes": ["beauty", "light_group", "surface_colour", "raw_light", "depth", "normals"],
            "light_groups.mode": "all",
            "light_groups.labels": [],
            "quality.samples": 16,
            "packing.rule": "one-file",
        },
    ),
    Preset(
        name="everything",
        purpose=(
            "Components, light groups, data, Cryptomattes and wires: whatever a note may ask for. Add deep "
            "where it is needed."
        ),
        base="light study",
        formerly=("full comp",),
        settings={
            "passes": [
                "beauty",
                "diffuse_direct",
                "diffuse_indirect",
                "specular_direct",
                "specular_indirect",
                "transmission",
                "subsurface",
                "emission",
                "volume",
                "background",
                "light_group",
                "surface_colour",
                "raw_light",
                "occlusion",
                "depth",
                "mist",
                "normals",
                "motion_forward",
                "crypto_object",
                "crypto_material",
                "wire",
            ],
            "quality.samples": 64,
        },
    ),
)
SHIPPED: Library = MappingProxyType({preset.name: preset for preset in _SHIPPED})
