"""What is really in a folder, by the headers of its files: for holding it against a plan."""

from __future__ import annotations

from pathlib import Path

import OpenImageIO as oiio

from prism.errors import PrismError
from prism.formats.exr import read_parts
from prism.passes.audit import FoundFile
from prism.passes.packing import FORMATS

SUFFIXES = frozenset(form.suffix for form in FORMATS.values()) | {"tiff", "jpeg"}


def found_below(folder: Path) -> dict[str, FoundFile]:
    """The pictures in a folder and those below it, by relative path; hidden files are those still being written."""
    folder = Path(folder)
    paths = (path for path in folder.rglob("*.*") if path.suffix[1:].lower() in SUFFIXES)
    return {
        path.relative_to(folder).as_posix(): found_file(path) for path in sorted(paths) if not path.name.startswith(".")
    }


def found_file(path: Path) -> FoundFile:
    try:
        return _exr(path) if path.suffix.lower() == ".exr" else _flat(path)
    except PrismError as error:
        return FoundFile(fault=error.what)


def _exr(path: Path) -> FoundFile:
    parts = read_parts(path)
    channels = {name: part.channels[own] for part in parts for name, own in part.layer_names().items()}
    window = parts[0].data_window
    return FoundFile((window.width, window.height), channels)


def _flat(path: Path) -> FoundFile:
    picture = oiio.ImageInput.open(str(path))
    if picture is None:
        return FoundFile(fault=f"{oiio.geterror().splitlines()[0]}.")
    spec = picture.spec()
    picture.close()
    return FoundFile((spec.width, spec.height), dict.fromkeys(spec.channelnames, str(spec.format)))
