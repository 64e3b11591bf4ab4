"""Pictures of any format behind one pair of functions: what a header says, and the planes of the channels asked for."""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.errors import SizeMismatch, UnreadableFile
from prism.formats import exr, guarded
from prism.formats.headers import Kept, Part, open_regular, read_parts
from prism.formats.planes import PlaneFolder
from prism.pixels.file_formats import format_of
from prism.pixels.image import Image
from prism.pixels.window import Window

_EXR = "OpenEXR"
_kept = Kept()


def read_header(path: Path) -> list[Part]:
    """The parts of a picture, without pixels; pictures that are no OpenEXR files have one. Kept while the file stays as
    it is.

    Raises UnreadableFile or TooLarge.
    """
    path = Path(path)
    kind = format_of(path.name)
    if kind is None:
        raise UnreadableFile("This is not a picture.", where=str(path), advice="Name an EXR file or another picture.")
    if kind.title == _EXR:
        return read_parts(path)
    with open_regular(path) as file:
        status = os.fstat(file.fileno())
    key = os.fsencode(path), status.st_mtime_ns, status.st_size, status.st_ino
    parts = _kept.get(key)
    if parts is None:
        parts = (_still(path, guarded.describe_still(path)),)
        _kept.put(key, parts)
    return list(parts)


def read_planes(
    path: Path, part: Part, names: Collection[str] | None = None, *, cache: PlaneFolder | None = None
) -> Image:
    """The named channels (all if None) of a flat part, at full size: see `prism.formats.exr.read_channels`. Other
    formats give float, whole numbers of n bits as v / (2^n - 1), straight colour left straight.

    Raises MissingChannels, TooLarge or UnreadableFile.
    """
    if part.format == _EXR:
        return exr.read_channels(path, part, names, cache=cache)
    planes = guarded.decode_still(Path(path), values_of(part), cache=cache).planes
    shapes = {plane.shape for plane in planes.values()}
    if shapes != {part.data_window.shape}:
        raise UnreadableFile("It has changed while it was read.", where=str(path), advice="Look again.")
    return Image(
        channels={name: as_float(planes[name]) for name in (part.channels if names is None else names)},
        data_window=part.data_window,
        display_window=part.display_window,
    )


def as_float(plane: NDArray) -> NDArray[np.float32]:
    """A plane of a still as it was stored, as values: codes of n bits as v / (2^n - 1)."""
    if plane.dtype.kind == "u":
        return (plane / np.float32(np.iinfo(plane.dtype).max)).astype(np.float32, copy=False)
    return plane.astype(np.float32, copy=False)


def values_of(part: Part) -> int:
    """Pixels times channels."""
    return part.data_window.width * part.data_window.height * len(part.channels)


def _still(path: Path, facts: Mapping[str, Any]) -> Part:
    kind = format_of(path.name)
    if kind is None:
        raise UnreadableFile("This is no still.", where=str(path))
    try:
        data, display = Window(*facts["data"]), Window(*facts["display"])
    except SizeMismatch as error:
        raise UnreadableFile(f"The header is damaged: {error.what}", where=str(path)) from None
    channels = facts["channels"]
    has_alpha = any(name.upper() == "A" for name in channels)
    straight = (facts["straight"] or kind.straight) if facts["straight"] or kind.title != "TIFF" else False
    return Part(
        index=0,
        name="",
        channels=MappingProxyType(dict.fromkeys(channels, "float")),
        data_window=data,
        display_window=display,
        compression=facts["compression"],
        deep=False,
        tiled=False,
        pixel_aspect=facts["aspect"],
        attributes=MappingProxyType({}),
        format=kind.title,
        stored=facts["type"],
        straight=straight if has_alpha else None,
        curve=facts["curve"],
    )
