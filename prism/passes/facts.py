"""What a plan needs to know of a scene: enough to tell which passes can carry anything, and why others cannot."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from prism.depth.mist import Mist
from prism.passes.catalogue import COMPONENTS
from prism.passes.kinds import NEEDS, PassKind
from prism.passes.plan import Layer, LightGroups, Override, Plan, PlannedImage, ShotSettings

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
        "unseen": frozenset({"light"}),
        "distant": frozenset({"light", "sky"}),  # its disc is seen where there is no surface
        "sky": frozenset({"light", "sky"}),
    }
)
_OF_MATERIALS = frozenset().union(*MATERIAL_GIVES.values())
_OF_LIGHTS = frozenset().union(*LIGHT_GIVES.values())
REST = "rest"  # the light group of lights without a label
CLEAR_ENOUGH = 1e-3  # share of light through fog below which what lies behind it is black in any picture


@dataclass(frozen=True, slots=True)
class Extent:
    """Where something lies on a camera's image plane, over all frames: x right and y down, in units of half its width.

    Infinite where it reaches beside or behind the camera.
    """

    left: float
    top: float
    right: float
    bottom: float

    def meets(self, across: float, down: float) -> bool:
        """Whether a picture from -across to across and from -down to down can show any of it."""
        return self.left < across and self.right > -across and self.top < down and self.bottom > -down


@dataclass(frozen=True, slots=True, kw_only=True)
class CameraFact:
    """What a camera can see. extents: of object groups and lamps by name; who is not named may be anywhere.

    reach: nearest and farthest depth of any object before it, zeros if unknown. fog: optical depth of the fog straight
    up from the camera, 0 if it stands in none.
    """

    extents: Mapping[str, Extent] = field(default_factory=dict)
    reach: tuple[float, float] = (0.0, 0.0)
    fog: float = 0.0
    pitch: float = 0.0  # radians above the horizon
    half_angle: float = 0.0  # of the horizontal field of view, radians; 0 if unknown
    working: bool = False

    def shows(self, name: str, shot: ShotSettings) -> bool:
        """Whether something may lie in the picture; True where that is not known."""
        extent = self.extents.get(name)
        return extent is None or extent.meets(*window_of(shot))

    def sees_sky(self, shot: ShotSettings) -> bool:
        """Whether any ray of the picture leaves the scene with light left: the steepest upwards has the least fog.

        What objects may stand in its way is not asked, so it never says no where there is sky to be seen.
        """
        if not self.fog or not self.half_angle:
            return True
        across, down = window_of(shot)
        ahead, side = math.tan(self.half_angle) * down, math.tan(self.half_angle) * across
        steepest = max(
            (math.sin(self.pitch) + up * math.cos(self.pitch)) / math.sqrt(1 + up * up + aside * aside)
            for up in (-ahead, 0.0, ahead)
            for aside in (0.0, side)
        )
        return steepest > 0 and math.exp(-self.fog / steepest) > CLEAR_ENOUGH


UNSEEN = "unseen "  # before a need that a light would give, were it seen


def window_of(shot: ShotSettings) -> tuple[float, float]:
    """Half width and half height of the written picture in units of half its display width, overscan included."""
    more = 1 + 2 * shot.overscan / 100
    return more, more * shot.height / (shot.width * shot.pixel_aspect)


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
    """everywhere: what is seen from any layer besides lights. fingerprint: of the document they come from."""

    name: str
    groups: Mapping[str, GroupFact]
    lights: tuple[LightFact, ...] = ()
    cameras: Mapping[str, CameraFact] = field(default_factory=dict)
    everywhere: frozenset[str] = frozenset()
    mist: Mist | None = None
    fingerprint: str = ""
    shot: ShotSettings | None = None  # of the plan, for what is in frame; None: everything may be

    @classmethod
    def unknown(cls, cameras: Iterable[str]) -> SceneFacts:
        """A scene nothing is known of: it may hold anything, and has the cameras the plan names."""
        named = {name: CameraFact() for name in cameras}
        return cls(name="", groups={}, everywhere=frozenset(NEEDS), cameras=named)

    @property
    def working_views(self) -> frozenset[str]:
        """Cameras one works through, not for renders."""
        return frozenset(name for name, camera in self.cameras.items() if camera.working)

    @property
    def labels(self) -> tuple[str, ...]:
        """Light groups in order of first use, `rest` last if some light has no label."""
        labels = dict.fromkeys(light.label for light in self.lights if light.label)
        return (*labels, REST) if any(not light.label for light in self.lights) else tuple(labels)

    def for_plan(self, plan: Plan) -> SceneFacts:
        """The same scene as a plan has it: with its labels on the lights, and seen through its picture."""
        lights = tuple(replace(light, label=plan.light_labels.get(light.name, light.label)) for light in self.lights)
        return replace(self, lights=lights, shot=plan.shot)

    def lights_of(self, label: str) -> tuple[LightFact, ...]:
        """The lights with that label; those without one are in `rest`."""
        return tuple(light for light in self.lights if (light.label or REST) == label)

    def given(self, layer: Layer, camera: str) -> frozenset[str]:
        """All that a layer can show through a camera."""
        names = tuple(self.groups)
        lens = self.cameras.get(camera, CameraFact())
        seen = [self.groups[group] for group in layer.shown(names) if self._in_frame(lens, group)]
        casting = [self.groups[group] for group in layer.casting(names)]
        given = self.everywhere.union(*(group.gives for group in seen))
        if layer.override is not None:
            given = given - _OF_MATERIALS | OVERRIDE_GIVES[layer.override]
        if any(group.surfaces for group in seen):
            given |= {"surface"}
            if sum(group.surfaces for group in casting) > 1 or any(group.folded for group in seen):
                given |= {"neighbours"}
        given = given.union(*(self._light_gives(light, layer, camera) for light in self.lights))
        if "fog" in layer.kept_out:
            given -= {"medium"}
        return given | {"labels"} if any(light.label for light in self.lights if not light.dark) else given

    def given_to(self, image: PlannedImage) -> frozenset[str]:
        """All that an image can show, through any of its cameras."""
        return frozenset().union(*(self.given(image.layer, camera) for camera in image.cameras or ("",)))

    def lit_by(self, label: str, image: PlannedImage) -> frozenset[str]:
        """What is left of what an image can show with the lights of one group alone."""
        lights = self.lights_of(label)
        gives = (self._light_gives(light, image.layer, camera) for light in lights for camera in image.cameras or ("",))
        return (self.given_to(image) - _OF_LIGHTS).union(*gives)

    def _in_frame(self, lens: CameraFact, name: str) -> bool:
        return self.shot is None or lens.shows(name, self.shot)

    def _light_gives(self, light: LightFact, layer: Layer, camera: str) -> frozenset[str]:
        if light.dark:
            return frozenset()
        lens = self.cameras.get(camera, CameraFact())
        unseen: set[str] = set()
        if "lamps" in layer.kept_out or not self._in_frame(lens, light.name):
            unseen.add("glow")
        if "sky" in layer.kept_out or (self.shot is not None and not lens.sees_sky(self.shot)):
            unseen.add("sky")
        gives = LIGHT_GIVES[light.kind]
        return (gives - unseen) | {f"{UNSEEN}{need}" for need in gives & unseen}


def lacking(kind: PassKind, given: Collection[str]) -> str:
    """Why a pass would come out empty, in words; an empty text if it can carry something."""
    missing = [need for need in kind.needs if need not in given]
    unseen = [NEEDS[need] for need in missing if f"{UNSEEN}{need}" in given]
    absent = [NEEDS[need] for need in missing if f"{UNSEEN}{need}" not in given]
    reasons = [f"there is no {' and no '.join(word.removeprefix('a ') for word in absent)}"] if absent else []
    reasons += [f"{' and '.join(unseen)} is not seen: out of the picture, kept out, or behind fog"] if unseen else []
    return "; ".join(reasons)


def parts_of_groups(groups: LightGroups, facts: SceneFacts, image: PlannedImage) -> dict[str, tuple[PassKind, ...]]:
    """By light group that is rendered: the components that can carry its light."""
    return {
        label: tuple(kind for kind in COMPONENTS if not lacking(kind, facts.lit_by(label, image)))
        for label in groups.chosen(facts.labels)
    }


def dark_groups(facts: SceneFacts) -> tuple[str, ...]:
    """Light groups whose lights give no light, so that their pass would come out black."""
    return tuple(label for label in facts.labels if all(light.dark for light in facts.lights_of(label)))
