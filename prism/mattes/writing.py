"""Mattes as files: one channel each, for whoever has no ledger."""

from __future__ import annotations

import re
from pathlib import Path

from prism.errors import BadArgument
from prism.formats.exr import to_half, write_exr
from prism.mattes.plan import MattePlan
from prism.mattes.planes import matte_plane
from prism.pixels.image import Image
from prism.sources.pixels import Frame

CHANNEL = "Y"  # how OpenEXR calls the one channel of a grey picture


def write_matte(plan: MattePlan, frame: Frame, path: Path, *, pixel: str = "half", compression: str = "zip") -> None:
    """Write a matte at full size with the windows of its frame. Raises BadArgument unless `path` ends in .exr, and
    whatever the matte's plane and the writer raise."""
    path = Path(path)
    if path.suffix.lower() != ".exr":
        raise BadArgument("A matte is written as OpenEXR.", where=str(path), advice="End the name in .exr.")
    plane = matte_plane(plan, frame)
    stored = to_half(plane, name=CHANNEL, where=str(path)) if pixel == "half" else plane
    image = Image(
        channels={CHANNEL: stored},
        data_window=frame.window,
        display_window=frame.display_window,
        attributes={"pixelAspectRatio": frame.pixel_aspect},
    )
    write_exr(path, image, compression=compression)


def file_word(name: str) -> str:
    """The name of a matte as part of a file's name: letters, digits, dots and dashes, all else an underscore."""
    return re.sub(r"[^\w.-]+", "_", name).strip("._") or "matte"
