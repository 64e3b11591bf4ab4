"""What is really in a folder, read to the last pixel: for comparing it with a plan."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from prism.errors import PrismError
from prism.formats import guarded
from prism.formats.decoding import SAMPLES
from prism.formats.exr import read_channels
from prism.formats.headers import Part, read_parts
from prism.formats.reading import as_float, read_header, values_of
from prism.intake.measuring import measure
from prism.intake.says import PIXELS, said_by
from prism.judging.values import PlaneFacts
from prism.pixels.digest import digest_of
from prism.pixels.file_formats import PLANNED, is_exr
from prism.plan.audit import FoundFile

SUFFIXES = frozenset(suffix for form in PLANNED.values() for suffix in form.suffixes)


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
        return _exr(path) if is_exr(path.name) else _flat(path)
    except PrismError as error:
        return FoundFile(fault=error.what)


def _exr(path: Path) -> FoundFile:
    parts = read_parts(path)
    channels: dict[str, str] = {}
    compressions: dict[str, str] = {}
    planes: dict[str, PlaneFacts] = {}
    digests: list[str] = []
    for part in parts:
        held = _deep_planes(path, part) if part.deep else dict(read_channels(path, part).channels)
        facts = measure(held)
        digests.append(digest_of(held))
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
        place=_place(parts),
        as_rendered=_as_rendered(parts, digests),
    )


def _place(parts: Sequence[Part]) -> dict[str, Any]:
    """What headers say of where a file belongs; the passes of all its parts."""
    frame = parts[0].says("frame")
    passes = ",".join(said for part in parts if (said := said_by(part).get("passes")))
    return said_by(parts[0]) | {"passes": passes} | ({} if frame is None else {"frame": frame})


def _as_rendered(parts: Sequence[Part], digests: Sequence[str]) -> bool | None:
    """Whether the pixels are those that the headers were written with; None if they do not say."""
    said = [part.says(PIXELS) for part in parts]
    return None if None in said else said == list(digests)


def _deep_planes(path: Path, part: Part) -> dict[str, NDArray]:
    return {name: run for name, run in guarded.decode_deep(path, part).planes.items() if name != SAMPLES}


def _flat(path: Path) -> FoundFile:
    (part,) = read_header(path)
    decoded = guarded.decode_still(path, values_of(part))
    height, width = next(iter(decoded.planes.values())).shape
    return FoundFile(
        display=(width, height),
        data=(0, 0, width, height),
        channels=dict.fromkeys(decoded.planes, decoded.facts["type"]),
        planes=measure({name: as_float(plane) for name, plane in decoded.planes.items()}),
        pixel_aspect=decoded.facts["aspect"],
    )
