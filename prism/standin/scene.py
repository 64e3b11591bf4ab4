"""The scene document: what the stand-in renderer can draw. Lengths in metres, z up, angles in degrees."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from prism.depth.mist import Mist
from prism.documents import Document, Value
from prism.errors import BadArgument

Vec3 = tuple[float, float, float]
Positive = Annotated[float, Field(gt=0)]
Colour = tuple[Annotated[float, Field(ge=0)], Annotated[float, Field(ge=0)], Annotated[float, Field(ge=0)]]
Share = Annotated[float, Field(ge=0, le=1)]
Name = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_]*$", max_length=64)]


class Material(Value):
    """How a surface scatters light; colours are linear Rec.709 reflectances.

    matte: diffuse only. gloss: diffuse under a clear dielectric coat. metal: coloured GGX reflection.
    glass: smooth dielectric, bends light. pane: thin glass that does not bend it. wax: light comes out again a little way
    off, under the same coat as gloss.
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
    axis: Vec3 = (0, 0, 1)
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
    direction: Vec3 = (0, 0, 1)  # distant: towards the light; sky: where the horizon glows
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
    name: Name
    turn: Turn | None = None


class Camera(Value):
    name: Name
    position: Vec3
    target: Vec3
    fov: Annotated[float, Field(gt=1, lt=150)]  # horizontal field of view
    working: bool = False  # the view one works through, not made for renders


class Scene(Document):
    """A scene that the stand-in renderer can draw, animated over `first`..`last`."""

    format: Literal["eager-prism.scene"] = "eager-prism.scene"
    version: Literal[1] = 1
    name: str
    first: int
    last: int
    size: tuple[Annotated[int, Field(ge=8, le=16384)], Annotated[int, Field(ge=8, le=16384)]]
    materials: dict[Name, Material]
    groups: list[Group]
    shapes: list[Shape]
    lights: list[Light]
    cameras: list[Camera] = Field(min_length=1)
    mist: Mist
    medium: Medium | None = None
    occlusion_distance: Positive = 1.0

    @model_validator(mode="after")
    def _names_are_known(self) -> "Scene":
        groups = {group.name for group in self.groups}
        for shape in self.shapes:
            if shape.material not in self.materials:
                raise ValueError(f"shape {shape.name} uses the unknown material {shape.material}")
            if shape.group not in groups:
                raise ValueError(f"shape {shape.name} is in the unknown group {shape.group}")
        for name, material in self.materials.items():
            if material.rib_material is not None and material.rib_material not in self.materials:
                raise ValueError(f"material {name} has ribs of the unknown material {material.rib_material}")
        if self.last < self.first:
            raise ValueError("the last frame lies before the first")
        return self

    @property
    def light_groups(self) -> tuple[str, ...]:
        """Labels in order of first use; lights without a label fall into `rest`, which comes last."""
        labels = [light.label for light in self.lights if light.label is not None]
        rest = ["rest"] if any(light.label is None for light in self.lights) else []
        return tuple(dict.fromkeys(labels + rest))

    def camera(self, name: str | None = None) -> Camera:
        """The camera of that name, or the first. Raises BadArgument with the names there are."""
        for camera in self.cameras:
            if name is None or camera.name == name:
                return camera
        raise BadArgument(
            f"There is no camera {name}.", advice=f"The scene has {', '.join(c.name for c in self.cameras)}."
        )
