"""The pass catalogue: every pass with its meaning, channels, type, role in the rebuild and what it needs of the scene.

The names are terms of the trade. `words` are what a channel or file name is recognised by.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Role(StrEnum):
    """What a pass does in the rebuild."""

    WHOLE = "whole"  # the rendered image itself
    LIGHT = "light"  # a component: adds light
    GROUP = "group"  # the beauty of one light group: adds light, instead of components
    SCALE = "scale"  # on white: multiplies
    COVER = "cover"  # base colour: lies at the bottom and covers
    IDENTIFY = "identify"  # tells objects apart
    MEASURE = "measure"  # depth, direction, position: data, not colour


@dataclass(frozen=True, slots=True, kw_only=True)
class PassKind:
    key: str
    title: str
    meaning: str
    channels: tuple[str, ...]
    pixel: str  # half or float
    role: Role
    needs: str = ""  # what the scene must hold for the pass to carry anything
    words: tuple[tuple[str, ...], ...]  # each entry: one word with its short forms; all entries must be met
    total_of: tuple[str, ...] = ()  # keys of the components this one already holds

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
        title="beauty",
        meaning="The whole rendered image with its alpha.",
        channels=(*RGB, "A"),
        pixel="half",
        role=Role.WHOLE,
        words=(("beauty", "rgba", "combined"),),
    ),
    PassKind(
        key="diffuse_direct",
        title="diffuse, direct",
        meaning="Light scattered by rough surfaces, straight from lights.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a matte or gloss material and a light",
        words=(_DIFFUSE, _DIRECT),
    ),
    PassKind(
        key="diffuse_indirect",
        title="diffuse, indirect",
        meaning="Light scattered by rough surfaces, from other surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a matte or gloss material and a light",
        words=(_DIFFUSE, _INDIRECT),
    ),
    PassKind(
        key="diffuse",
        title="diffuse",
        meaning="All light scattered by rough surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a matte or gloss material and a light",
        words=(_DIFFUSE,),
        total_of=("diffuse_direct", "diffuse_indirect"),
    ),
    PassKind(
        key="specular_direct",
        title="specular, direct",
        meaning="Lights seen in shiny surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a gloss, metal or glass material and a light",
        words=(_SPECULAR, _DIRECT),
    ),
    PassKind(
        key="specular_indirect",
        title="specular, indirect",
        meaning="Other surfaces seen in shiny surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a gloss, metal or glass material",
        words=(_SPECULAR, _INDIRECT),
    ),
    PassKind(
        key="specular",
        title="specular",
        meaning="Everything seen in shiny surfaces.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a gloss, metal or glass material",
        words=(_SPECULAR,),
        total_of=("specular_direct", "specular_indirect"),
    ),
    PassKind(
        key="transmission",
        title="transmission",
        meaning="Light that came through glass.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a glass material",
        words=(("transmission", "trans", "refraction", "refract"),),
    ),
    PassKind(
        key="subsurface",
        title="subsurface",
        meaning="Light scattered below the surface.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a material with subsurface scattering",
        words=(("subsurface", "sss"),),
    ),
    PassKind(
        key="emission",
        title="emission",
        meaning="Lights and glowing surfaces seen directly.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a light or surface that glows in view",
        words=(("emission", "emit", "emissive"),),
    ),
    PassKind(
        key="volume",
        title="volume",
        meaning="Light scattered by fog.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a medium",
        words=(("volume", "volumetric", "fog"),),
    ),
    PassKind(
        key="background",
        title="background",
        meaning="What is seen where there is no surface.",
        channels=RGB,
        pixel="half",
        role=Role.LIGHT,
        needs="a sky",
        words=(("background", "bg", "sky"),),
    ),
    PassKind(
        key="light_group",
        title="light group",
        meaning="The beauty as one light group alone would make it.",
        channels=RGB,
        pixel="half",
        role=Role.GROUP,
        needs="lights with labels",
        words=(("light", "lights", "lg"),),
    ),
    PassKind(
        key="surface_colour",
        title="surface colour",
        meaning="Colour of surfaces without light.",
        channels=RGB,
        pixel="half",
        role=Role.COVER,
        needs="a matte or gloss material",
        words=(("surface", "base", "flat"), ("colour", "color", "col")),
    ),
    PassKind(
        key="albedo",
        title="albedo",
        meaning="Colour of surfaces as the denoiser wants it.",
        channels=RGB,
        pixel="half",
        role=Role.COVER,
        words=(("albedo",),),
    ),
    PassKind(
        key="raw_light",
        title="raw light",
        meaning="Diffuse light before the surface colour; raw light x surface colour = diffuse.",
        channels=RGB,
        pixel="half",
        role=Role.SCALE,
        needs="a matte or gloss material and a light",
        words=(("raw",), ("light", "lighting")),
    ),
    PassKind(
        key="occlusion",
        title="occlusion",
        meaning="1 where the surroundings are open, 0 where they are closed.",
        channels=("V",),
        pixel="float",
        role=Role.SCALE,
        words=(("occlusion", "ao"),),
    ),
    PassKind(
        key="shadow",
        title="shadow",
        meaning="1 in the light, less in shadow.",
        channels=RGB,
        pixel="half",
        role=Role.SCALE,
        words=(("shadow", "shadows"),),
    ),
    PassKind(
        key="depth",
        title="depth",
        meaning="Distance along the viewing axis, nearest surface, unfiltered; 1e10 where there is none.",
        channels=("Z",),
        pixel="float",
        role=Role.MEASURE,
        words=(("z", "depth"),),
    ),
    PassKind(
        key="mist",
        title="mist",
        meaning="0 at the start of the mist, 1 at its end and beyond.",
        channels=("V",),
        pixel="float",
        role=Role.MEASURE,
        words=(("mist",),),
    ),
    PassKind(
        key="normals",
        title="normals",
        meaning="Direction of the surface in the world, -1..1.",
        channels=("X", "Y", "Z"),
        pixel="float",
        role=Role.MEASURE,
        words=(("n", "normal", "normals"),),
    ),
    PassKind(
        key="position",
        title="position",
        meaning="Place of the surface in the world.",
        channels=("X", "Y", "Z"),
        pixel="float",
        role=Role.MEASURE,
        words=(("p", "position"),),
    ),
)
BY_KEY = {kind.key: kind for kind in CATALOGUE}
