"""The layers of a picture file: channels that belong together, by part and by view."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from prism.formats.headers import Part
from prism.pixels.channels import CHROMA, COLOUR, LayerChannels, group_layers, short, split_name


@dataclass(frozen=True, slots=True)
class FileLayer:
    """Channels of one part that make one pass. name: as it counts across the file. channels: full names in the file,
    without the alpha. view: whose eye it is for, where the file has several."""

    part: Part
    name: str
    channels: tuple[str, ...]
    alpha: str | None
    view: str = ""

    @property
    def is_picture(self) -> bool:
        """Whether it is colour without a name: bare R, G, B or some of them, or luma with chroma."""
        said = tuple(short(split_name(name)[1]) for name in self.channels)
        return not self.name and (set(said) <= set(COLOUR) or said == CHROMA)

    @property
    def is_alpha(self) -> bool:
        """Whether it is a bare alpha without colour."""
        return not self.name and len(self.channels) == 1 and short(self.channels[0]) == "A"


def layers_of(parts: Sequence[Part]) -> Iterator[FileLayer]:
    """All layers of a file, deep ones too.

    Views: by the `view` attribute of a part, or by `multiView`, whose first view has the bare names. Source: OpenEXR,
    storing multi-view images.
    """
    first_view = next((view for part in parts if (view := part.says("view"))), "")
    for part in parts:
        views = _views(part)
        names = part.layer_names()
        for layer in _told_apart(part, group_layers(names)):
            stored = {full: names[full] for full in layer.names}
            colour = layer.colour_names[:3] if layer.is_colour else layer.colour_names
            name, view = _of_view(layer.layer, views)
            if part.says("view"):
                view = str(part.says("view"))
                name = "" if name == part.name else name.removesuffix(f".{view}")
            alpha = stored.get(layer.alpha) if layer.alpha else None
            channels = tuple(stored[full] for full in colour) or ((alpha,) if alpha else ())
            yield FileLayer(
                part, name, channels, alpha if colour else None, "" if view in (first_view, *views[:1]) else view
            )


def _told_apart(part: Part, layers: list[LayerChannels]) -> list[LayerChannels]:
    """Depths of samples belong to the samples, and are no layers of their own beside their colour."""
    colour = [layer for layer in layers if layer.layer.upper() not in ("Z", "ZBACK")]
    return colour if part.deep and colour else layers


def _views(part: Part) -> tuple[str, ...]:
    said = part.attributes.get("multiView")
    if said is None or said.type != "stringvector":
        return ()
    names, at = [], 0
    while at + 4 <= len(said.raw):
        length = int.from_bytes(said.raw[at : at + 4], "little")
        names.append(said.raw[at + 4 : at + 4 + length].decode("utf-8", "backslashreplace"))
        at += 4 + length
    return tuple(names)


def _of_view(name: str, views: Sequence[str]) -> tuple[str, str]:
    """`right.diffuse` and `diffuse.right` of a file with a view called right are its diffuse."""
    pieces = name.split(".")
    view = next((piece for piece in pieces if piece in views[1:]), "")
    return ".".join(piece for piece in pieces if piece != view) if view else name, view
