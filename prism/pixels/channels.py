"""Channel names: `layer.component`, layers may nest; the base layer is bare `R G B A`, depth is `Z`.

Source: OpenEXR technical introduction, section on layers.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

COLOUR = ("R", "G", "B")
CHROMA = ("Y", "RY", "BY")  # luma, with the red and blue chroma that other readers turn into RGB
BASE_LAYER = ""
_SPELT = {"RED": "R", "GREEN": "G", "BLUE": "B", "ALPHA": "A"}
_ORDER = {name: rank for rank, name in enumerate(("R", "G", "B", "X", "Y", "Z", "U", "V", "A"))}


@dataclass(frozen=True, slots=True)
class LayerChannels:
    """The channels of one layer, in the order R G B A or X Y Z, with the full name of each in the file."""

    layer: str
    components: tuple[str, ...]  # last part of each name, as spelt in the file
    names: tuple[str, ...]  # full names

    @property
    def is_colour(self) -> bool:
        """Whether it has R, G and B, in either case, or spelt out."""
        return set(COLOUR) <= {short(component) for component in self.components}

    @property
    def is_chroma(self) -> bool:
        """Whether it is luma with chroma."""
        return set(CHROMA) <= {component.upper() for component in self.components}

    @property
    def alpha(self) -> str | None:
        """Full name of the layer's alpha channel, if it has one."""
        return self._named("A")

    @property
    def colour_names(self) -> tuple[str, ...]:
        """Full names of the channels that hold the value: R G B, Y RY BY, or all but alpha."""
        for components, fits in ((COLOUR, self.is_colour), (CHROMA, self.is_chroma)):
            if fits:
                return tuple(name for component in components if (name := self._named(component)) is not None)
        return tuple(name for name, part in zip(self.names, self.components, strict=True) if short(part) != "A")

    def _named(self, component: str) -> str | None:
        for name, part in zip(self.names, self.components, strict=True):
            if short(part) == component:
                return name
        return None


def short(component: str) -> str:
    """A component in capitals, with red, green, blue and alpha as R, G, B and A."""
    return _SPELT.get(component.upper(), component.upper())


def split_name(name: str) -> tuple[str, str]:
    """`a.b.R` is layer `a.b`, component `R`; a name without a dot is in the base layer."""
    layer, _, component = name.rpartition(".")
    return layer, component


def group_layers(names: Iterable[str]) -> list[LayerChannels]:
    """Sort channel names into layers.

    In the base layer only R, G, B and A belong together, or what takes their place: luma with chroma, grey, a
    direction, a pair of u and v. Any other bare name (Z, or a pass saved under a single bare name) is a layer of its
    own.
    """
    names = list(names)
    bare = _base_layer({short(name) for name in names if "." not in name})
    layers: dict[str, list[tuple[str, str]]] = {}
    for name in names:
        layer, component = split_name(name)
        if layer == BASE_LAYER and short(component) not in bare:
            layer = component
        layers.setdefault(layer, []).append((component, name))
    return [_ordered(layer, members) for layer, members in layers.items()]


def _base_layer(bare: set[str]) -> set[str]:
    """Which of the bare names of a file belong together."""
    if bare & set(COLOUR):
        return {*COLOUR, "A"}
    together = (CHROMA, ("X", "Y", "Z"), ("U", "V"))
    found = next((set(members) for members in together if set(members) <= bare), set())
    return (found or ({"Y"} if bare <= {"Y", "A"} else set())) | {"A"}


def _ordered(layer: str, members: list[tuple[str, str]]) -> LayerChannels:
    ranked = sorted(members, key=lambda pair: (_ORDER.get(short(pair[0]), len(_ORDER)), pair[0]))
    return LayerChannels(layer, tuple(pair[0] for pair in ranked), tuple(pair[1] for pair in ranked))
