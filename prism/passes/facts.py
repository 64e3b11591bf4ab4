"""What a plan needs to know of a scene: enough to tell which passes can carry anything, and why others cannot."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from prism.depth.mist import Mist
from prism.passes.catalogue import COMPONENTS
from prism.passes.kinds import NEEDS, PassKind
from prism.passes.plan import LightGroups, Override, PlannedImage

# A gloss is a rough base under a shiny coat. Glass and panes are shiny, and only glass counts as transmission.
MATERIAL_GIVES: Mapping[str, frozenset[str]] = MappingProxyType(
    {
        "matte": frozenset({"rough"}),
        "gloss": frozenset({"rough", "shiny"}),
        "metal": frozenset({"shiny"}),
        "glass": frozenset({"shiny", "glass"}),
        "pane": frozenset({"shiny"}),
        "wax": frozenset({"shiny", "subsurface"}),
    }
)
OVERRIDE_GIVES: Mapping[Override, frozenset[str]] = MappingProxyType(
    {"matte-black": frozenset(), "clay": frozenset({"rough"}), "occlusion": frozenset()}
)
"""What is left of the materials under an override. Matte black and occlusion scatter no light of lights at all."""
LIGHT_GIVES: Mapping[str, frozenset[str]] = MappingProxyType(
    {
        "sphere": frozenset({"light", "glow"}),
        "distant": frozenset({"light", "sky"}),  # its disc is seen where there is no surface
        "sky": frozenset({"light", "sky"}),
    }
)
_OF_MATERIALS = frozenset().union(*MATERIAL_GIVES.values())
_OF_LIGHTS = frozenset().union(*LIGHT_GIVES.values())
REST = "rest"  # the light group of lights without a label


@dataclass(frozen=True, slots=True, kw_only=True)
class LightFact:
    """label: "" if the light has none. dark: it gives no light at all."""

    name: str
    kind: str
    label: str = ""
    dark: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupFact:
    """An object group. gives: keys of NEEDS. surfaces: objects in it. folded: one of them can face itself."""

    gives: frozenset[str] = frozenset()
    surfaces: int = 1
    folded: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class SceneFacts:
    """everywhere: what is seen from any layer besides lights. working_views: cameras one works through, not for renders.

    reach: nearest and farthest depth of any object in front of a camera, in scene units.
    """

    name: str
    groups: Mapping[str, GroupFact]
    lights: tuple[LightFact, ...] = ()
    cameras: tuple[str, ...] = ()
    everywhere: frozenset[str] = frozenset()
    working_views: frozenset[str] = frozenset()
    reach: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    mist: Mist | None = None

    @classmethod
    def unknown(cls, cameras: tuple[str, ...]) -> SceneFacts:
        """A scene nothing is known of: it may hold anything, and has the cameras the plan names."""
        return cls(name="", groups={}, everywhere=frozenset(NEEDS), cameras=cameras)

    @property
    def labels(self) -> tuple[str, ...]:
        """Light groups in order of first use, `rest` last if some light has no label."""
        labels = dict.fromkeys(light.label for light in self.lights if light.label)
        return (*labels, REST) if any(not light.label for light in self.lights) else tuple(labels)

    def relabelled(self, labels: Mapping[str, str]) -> SceneFacts:
        """The same scene with other labels on some lights."""
        lights = tuple(replace(light, label=labels.get(light.name, light.label)) for light in self.lights)
        return replace(self, lights=lights)

    def lights_of(self, label: str) -> tuple[LightFact, ...]:
        return tuple(light for light in self.lights if (light.label or REST) == label)

    def given(self, shown: Iterable[str], casting: Iterable[str], override: Override | None = None) -> frozenset[str]:
        """All that a layer can show. shown, casting: object groups that are visible, and that throw shadows."""
        seen = [self.groups[group] for group in shown if group in self.groups]
        others = [self.groups[group] for group in casting if group in self.groups]
        given = self.everywhere.union(*(group.gives for group in seen))
        if override is not None:
            given = given - _OF_MATERIALS | OVERRIDE_GIVES[override]
        if any(group.surfaces for group in seen):
            given |= {"surface"}
            if sum(group.surfaces for group in others) > 1 or any(group.folded for group in seen):
                given |= {"neighbours"}
        lit = [light for light in self.lights if not light.dark]
        given = given.union(*(LIGHT_GIVES[light.kind] for light in lit))
        return given | {"labels"} if any(light.label for light in lit) else given

    def given_to(self, image: PlannedImage) -> frozenset[str]:
        names = tuple(self.groups)
        return self.given(image.layer.shown(names), image.layer.casting(names), image.layer.override)

    def lit_by(self, label: str, given: frozenset[str]) -> frozenset[str]:
        """What is left of `given` with the lights of one group alone."""
        lights = self.lights_of(label)
        return (given - _OF_LIGHTS).union(*(LIGHT_GIVES[light.kind] for light in lights if not light.dark))


def lacking(kind: PassKind, given: Collection[str]) -> str:
    """Why a pass would come out empty, in words; an empty text if it can carry something."""
    missing = [NEEDS[need] for need in kind.needs if need not in given]
    return f"there is no {' and no '.join(word.removeprefix('a ') for word in missing)}" if missing else ""


def parts_of_groups(groups: LightGroups, facts: SceneFacts, given: frozenset[str]) -> dict[str, tuple[PassKind, ...]]:
    """By light group that is rendered: the components that can carry its light."""
    return {
        label: tuple(kind for kind in COMPONENTS if not lacking(kind, facts.lit_by(label, given)))
        for label in groups.chosen(facts.labels)
    }


def dark_groups(facts: SceneFacts) -> tuple[str, ...]:
    """Light groups whose lights give no light, so that their pass would come out black."""
    return tuple(label for label in facts.labels if all(light.dark for light in facts.lights_of(label)))
