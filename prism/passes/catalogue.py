"""The pass catalogue: every pass with its meaning, channels, type, role in the rebuild and what it needs of the scene.

The names are terms of the trade. `words` are what a channel or file name is recognised by.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from types import MappingProxyType


class Role(StrEnum):
    """What a pass does in the rebuild."""

    WHOLE = "whole"  # the rendered image itself
    LIGHT = "light"  # a component: adds light
    GROUP = "group"  # the beauty of one light group: adds light, instead of components
    SCALE = "scale"  # on white: multiplies
    COVER = "cover"  # base colour: lies at the bottom and covers
    IDENTIFY = "identify"  # tells objects apart
    MEASURE = "measure"  # depth, direction, position: data, not colour


NEEDS = MappingProxyType(
    {
        "rough": "a matte or gloss material",
        "shiny": "a gloss, metal or glass material",
        "glass": "a glass material",
        "subsurface": "a material with subsurface scattering",
        "light": "a light",
        "labels": "a light with a label",
        "glow": "a light with a shape that can be seen",
        "sky": "a sky",
        "medium": "a medium such as fog",
    }
)
"""What a pass may need of the scene to carry anything, in words."""


_DIRECTION_LAYERS = MappingProxyType({"normals": "N", "position": "P"})  # OpenEXR's standard names


@dataclass(frozen=True, slots=True, kw_only=True)
class PassKind:
    key: str
    title: str
    meaning: str
    channels: tuple[str, ...]
    pixel: str  # half or float
    role: Role
    bytes_per_pixel: float  # in a lossless ZIP file; measured on the demo's frames at 16 samples, or of a like pass
    needs: tuple[str, ...] = ()  # keys of NEEDS; the scene must have all of them
    words: tuple[tuple[str, ...], ...]  # each entry: one word with its short forms; all entries must be met
    total_of: tuple[str, ...] = ()  # keys of the components this one already holds

    def channel_names(self, key: str, *, alone: bool) -> tuple[str, ...]:
        """Full channel names in a file, in the order of `channels`.

        key: the pass's own, or light_LABEL for a light group. alone: in a file of its own, where the file's name says
        which pass it is; directions keep their layer even there, since N.X and P.X are names of their own.
        """
        if self.role is Role.WHOLE or self.channels == ("Z",):
            return self.channels
        if alone and key not in _DIRECTION_LAYERS:
            return self.channels
        layer = _DIRECTION_LAYERS.get(key, key)
        return tuple(f"{layer}.{component}" for component in self.channels)

    @property
    def is_data(self) -> bool:
        """Data takes no display transform, no lossy compression and no blending filter."""
        return self.role in (Role.IDENTIFY, Role.MEASURE)


RGB = ("R", "G", "B")
_DIFFUSE = ("diffuse", "diff")
_SPECULAR = ("specular", "spec")
_DIRECT = ("direct", "dir")
_INDIRECT = ("indirect", "ind")

CATALOGUE: tuple[PassKind, ...] = (
    PassKind(
        key="beauty",
        bytes_per_pixel=3.8,
        title="beauty",
        meaning="The whole rendered image with its alpha.",
        channels=(*RGB, "A"),
        pixel="half",
        role=Role.WHOLE,
        words=(("beauty", "rgba"),),
    ),
    PassKind(
        key="diffuse_direct",
        bytes_per_pixel=2.4,
        title="diffuse, direct",
        meaning="Light scattered by rough surfaces, straight from lights.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("rough", "light"),
        words=(_DIFFUSE, _DIRECT),
    ),
    PassKind(
        key="diffuse_indirect",
        bytes_per_pixel=2.2,
        title="diffuse, indirect",
        meaning="Light scattered by rough surfaces, from other surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("rough", "light"),
        words=(_DIFFUSE, _INDIRECT),
    ),
    PassKind(
        key="diffuse",
        bytes_per_pixel=2.6,
        title="diffuse",
        meaning="All light scattered by rough surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("rough", "light"),
        words=(_DIFFUSE,),
        total_of=("diffuse_direct", "diffuse_indirect"),
    ),
    PassKind(
        key="specular_direct",
        bytes_per_pixel=2.8,
        title="specular, direct",
        meaning="Lights seen in shiny surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("shiny", "light"),
        words=(_SPECULAR, _DIRECT),
    ),
    PassKind(
        key="specular_indirect",
        bytes_per_pixel=4.1,
        title="specular, indirect",
        meaning="Other surfaces seen in shiny surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("shiny",),
        words=(_SPECULAR, _INDIRECT),
    ),
    PassKind(
        key="specular",
        bytes_per_pixel=4.2,
        title="specular",
        meaning="Everything seen in shiny surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("shiny",),
        words=(_SPECULAR,),
        total_of=("specular_direct", "specular_indirect"),
    ),
    PassKind(
        key="transmission",
        bytes_per_pixel=0.45,
        title="transmission",
        meaning="Light that came through glass.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("glass",),
        words=(("transmission", "trans", "refraction", "refract"),),
    ),
    PassKind(
        key="subsurface",
        bytes_per_pixel=2.2,
        title="subsurface",
        meaning="Light scattered below the surface.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("subsurface", "light"),
        words=(("subsurface", "sss"),),
    ),
    PassKind(
        key="emission",
        bytes_per_pixel=0.05,
        title="emission",
        meaning="Lights and glowing surfaces seen directly.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("glow",),
        words=(("emission", "emit", "emissive"),),
    ),
    PassKind(
        key="volume",
        bytes_per_pixel=3.5,
        title="volume",
        meaning="Light scattered by fog.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("medium", "light"),
        words=(("volume", "volumetric", "fog"),),
    ),
    PassKind(
        key="background",
        bytes_per_pixel=0.4,
        title="background",
        meaning="What is seen where there is no surface.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs=("sky",),
        words=(("background", "bg", "sky"),),
    ),
    PassKind(
        key="light_group",
        bytes_per_pixel=4.2,
        title="light group",
        meaning="The beauty as one light group alone would make it.",
        channels=RGB,
        pixel="half",
        role=Role.GROUP,
        needs=("labels",),
        words=(("light", "lights", "lg"),),
    ),
    PassKind(
        key="surface_colour",
        bytes_per_pixel=0.9,
        title="surface colour",
        meaning="Colour of surfaces without light.",
        channels=RGB,
        pixel="half",
        role=Role.COVER,
        needs=("rough",),
        words=(("surface", "base", "flat"), ("colour", "color", "col")),
    ),
    PassKind(
        key="albedo",
        bytes_per_pixel=0.9,
        title="albedo",
        meaning="Colour of surfaces as the denoiser wants it.",
        channels=RGB,
        pixel="half",
        role=Role.COVER,
        words=(("albedo",),),
    ),
    PassKind(
        key="raw_light",
        bytes_per_pixel=2.3,
        title="raw light",
        meaning="Diffuse light before the surface colour; raw light x surface colour = diffuse.",
        channels=RGB,
        pixel="half",
        role=Role.SCALE,
        needs=("rough", "light"),
        words=(("raw",), ("light", "lighting")),
    ),
    PassKind(
        key="occlusion",
        bytes_per_pixel=0.26,
        title="occlusion",
        meaning="1 where the surroundings are open, 0 where they are closed.",
        channels=("V",),
        pixel="float",
        role=Role.SCALE,
        words=(("occlusion", "ao"),),
    ),
    PassKind(
        key="shadow",
        bytes_per_pixel=2.2,
        title="shadow",
        meaning="1 in the light, less in shadow.",
        channels=RGB,
        pixel="half",
        role=Role.SCALE,
        words=(("shadow", "shadows"),),
    ),
    PassKind(
        key="depth",
        bytes_per_pixel=2.5,
        title="depth",
        meaning="Distance along the viewing axis, nearest surface, unfiltered; 1e10 where there is none.",
        channels=("Z",),
        pixel="float",
        role=Role.MEASURE,
        words=(("z", "depth"),),
    ),
    PassKind(
        key="mist",
        bytes_per_pixel=1.6,
        title="mist",
        meaning="0 at the start of the mist, 1 at its end and beyond.",
        channels=("V",),
        pixel="float",
        role=Role.MEASURE,
        words=(("mist",),),
    ),
    PassKind(
        key="normals",
        bytes_per_pixel=4.2,
        title="normals",
        meaning="Direction of the surface in the world, -1..1.",
        channels=("X", "Y", "Z"),
        pixel="float",
        role=Role.MEASURE,
        words=(("n", "normal", "normals"),),
    ),
    PassKind(
        key="position",
        bytes_per_pixel=6.0,
        title="position",
        meaning="Place of the surface in the world.",
        channels=("X", "Y", "Z"),
        pixel="float",
        role=Role.MEASURE,
        words=(("p", "position"),),
    ),
)
BY_KEY = {kind.key: kind for kind in CATALOGUE}
