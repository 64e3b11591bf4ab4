"""The pass catalogue: every pass with its meaning, channels, role in the rebuild and what it needs of the scene.

The names are terms of the trade; the words that people write for these terms are in `prism.elements.vocabulary`.
"""

from __future__ import annotations

from functools import partial
from types import MappingProxyType

from prism.passes.kinds import COMMON_NEEDS, PassKind, Role

RGB = ("R", "G", "B")
XYZ = ("X", "Y", "Z")

_light = partial(PassKind, channels=RGB, role=Role.LIGHT)
_scale = partial(PassKind, channels=RGB, role=Role.SCALE)
_cover = partial(PassKind, channels=RGB, role=Role.COVER)
_measure = partial(PassKind, role=Role.MEASURE)
_flat_id = partial(PassKind, channels=RGB, role=Role.IDENTIFY, bytes_per_pixel=0.25, needs=("surface",))
_ranked_id = partial(
    PassKind, channels=(*RGB, "A"), role=Role.IDENTIFY, bytes_per_pixel=0.97, needs=("surface",), ranked=True
)

CATALOGUE: tuple[PassKind, ...] = (
    PassKind(
        key="beauty",
        title="beauty",
        meaning="The whole rendered image with its alpha.",
        channels=(*RGB, "A"),
        role=Role.WHOLE,
        bare=True,
        bytes_per_pixel=4.2,
        names=(
            ("beauty", "colour", 1.0),
            ("colour", "", 0.4),
        ),
    ),
    _light(
        key="diffuse_direct",
        title="diffuse, direct",
        meaning="Light scattered by rough surfaces, straight from lights.",
        bytes_per_pixel=2.9,
        needs=("rough", "light"),
        names=(("diffuse direct", "light lighting", 1.0),),
    ),
    _light(
        key="diffuse_indirect",
        title="diffuse, indirect",
        meaning="Light scattered by rough surfaces, from other surfaces.",
        bytes_per_pixel=3.1,
        needs=("rough", "light"),
        names=(
            ("diffuse indirect", "light lighting", 1.0),
            ("indirect", "", 0.65),
        ),
    ),
    _light(
        key="diffuse",
        title="diffuse",
        meaning="All light scattered by rough surfaces.",
        bytes_per_pixel=3,
        needs=("rough", "light"),
        total_of=("diffuse_direct", "diffuse_indirect"),
        names=(("diffuse", "light", 1.0),),
    ),
    _light(
        key="specular_direct",
        title="specular, direct",
        meaning="Lights seen in shiny surfaces.",
        bytes_per_pixel=2.5,
        needs=("shiny", "light"),
        names=(("specular direct", "light lighting", 1.0),),
    ),
    _light(
        key="specular_indirect",
        title="specular, indirect",
        meaning="Other surfaces seen in shiny surfaces.",
        bytes_per_pixel=4.5,
        needs=("shiny",),
        names=(
            ("specular indirect", "light lighting", 1.0),
            ("caustic", "light lighting", 0.65),
        ),
    ),
    _light(
        key="specular",
        title="specular",
        meaning="Everything seen in shiny surfaces.",
        bytes_per_pixel=4.4,
        needs=("shiny",),
        total_of=("specular_direct", "specular_indirect"),
        names=(
            ("specular", "light lighting", 1.0),
            ("coat", "light lighting", 0.7),
            ("coat direct", "light lighting", 0.9),
            ("coat indirect", "light lighting", 0.9),
            ("sheen", "light lighting", 0.7),
            ("sheen direct", "light lighting", 0.9),
            ("sheen indirect", "light lighting", 0.9),
        ),
    ),
    _light(
        key="transmission",
        title="transmission",
        meaning="Light that came through glass.",
        bytes_per_pixel=0.22,
        needs=("glass",),
        names=(
            ("transmission", "light lighting", 1.0),
            ("transmission direct", "light lighting", 0.9),
            ("transmission indirect", "light lighting", 0.9),
            ("specular transmission", "", 0.8),
        ),
    ),
    _light(
        key="subsurface",
        title="subsurface",
        meaning="Light scattered below the surface.",
        bytes_per_pixel=0.063,
        needs=("subsurface", "light"),
        names=(
            ("subsurface", "light", 1.0),
            ("subsurface direct", "light lighting", 0.9),
            ("subsurface indirect", "light lighting", 0.9),
            ("diffuse subsurface", "", 0.8),
        ),
    ),
    _light(
        key="emission",
        title="emission",
        meaning="Lights and glowing surfaces seen directly.",
        bytes_per_pixel=0.11,
        needs=("glow",),
        names=(
            ("emission", "light lighting self", 1.0),
            ("self lighting", "", 1.0),
        ),
    ),
    _light(
        key="volume",
        title="volume",
        meaning="Light scattered by fog.",
        bytes_per_pixel=2.6,
        needs=("medium", "light"),
        names=(
            ("volume", "light lighting", 1.0),
            ("volume direct", "light lighting", 0.9),
            ("volume indirect", "light lighting", 0.9),
        ),
    ),
    _light(
        key="background",
        title="background",
        meaning="What is seen where there is no surface.",
        bytes_per_pixel=0.58,
        needs=("sky",),
        names=(("background", "colour", 1.0),),
    ),
    PassKind(
        key="light_group",
        title="light groups",
        meaning="The beauty as each light group alone would make it.",
        channels=RGB,
        role=Role.GROUP,
        bytes_per_pixel=4.4,
        needs=("labels",),
    ),
    PassKind(
        key="group_components",
        title="components by light group",
        meaning="Each component, apart for each light group.",
        channels=RGB,
        role=Role.PART,
        bytes_per_pixel=1.7,
        needs=("labels",),
    ),
    _cover(
        key="surface_colour",
        title="surface colour",
        meaning="Colour of surfaces without light.",
        bytes_per_pixel=1.1,
        needs=("rough",),
        names=(
            ("surface colour", "", 1.0),
            ("diffuse colour", "surface raw", 0.95),
            ("diffuse albedo", "raw", 0.8),
            ("material colour", "", 0.6),
            ("diffuse filter", "colour surface", 0.9),
        ),
    ),
    _cover(
        key="albedo",
        title="albedo",
        meaning="Colour of surfaces as the denoiser wants it.",
        bytes_per_pixel=1,
        needs=("surface",),
        names=(("albedo", "colour", 1.0),),
    ),
    _scale(
        key="raw_light",
        title="raw light",
        meaning="Diffuse light before the surface colour; raw light x surface colour = diffuse.",
        bytes_per_pixel=2.9,
        needs=("rough", "light"),
        names=(
            ("raw light", "", 1.0),
            ("raw lighting", "", 1.0),
            ("raw diffuse", "light lighting", 0.9),
            ("diffuse lighting", "", 0.8),
            ("lighting", "", 0.6),
        ),
    ),
    _scale(
        key="occlusion",
        title="occlusion",
        meaning="1 where the surroundings are open, 0 where they are closed.",
        channels=("V",),
        bytes_per_pixel=0.26,
        needs=("neighbours",),
        names=(("occlusion", "", 1.0),),
    ),
    _scale(
        key="shadow",
        title="shadow",
        meaning="1 in the light, less in shadow.",
        bytes_per_pixel=2.6,
        needs=("neighbours", "light"),
        names=(("shadow", "light lighting raw", 1.0),),
    ),
    PassKind(
        key="wire",
        title="wire",
        meaning="Lines along the surfaces on black, to go over the finished picture.",
        channels=RGB,
        role=Role.OVERLAY,
        bytes_per_pixel=0.36,
        needs=("surface",),
        names=(("wire", "", 1.0),),
    ),
    _flat_id(
        key="id_object",
        title="ID, objects",
        meaning="One flat colour for every object.",
        names=(
            ("id object", "colour", 1.0),
            ("id", "", 0.6),
        ),
    ),
    _flat_id(
        key="id_material",
        title="ID, materials",
        meaning="One flat colour for every material.",
        names=(("id material", "colour", 1.0),),
    ),
    _flat_id(
        key="id_group",
        title="ID, object groups",
        meaning="One flat colour for every object group.",
        names=(("id group", "colour", 1.0),),
    ),
    _ranked_id(
        key="crypto_object",
        title="Cryptomatte, objects",
        meaning="Soft mattes of every object, by name.",
        names=(
            ("crypto object", "id", 1.0),
            ("crypto", "id", 0.7),
        ),
    ),
    _ranked_id(
        key="crypto_material",
        title="Cryptomatte, materials",
        meaning="Soft mattes of every material, by name.",
        names=(("crypto material", "id", 1.0),),
    ),
    _ranked_id(
        key="crypto_group",
        title="Cryptomatte, groups",
        meaning="Soft mattes of every object group, by name.",
        names=(("crypto group", "id", 1.0),),
    ),
    _measure(
        key="depth",
        title="depth",
        meaning="Distance along the viewing axis, nearest surface, unfiltered; infinity where there is none.",
        channels=("Z",),
        bare=True,
        bytes_per_pixel=2.7,
        needs=("surface",),
        names=(("depth", "camera", 1.0),),
    ),
    _measure(
        key="depth_filtered",
        title="depth, filtered",
        meaning="Depth averaged over the pixel: smooth edges, for looks.",
        channels=("V",),
        bytes_per_pixel=2.6,
        needs=("surface",),
        names=(("depth filtered", "camera", 1.0),),
    ),
    _measure(
        key="mist",
        title="mist",
        meaning="0 at the near end of the mist, 1 at its far end and beyond.",
        channels=("V",),
        bytes_per_pixel=1.9,
        needs=("surface",),
        names=(("mist", "", 1.0),),
    ),
    _measure(
        key="normals",
        title="normals",
        meaning="Direction of the surface in the world, -1..1.",
        channels=XYZ,
        layer="N",
        bytes_per_pixel=4.9,
        needs=("surface",),
        names=(("normal", "surface", 1.0),),
    ),
    _measure(
        key="normals_camera",
        title="normals, camera",
        meaning="Direction of the surface as the camera sees it, -1..1.",
        channels=XYZ,
        layer="N_camera",
        bytes_per_pixel=5.2,
        needs=("surface",),
        names=(("normal camera", "surface", 1.0),),
    ),
    _measure(
        key="position",
        title="position",
        meaning="Place of the surface in the world.",
        channels=XYZ,
        layer="P",
        bytes_per_pixel=7.6,
        needs=("surface",),
        names=(
            ("position", "surface", 1.0),
            ("position camera", "", 0.4),
        ),
    ),
    _measure(
        key="uv",
        title="UV",
        meaning="Place on the surface's own sheet, 0..1.",
        channels=("u", "v"),
        layer="uv",
        bytes_per_pixel=5.3,
        needs=("surface",),
        names=(("uv", "surface", 1.0),),
    ),
    _measure(
        key="motion_forward",
        title="motion, forward",
        meaning="Pixels a point moves until the next frame.",
        channels=("u", "v"),
        layer="forward",
        bytes_per_pixel=0.63,
        needs=("surface", "moving"),
        names=(
            ("motion", "camera", 0.8),
            ("forward", "", 1.0),
            ("motion forward", "camera", 1.0),
        ),
    ),
    _measure(
        key="motion_backward",
        title="motion, backward",
        meaning="Pixels a point moved since the frame before.",
        channels=("u", "v"),
        layer="backward",
        bytes_per_pixel=0.63,
        needs=("surface", "moving"),
        names=(
            ("backward", "", 1.0),
            ("motion backward", "camera", 1.0),
        ),
    ),
    _measure(
        key="variance",
        title="variance",
        meaning="Noise of the beauty, for the denoiser: variance of the mean.",
        channels=RGB,
        bytes_per_pixel=11.9,
        names=(("variance", "beauty", 1.0),),
    ),
    _measure(
        key="deep",
        title="deep",
        meaning="Every pixel's samples with colour, alpha and depth.",
        channels=(*RGB, "A", "Z", "ZBack"),
        bare=True,
        own_file=True,
        bytes_per_pixel=95.4,
        needs=("surface",),
        demands=("deep",),
        names=(("deep", "beauty colour", 1.0),),
    ),
)
BY_KEY = MappingProxyType({kind.key: kind for kind in CATALOGUE})
COMPONENTS = tuple(kind for kind in CATALOGUE if kind.role is Role.LIGHT and not kind.total_of)
NEEDS = MappingProxyType(dict(COMMON_NEEDS) | {key: need for kind in CATALOGUE for key, need in kind.brings})
"""What passes may need of a scene, by key."""
