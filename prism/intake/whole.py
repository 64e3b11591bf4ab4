"""Whether a file is whole: not merely there, but readable to its last pixel."""

from __future__ import annotations

from pathlib import Path

import OpenImageIO as oiio

from prism.errors import PrismError
from prism.formats.exr import read_channels, read_parts
from prism.intake.found import found_file
from prism.passes.audit import audit
from prism.passes.expansion import PlannedFiles


def is_as_planned(planned: PlannedFiles, frame: int, folder: Path) -> bool:
    """Whether the file of one frame is there below `folder`, holds what is planned, and can be read to its end."""
    path = folder / planned.path(frame)
    if not path.is_file():
        return False
    faults = [one for one in audit([planned], {planned.path(frame): found_file(path)}) if one.kind != "missing"]
    return not faults and is_whole(path)


def is_whole(path: Path) -> bool:
    """Decode everything; slow enough to do once, sure enough to trust."""
    if path.suffix.lower() != ".exr":
        return not oiio.ImageBuf(str(path)).has_error and oiio.ImageBuf(str(path)).read(force=True)
    try:
        parts = read_parts(path)
        for part in parts:
            if part.deep:
                return _deep_is_whole(path)
            read_channels(path, part)
    except PrismError:
        return False
    return True


def _deep_is_whole(path: Path) -> bool:
    picture = oiio.ImageInput.open(str(path))
    if picture is None:
        return False
    samples = picture.read_native_deep_image(0, 0)
    picture.close()
    return samples is not None and not picture.has_error
