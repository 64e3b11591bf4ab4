"""The scene document: what the stand-in renderer can draw. Lengths in metres, z up, angles in degrees."""

import itertools
from collections.abc import Iterable
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from prism.documents import Document, Value, fingerprint
from prism.errors import BadArgument
from prism.scenes.mist import Mist

Length = Annotated[float, Field(ge=-1e6, le=1e6)]
Vec3 = tuple[Length, Length, Length]
Positive = Annotated[float, Field(gt=0)]
Colour = tuple[Annotated[float, Field(ge=0)], Annotated[float, Field(ge=0)], Annotated[float, Field(ge=0)]]
Share = Annotated[float, Field(ge=0, le=1)]
Name = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_]*$", max_length=64)]


def _is_direction(vector: tuple[float, float, float]) -> tuple[float, float, float]:
    if sum(part * part for part in vector) < 1e-18:
        raise ValueError("(0, 0, 0) is no direction")
    return vector


Direction = Annotated[Vec3, AfterValidator(_is_direction)]


class Material(Value):
    """How a surface scatters light; colours are linear Rec.709 reflectances.

    matte: diffuse only. gloss: diffuse under a clear dielectric coat. metal: coloured GGX reflection. glass: smooth
    dielectric, bends light. pane: thin glass that does not bend it. wax: light comes out again a little way off, under
    the same coat as gloss.
    """

    kind: Literal["matte", "gloss", "metal", "glass", "pane", "wax"]
    colour: Colour
    second_colour: Colour = (0, 0, 0)  # the other tile, or the grain of the pattern
    roughness: Annotated[float, Field(ge=0.02, le=1)] = 0.3
    ior: Annotated[float, Field(gt=1, le=3)] = 1.5
    pattern: Literal["plain", "tiles", "ribs", "bands"] = "plain"
    scale: Positive = 1.0
    depth: Positive = 0.02  # wax: how far light travels below the surface, on average
    rib_material: Name | None = None  # what the ribs of a ribbed dome are made of


class Shape(Value):
    """One object. `axis` is the direction of the shape's own z; `centre` is its middle (a dome's or disc's base)."""

    name: Name
    group: Name
    material: Name
    kind: Literal["sphere", "cylinder", "band", "ring", "box", "disc", "dome"]
    centre: Vec3
    axis: Direction = (0, 0, 1)
    # sphere, disc, dome: radius, -, -.  cylinder: radius, half length, -.  ring: radius, thickness radius, -.
    # band (a cylinder without caps): radius, half height, -.  box: half extents.
    size: tuple[Positive, Annotated[float, Field(ge=0)], Annotated[float, Field(ge=0)]]


class Light(Value):
    """A light with a label. Lights that share a label form a light group; without a label they fall into `rest`."""

    name: Name
    label: Name | None = None
    kind: Literal["sphere", "distant", "sky"]
    radiance: Colour  # of the sphere, of the distant disc, or of the sky at the zenith
    group: Name | None = None  # object group the light turns with
    centre: Vec3 = (0, 0, 0)  # sphere
    radius: Positive = 0.1  # sphere
    paper: bool = False  # sphere: ribbed paper, brighter where seen head on
    direction: Direction = (0, 0, 1)  # distant: towards the light; sky: where the horizon glows
    angle: Annotated[float, Field(gt=0, le=45)] = 1.0  # distant: half opening angle
    horizon: Colour = (0, 0, 0)  # sky
    glow: Colour = (0, 0, 0)  # sky: added near `direction`


class Turn(Value):
    """Steady rotation of an object group about a vertical line."""

    through: tuple[float, float]
    degrees_per_frame: float


class Medium(Value):
    """Fog, the same everywhere below a height. colour: the share of light it scatters on; the rest it swallows."""

    density: Positive  # extinction, per metre
    top: float
    colour: tuple[Share, Share, Share] = (0.9, 0.9, 0.9)
    forward: Annotated[float, Field(gt=-1, lt=1)] = 0.0  # 0 scatters evenly, towards 1 straight on


class Group(Value):
    """Objects that are shown, held out and turned together."""

    name: Name
    turn: Turn | None = None


class CameraKey(Value):
    """Where a moving camera is at one frame."""

    frame: int
    position: Vec3
    target: Vec3


class Camera(Value):
    """path: where it is at some frames, ascending; straight and steady between, at rest before and after. Empty: it
    stands.

    It stays upright; looking straight up or down, the top of the picture is north (the y axis).
    """

    name: Name
    position: Vec3
    target: Vec3
    fov: Annotated[float, Field(gt=1, lt=150)]  # horizontal field of view
    working: bool = False  # the view one works through, not made for renders
    path: Annotated[tuple[CameraKey, ...], Field(max_length=10_000)] = ()

    @model_validator(mode="after")
    def _looks_somewhere(self) -> Self:
        keys: tuple[Camera | CameraKey, ...] = (self, *self.path)
        for place, key in enumerate(keys):
            if sum((a - b) ** 2 for a, b in zip(key.position, key.target, strict=True)) < 1e-12:
                at = f" at path.{place - 1}" if place else ""
                raise ValueError(f"camera {self.name} stands in its own target{at}")
        frames = [key.frame for key in self.path]
        if any(later <= earlier for earlier, later in itertools.pairwise(frames)):
            raise ValueError(f"the path of camera {self.name} does not go forward in frames")
        return self

    def at(self, frame: int) -> "Camera":
        """The camera as it stands at a frame."""
        if not self.path:
            return self
        before = max((key for key in self.path if key.frame <= frame), key=lambda key: key.frame, default=self.path[0])
        after = min((key for key in self.path if key.frame >= frame), key=lambda key: key.frame, default=self.path[-1])
        gap = after.frame - before.frame
        share = (frame - before.frame) / gap if gap > 0 else 0.0
        position, target = (
            tuple(a + share * (b - a) for a, b in zip(start, end, strict=True))
            for start, end in ((before.position, after.position), (before.target, after.target))
        )
        return self.replace(position=position, target=target, path=())


class Scene(Document):
    """A scene that the stand-in renderer can draw. Object groups that turn are in place as written at `first`.

    first, last and size are what it was made for; a plan has frames and a size of its own.
    """

    format: Literal["eager-prism.scene"] = "eager-prism.scene"
    version: Literal[2] = 2
    name: Annotated[str, Field(min_length=1, max_length=120)]
    first: int
    last: int
    size: tuple[Annotated[int, Field(ge=8, le=16384)], Annotated[int, Field(ge=8, le=16384)]]
    materials: dict[Name, Material]
    groups: Annotated[list[Group], Field(max_length=1000)]
    shapes: Annotated[list[Shape], Field(max_length=20_000)]
    lights: Annotated[list[Light], Field(max_length=1000)]
    cameras: Annotated[list[Camera], Field(min_length=1, max_length=100)]
    mist: Mist
    medium: Medium | None = None
    occlusion_distance: Positive = 1.0

    @model_validator(mode="before")
    @classmethod
    def _upgraded(cls, data: Any) -> Any:
        """Version 1 had another mist, which upgrades itself, and cameras that stand."""
        return data | {"version": 2} if isinstance(data, dict) and data.get("version") == 1 else data

    @model_validator(mode="after")
    def _names_are_known(self) -> Self:
        for kind in ("groups", "shapes", "lights", "cameras"):
            _require_unique(kind, (entry.name for entry in getattr(self, kind)))
        _require_unique("lights", (entry.name for entry in self.lights), taken={shape.name for shape in self.shapes})
        groups = {group.name for group in self.groups}
        for place, shape in enumerate(self.shapes):
            if shape.material not in self.materials:
                raise ValueError(f"shapes.{place}.material: there is no material {shape.material}")
            if shape.group not in groups:
                raise ValueError(f"shapes.{place}.group: there is no group {shape.group}")
        for place, light in enumerate(self.lights):
            if light.group is not None and light.group not in groups:
                raise ValueError(f"lights.{place}.group: there is no group {light.group}")
        for name, material in self.materials.items():
            rib = self.materials.get(material.rib_material) if material.rib_material else None
            if material.rib_material is not None and rib is None:
                raise ValueError(f"materials.{name}.rib_material: there is no material {material.rib_material}")
            if material.pattern == "ribs" and rib is None:
                raise ValueError(f"materials.{name}.rib_material: the pattern ribs needs one")
            if rib is not None and rib.pattern == "ribs":
                raise ValueError(f"materials.{name}.rib_material: {material.rib_material} is ribbed itself")
        if self.last < self.first:
            raise ValueError("last: the last frame is before the first")
        return self

    @property
    def fingerprint(self) -> str:
        """The fingerprint of everything in the document; the same for the same scene wherever it is kept."""
        return fingerprint(self.as_json())

    @property
    def light_groups(self) -> tuple[str, ...]:
        """Labels in order of first use; lights without a label fall into `rest`, which comes last."""
        labels = [light.label for light in self.lights if light.label is not None]
        rest = ["rest"] if any(light.label is None for light in self.lights) else []
        return tuple(dict.fromkeys(labels + rest))

    def camera(self, name: str | None = None) -> Camera:
        """The camera of that name; with no name the first that is made for renders.

        Raises BadArgument with the names there are.
        """
        if name is None:
            made = next((camera for camera in self.cameras if not camera.working), None)
            if made is not None:
                return made
            raise BadArgument(
                "This scene has only a camera for working, which is not rendered.",
                where=self.name,
                advice="Name its camera to render through it.",
            )
        for camera in self.cameras:
            if camera.name == name:
                return camera
        raise BadArgument(
            f"There is no camera {name}.", advice=f"The scene has {', '.join(c.name for c in self.cameras)}."
        )


def _require_unique(kind: str, names: Iterable[str], *, taken: Iterable[str] = ()) -> None:
    """Objects and lights are told apart by name in every identity pass, so no two may share one."""
    seen = set(taken)
    for place, name in enumerate(names):
        if name in seen:
            raise ValueError(f"{kind}.{place}.name: there is another {name}")
        seen.add(name)
