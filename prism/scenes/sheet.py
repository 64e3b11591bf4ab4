"""The sheet of facts: a scene that is rendered elsewhere, described as far as planning its passes needs it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from prism.documents import Document, Value, Word, fingerprint
from prism.passes.catalogue import NEEDS
from prism.scenes.facts import CameraFact, GroupFact, LightFact, SceneFacts
from prism.scenes.mist import Mist

_GIVES: Mapping[str, str] = MappingProxyType({need.carried: key for key, need in NEEDS.items() if need.carried})
"""What a material carries, to what a pass may need of the scene."""
CARRIES = tuple(_GIVES)


class MaterialFacts(Value):
    """carries: which light comes off the material."""

    name: Word
    carries: Annotated[tuple[Literal[CARRIES], ...], Field(max_length=len(CARRIES))]  # type: ignore[valid-type]


class GroupFacts(Value):
    """An object group. materials: names of the sheet. moves: whether any of it does. alone: a single flat object."""

    name: Word
    materials: Annotated[tuple[Word, ...], Field(max_length=1000)] = ()
    moves: bool = False
    alone: bool = False


class LightFacts(Value):
    """kind: a lamp whose shape can be seen, one that cannot, a far light such as the sun, or the sky."""

    name: Word
    label: Word | Literal[""] = ""
    kind: Literal["lamp", "unseen", "distant", "sky"] = "lamp"


class CameraFacts(Value):
    """working: the view one works through. near, far: depths of what it sees, both 0 if unknown."""

    name: Word
    working: bool = False
    near: Annotated[float, Field(ge=0)] = 0.0
    far: Annotated[float, Field(ge=0)] = 0.0


class FactsSheet(Document):
    """Everything a plan asks about a scene. Names are those of the other renderer."""

    format: Literal["eager-prism.scene-facts"] = "eager-prism.scene-facts"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=120)]
    materials: Annotated[tuple[MaterialFacts, ...], Field(max_length=1000)] = ()
    groups: Annotated[tuple[GroupFacts, ...], Field(max_length=1000)] = ()
    lights: Annotated[tuple[LightFacts, ...], Field(max_length=1000)] = ()
    cameras: Annotated[tuple[CameraFacts, ...], Field(min_length=1, max_length=100)]
    fog: bool = False
    mist: Mist | None = None

    @model_validator(mode="after")
    def _names_are_known(self) -> Self:
        for kind in ("materials", "groups", "lights", "cameras"):
            names = [entry.name for entry in getattr(self, kind)]
            doubled = next((place for place, name in enumerate(names) if name in names[:place]), None)
            if doubled is not None:
                raise ValueError(f"{kind}.{doubled}.name: there is another {names[doubled]}")
        known = {material.name for material in self.materials}
        for place, group in enumerate(self.groups):
            unknown = next((name for name in group.materials if name not in known), None)
            if unknown is not None:
                raise ValueError(f"groups.{place}.materials: there is no material {unknown}")
        return self

    def facts(self) -> SceneFacts:
        """What the checks of a plan need to know, as read from a scene."""
        carries = {material.name: material.carries for material in self.materials}
        return SceneFacts(
            name=self.name,
            groups={group.name: self._group(group, carries) for group in self.groups},
            lights=tuple(
                LightFact(name=light.name, kind=_KINDS[light.kind], label=light.label) for light in self.lights
            ),
            cameras={
                camera.name: CameraFact(reach=(camera.near, camera.far), working=camera.working)
                for camera in self.cameras
            },
            everywhere=frozenset({"medium"}) if self.fog else frozenset(),
            mist=self.mist,
            fingerprint=fingerprint(self.as_json()),
        )

    def _group(self, group: GroupFacts, carries: Mapping[str, Sequence[str]]) -> GroupFact:
        gives: set[Any] = {_GIVES[light] for material in group.materials for light in carries[material]}
        if group.moves:
            gives.add("moving")
        return GroupFact(gives=frozenset(gives), surfaces=1 if group.alone else 2, folded=not group.alone)


_KINDS = {"lamp": "sphere", "unseen": "unseen", "distant": "distant", "sky": "sky"}
