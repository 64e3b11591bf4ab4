"""What is really in a folder, read to the last pixel: for comparing it with a plan."""

from __future__ import annotations

from pathlib import Path

from prism.errors import PrismError
from prism.formats import guarded
from prism.formats.decoding import SAMPLES
from prism.formats.exr import read_channels
from prism.formats.headers import Part, read_parts
from prism.formats.reading import read_header, values_of
from prism.intake.measuring import measure
from prism.passes.audit import FoundFile
from prism.passes.judging import PlaneFacts
from prism.pixels.file_formats import PLANNED, is_exr

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
        place={name: says for name in ("shot", "layer", "camera", "frame") if (says := first.says(name)) is not None},
    )


def _planes(path: Path, part: Part) -> dict[str, PlaneFacts]:
    return measure(dict(read_channels(path, part).channels))


def _deep_planes(path: Path, part: Part) -> dict[str, PlaneFacts]:
    return measure({name: run for name, run in guarded.decode_deep(path, part).planes.items() if name != SAMPLES})


def _flat(path: Path) -> FoundFile:
    (part,) = read_header(path)
    decoded = guarded.decode_still(path, values_of(part))
    height, width = next(iter(decoded.planes.values())).shape
    return FoundFile(
        display=(width, height),
        data=(0, 0, width, height),
        channels=dict.fromkeys(decoded.planes, decoded.facts["type"]),
        planes=measure(dict(decoded.planes)),
        pixel_aspect=decoded.facts["aspect"],
    )
