"""What a pass is: its channels, its role in the rebuild, what it needs of the scene and what it demands of a file."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from types import MappingProxyType


class Role(StrEnum):
    """What a pass does in the rebuild."""

    WHOLE = "whole"  # the rendered image itself
    LIGHT = "light"  # a component: adds light
    GROUP = "group"  # the beauty of one light group: adds light, instead of components
    PART = "part"  # one component of one light group: adds light, instead of both
    SCALE = "scale"  # on white: multiplies
    COVER = "cover"  # base colour: lies at the bottom and covers
    OVERLAY = "overlay"  # graphics on black, added on top of the finished picture
    IDENTIFY = "identify"  # tells objects apart
    MEASURE = "measure"  # depth, direction, position: data, not colour


LIT = (Role.LIGHT, Role.GROUP, Role.PART)
"""Roles of passes that hold a part of the beauty's light."""

ROLE_TITLES = MappingProxyType(
    {
        Role.WHOLE: "the rendered image",
        Role.LIGHT: "components: each adds light",
        Role.GROUP: "light groups",
        Role.PART: "both at once",
        Role.COVER: "base colours",
        Role.SCALE: "passes on white: multiply",
        Role.OVERLAY: "overlays: laid on top",
        Role.IDENTIFY: "identities",
        Role.MEASURE: "data",
    }
)
"""What the passes of a role do, in the order they are chosen in."""


@dataclass(frozen=True, slots=True)
class Need:
    """What a pass may need of the scene to carry anything.

    words: as in "there is no ...". carried: what a material of a sheet of facts carries that gives it; empty if no
    material does. materials: the kinds of a scene's materials that give it.
    """

    words: str
    carried: str = ""
    materials: tuple[str, ...] = ()


# A gloss is a rough base under a shiny coat. Glass and panes are shiny, and only glass counts as transmission.
COMMON_NEEDS: Mapping[str, Need] = MappingProxyType(
    {
        "surface": Need("a visible surface"),
        "rough": Need("a matte or gloss material", "diffuse", ("matte", "gloss")),
        "shiny": Need("a gloss, metal or glass material", "specular", ("gloss", "metal", "glass", "pane", "wax")),
        "glass": Need("a glass material", "transmission", ("glass",)),
        "subsurface": Need("a material with subsurface scattering", "subsurface", ("wax",)),
        "light": Need("a light"),
        "labels": Need("a light with a label"),
        "glow": Need("a light with a shape that can be seen", "emission"),
        "sky": Need("a sky or far light"),
        "medium": Need("a medium such as fog"),
        "moving": Need("an object that moves"),
        "neighbours": Need("a second surface nearby"),
    }
)
"""What passes need, by key; a pass may bring another."""

DEMANDS = MappingProxyType(
    {
        "alpha": "an alpha channel; without it the picture cannot go over another",
        "unclamped": "values above 1; without them bright light is cut off",
        "float32": "32-bit float; with fewer bits far depths and identities run together",
        "exact": "lossless compression; otherwise neighbouring values bleed into each other",
        "deep": "several samples a pixel, which only EXR stores, as float and with none, RLE or ZIPS compression",
        "layers": "named channels; without them a file can carry only one pass",
    }
)
"""What a pass may demand of the file it goes into, with the reason (common practice; deep: OpenEXR file layout)."""

ROLE_DEMANDS = MappingProxyType(
    {
        Role.WHOLE: ("alpha", "unclamped"),
        Role.LIGHT: ("unclamped",),
        Role.GROUP: ("unclamped",),
        Role.PART: ("unclamped",),
        Role.IDENTIFY: ("float32", "exact"),
        Role.MEASURE: ("float32", "exact"),
    }
)
RANKS_PER_LAYER = 2  # Cryptomatte specification: an id and its coverage, twice, in R G B A


@dataclass(frozen=True, slots=True, kw_only=True)
class PassKind:
    """A pass of the catalogue: what it means, how it is stored, and what a scene needs to give it."""

    key: str
    title: str
    meaning: str
    channels: tuple[str, ...]
    role: Role
    bytes_per_pixel: float  # in a lossless ZIP file; measured on the demo's frame 1001 at 512 x 288 with 16 samples
    needs: tuple[str, ...] = ()  # keys of needs; the scene must have all of them
    brings: tuple[tuple[str, Need], ...] = ()  # needs that no other pass has
    names: tuple[tuple[str, str, float], ...] = ()  # terms a name needs, terms it may have, how sure that is
    terms: tuple[tuple[str, str], ...] = ()  # terms that no other pass has, with their words
    demands: tuple[str, ...] = ()  # keys of DEMANDS, besides those of the role
    total_of: tuple[str, ...] = ()  # keys of the components this one already holds
    layer: str = ""  # of its channels, where another name than the key is standard
    bare: bool = False  # channels stand without a layer: R G B A, Z
    ranked: bool = False  # Cryptomatte: the channels are repeated for every two levels
    own_file: bool = False  # can share a file with no other pass

    def channel_names(self, key: str, *, alone: bool, levels: int = RANKS_PER_LAYER) -> tuple[str, ...]:
        """Full channel names in a file, in the order of `channels`.

        key: the pass's own, or light_LABEL for a light group. alone: in a file of its own, where the file's name says
        which pass it is; directions and ranks keep their layer even there, since N.X and P.X are names of their own.
        levels: of a Cryptomatte.
        """
        if self.bare:
            return self.channels
        if self.ranked:
            layers = -(-levels // RANKS_PER_LAYER)
            return tuple(f"{key}{rank:02}.{channel}" for rank in range(layers) for channel in self.channels)
        if alone and not self.layer:
            return self.channels
        return tuple(f"{self.layer or key}.{channel}" for channel in self.channels)

    @property
    def is_data(self) -> bool:
        """Data takes no display transform, no lossy compression and no blending filter."""
        return self.role in (Role.IDENTIFY, Role.MEASURE)

    @property
    def all_demands(self) -> tuple[str, ...]:
        """Keys of DEMANDS: those of its role, then its own."""
        return ROLE_DEMANDS.get(self.role, ()) + self.demands

    @property
    def pixel(self) -> str:
        """The type that holds it without loss that matters: half for colour, float for data."""
        return "float" if "float32" in self.all_demands else "half"

    @property
    def blank(self) -> str:
        """How it looks where it has nothing to show."""
        return "white" if self.role is Role.SCALE and "neighbours" in self.needs else "black"
