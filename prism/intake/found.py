"""What is really in a folder, read to the last pixel: for comparing it with a plan."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.errors import PrismError
from prism.formats import guarded
from prism.formats.exr import read_channels
from prism.formats.headers import Part, read_parts
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
            compressions[name] = part.compression
            planes[name] = facts[stored]
    first = parts[0]
    window, display = first.data_window, first.display_window
    return FoundFile(
        display=(display.width, display.height),
        data=(window.x0 - display.x0, window.y0 - display.y0, window.width, window.height),
        channels=channels,
        compressions=compressions,
        planes=planes,
        pixel_aspect=first.pixel_aspect,
        chromaticities=first.says("chromaticities"),
        scene=str(first.says("sceneFingerprint") or ""),
        plan=str(first.says("planFingerprint") or ""),
    )


def _planes(path: Path, part: Part) -> dict[str, PlaneFacts]:
    return {name: facts_of_plane(plane) for name, plane in read_channels(path, part).channels.items()}


def _deep_planes(path: Path, part: Part) -> dict[str, PlaneFacts]:
    return {name: facts_of_plane(values) for name, values in guarded.decode_deep(path, part).planes.items()}


def _flat(path: Path) -> FoundFile:
    decoded = guarded.decode_still(path)
    height, width = next(iter(decoded.planes.values())).shape
    return FoundFile(
        display=(width, height),
        data=(0, 0, width, height),
        channels=dict.fromkeys(decoded.planes, decoded.facts["type"]),
        planes={name: facts_of_plane(plane) for name, plane in decoded.planes.items()},
        pixel_aspect=decoded.facts["aspect"],
    )
