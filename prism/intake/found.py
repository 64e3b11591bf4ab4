"""What is really in a folder, read to the last pixel: for comparing it with a plan."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from prism.errors import PrismError
from prism.formats.deep import read_deep_values
from prism.formats.exr import Part, read_channels, read_parts
from prism.passes.audit import FoundFile, PlaneFacts
from prism.passes.packing import FORMATS

SUFFIXES = frozenset(form.suffix for form in FORMATS.values()) | {"tiff", "jpeg"}


def pictures_below(folder: Path) -> list[str]:
    """Relative paths of the pictures in a folder and those below it; hidden files are those still being written."""
    folder = Path(folder)
    paths = (path for path in folder.rglob("*.*") if path.suffix[1:].lower() in SUFFIXES)
    return [path.relative_to(folder).as_posix() for path in sorted(paths) if not path.name.startswith(".")]


def found_file(path: Path) -> FoundFile | None:
    """None if there is no such file."""
    if not Path(path).is_file():
        return None
    try:
        return _exr(path) if path.suffix.lower() == ".exr" else _flat(path)
    except PrismError as error:
        return FoundFile(fault=error.what)


def facts_of_plane(plane: NDArray) -> PlaneFacts:
    """Of a plane (H, W) of any numeric type, or of deep samples in one run."""
    if plane.dtype.kind != "f":
        return (
            PlaneFacts(float(plane.min()), float(plane.max()), pixels=plane.size)
            if plane.size
            else PlaneFacts(None, None)
        )
    finite = np.isfinite(plane)
    nan = int(np.isnan(plane).sum())
    inside = plane[finite] if not finite.all() else plane.reshape(-1)
    least, most = (float(inside.min()), float(inside.max())) if inside.size else (None, None)
    infinite = plane.size - int(finite.sum()) - nan
    return PlaneFacts(least, most, nan, infinite, int((inside == 1).sum()), plane.size)


def _exr(path: Path) -> FoundFile:
    parts = read_parts(path)
    channels: dict[str, str] = {}
    compressions: dict[str, str] = {}
    planes: dict[str, PlaneFacts] = {}
    for part in parts:
        facts = _deep_planes(path, part) if part.deep else _planes(path, part)
        for name, stored in part.layer_names().items():
            channels[name] = part.channels[stored]
            compressions[name] = part.compression.split(":")[0]
            planes[name] = facts[stored]
    first = parts[0]
    window, display, header = first.data_window, first.display_window, first.attributes
    chromaticities = header.get("chromaticities")
    return FoundFile(
        display=(display.width, display.height),
        data=(window.x0 - display.x0, window.y0 - display.y0, window.width, window.height),
        channels=channels,
        compressions=compressions,
        planes=planes,
        pixel_aspect=first.pixel_aspect,
        chromaticities=tuple(map(float, chromaticities)) if chromaticities is not None else None,
        scene=str(header.get("sceneFingerprint", "")),
        plan=str(header.get("planFingerprint", "")),
    )


def _planes(path: Path, part: Part) -> dict[str, PlaneFacts]:
    return {name: facts_of_plane(plane) for name, plane in read_channels(path, part).channels.items()}


def _deep_planes(path: Path, part: Part) -> dict[str, PlaneFacts]:
    return {name: facts_of_plane(values) for name, values in read_deep_values(path, part.index).items()}


def _flat(path: Path) -> FoundFile:
    picture = oiio.ImageInput.open(str(path))
    if picture is None:
        return FoundFile(fault=f"{oiio.geterror().splitlines()[0]}.")
    spec = picture.spec()
    pixels = picture.read_image(0, 0, 0, spec.nchannels, oiio.FLOAT)
    reason = picture.geterror()
    picture.close()
    if pixels is None:
        return FoundFile(fault=f"Damaged or cut short: {reason.splitlines()[0].rstrip('.')}.")
    size = (spec.width, spec.height)
    return FoundFile(
        display=size,
        data=(0, 0, *size),
        channels=dict.fromkeys(spec.channelnames, str(spec.format)),
        planes={name: facts_of_plane(pixels[..., place]) for place, name in enumerate(spec.channelnames)},
        pixel_aspect=float(spec.getattribute("PixelAspectRatio") or 1.0),
    )
