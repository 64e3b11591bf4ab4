"""What is known of a scene: enough to tell which passes can carry anything, and why others cannot."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from prism.passes.catalogue import NEEDS
from prism.scenes.mist import Mist

MATERIAL_GIVES: Mapping[str, frozenset[str]] = MappingProxyType(
    {
        material: frozenset(key for key, need in NEEDS.items() if material in need.materials)
        for material in dict.fromkeys(material for need in NEEDS.values() for material in need.materials)
    }
)
"""By kind of material: the needs that it gives."""
LIGHT_GIVES: Mapping[str, frozenset[str]] = MappingProxyType(
    {
        "sphere": frozenset({"light", "glow"}),
        "unseen": frozenset({"light"}),
        "distant": frozenset({"light", "sky"}),  # its disc is seen where there is no surface
        "sky": frozenset({"light", "sky"}),
    }
)
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

    def shows(self, name: str, across: float, down: float) -> bool:
        """Whether something may lie in a picture of that half width and half height; True where that is not known."""
        extent = self.extents.get(name)
        return extent is None or extent.meets(across, down)

    def sees_sky(self, across: float, down: float) -> bool:
        """Whether any ray of such a picture leaves the scene with light left: the steepest upwards has the least fog.

        What objects may stand in its way is not asked, so it never says no where there is sky to be seen.
        """
        if not self.fog or not self.half_angle:
            return True
        ahead, side = math.tan(self.half_angle) * down, math.tan(self.half_angle) * across
        steepest = max(
            (math.sin(self.pitch) + up * math.cos(self.pitch)) / math.sqrt(1 + up * up + aside * aside)
            for up in (-ahead, 0.0, ahead)
            for aside in (0.0, side)
        )
        return steepest > 0 and math.exp(-self.fog / steepest) > CLEAR_ENOUGH


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
    window: tuple[float, float] | None = None  # half width and half height of the picture; None: all may be in frame

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

    def lights_of(self, label: str) -> tuple[LightFact, ...]:
        """The lights with that label; those without one are in `rest`."""
        return tuple(light for light in self.lights if (light.label or REST) == label)


def dark_groups(facts: SceneFacts) -> tuple[str, ...]:
    """Light groups whose lights give no light, so that their pass would come out black."""
    return tuple(label for label in facts.labels if all(light.dark for light in facts.lights_of(label)))
