"""OpenEXR: flat files, single and multi-part, with only the channels asked for.

Reading goes through the guarded door; writing through OpenEXR's own binding, which gives exact control of names,
windows and types.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import OpenEXR

from prism.errors import MissingChannels, PrismError, TooLarge, UnreadableFile, UnwritableFile
from prism.formats import guarded
from prism.formats.chroma import at_full_size
from prism.formats.decoding import VALUE_LIMIT
from prism.formats.entries import header_entries
from prism.formats.headers import Attribute, Part, read_parts
from prism.formats.planes import PlaneFolder
from prism.formats.safe import replacing, writing_below
from prism.pixels.file_formats import EXR_COMPRESSIONS
from prism.pixels.halves import as_half
from prism.pixels.image import Image

_begun_by: int | None = None  # the process that began the library's threads


def read_channels(
    path: Path, part: Part, names: Collection[str] | None = None, *, cache: PlaneFolder | None = None
) -> Image:
    """Decode the named channels (all if None) of one flat part, each in its stored type; subsampled ones filled
    in. cache: where the planes stay for other processes.

    Raises MissingChannels, TooLarge, or UnreadableFile if the file is cut short or damaged.
    """
    wanted = list(part.channels if names is None else names)
    missing = [name for name in wanted if name not in part.channels]
    if missing:
        found = ", ".join(part.channels)
        raise MissingChannels(f"There is no channel {', '.join(missing)}; found {found}.", where=str(path))
    if part.deep:
        raise UnreadableFile(f"Part {part.name or part.index} is deep.", where=str(path), advice="Flatten it first.")
    if part.data_window.width * part.data_window.height * len(wanted) > VALUE_LIMIT:
        raise TooLarge(f"{len(wanted)} channels of {part.data_window} are too many to decode at once.", where=str(path))
    planes = dict(guarded.decode_flat(Path(path), part, wanted, cache=cache).planes)
    for name in part.subsampled & set(wanted):
        planes[name] = at_full_size(name, planes[name], part.data_window.shape)
    return Image(
        channels=planes, data_window=part.data_window, display_window=part.display_window, attributes=part.attributes
    )


def write_exr(path: Path, image: Image, *, compression: str = "zip") -> None:
    """Write one part with all channels of the image. Raises UnwritableFile; see `write_parts`."""
    write_parts(path, [("", image)], compression=compression)


def write_parts(path: Path, parts: Sequence[tuple[str, Image]], *, compression: str | Sequence[str] = "zip") -> None:
    """Write named parts, whole or not at all. Half values beyond 65504 are refused, not turned to infinity.

    compression: one for all, or one for each part. All parts must share the display window. Attributes may be strings,
    numbers, short tuples of numbers, fractions and time codes.
    """
    known = {name: each for name, each in EXR_COMPRESSIONS.items() if each.written}
    compressions = [compression] * len(parts) if isinstance(compression, str) else list(compression)
    strange = next((compression for compression in compressions if compression not in known), None)
    if strange is not None:
        raise UnwritableFile(f"Unknown compression {strange}.", where=str(path), advice=f"Use {', '.join(known)}.")
    built = []
    for (name, image), chosen in zip(parts, compressions, strict=True):
        # The binding changes the dicts it is given and scrambles arrays that are not contiguous: hand it fresh ones.
        planes = {channel: np.ascontiguousarray(plane) for channel, plane in image.channels.items()}
        header = {
            **header_entries(image.attributes),
            "compression": OpenEXR.Compression(known[chosen].code),
            "type": OpenEXR.scanlineimage,
            "dataWindow": image.data_window.as_box(),
            "displayWindow": image.display_window.as_box(),
        }
        built.append(OpenEXR.Part(header, planes, name) if name else OpenEXR.Part(header, planes))
    with replacing(Path(path)) as temporary:
        try:
            OpenEXR.File(built, num_threads=_threads()).write(str(temporary))
        except (RuntimeError, ValueError, TypeError) as error:
            raise UnwritableFile(
                f"OpenEXR refused: {error}.", where=str(path), advice="Check space and names."
            ) from error


def _threads() -> int:
    """How many threads of the library encode: none in a process forked from one that began them."""
    global _begun_by
    if _begun_by is None:
        OpenEXR.set_global_thread_count(os.cpu_count() or 1)
        _begun_by = os.getpid()
    return OpenEXR.global_thread_count() if _begun_by == os.getpid() else 0


def passing(attributes: Mapping[str, Attribute]) -> tuple[dict[str, Attribute], list[str]]:
    """Which header entries of a file a new one can carry and still be read, and the names of the others."""
    if _can_carry(attributes):
        return dict(attributes), []
    kept = {name: attribute for name, attribute in attributes.items() if _can_carry({name: attribute})}
    return kept, sorted(attributes.keys() - kept.keys())


def _can_carry(attributes: Mapping[str, Attribute]) -> bool:
    """Tried with a file of one pixel, since only the libraries know what they take."""
    image = Image.of_planes({"R": np.zeros((1, 1), np.float16)}, **attributes)
    with TemporaryDirectory() as folder, writing_below(Path(folder)):
        path = Path(folder, "carried.exr")
        try:
            write_exr(path, image, compression="none")
            part = read_parts(path)[0]
            read_channels(path, part)
        except PrismError:
            return False
    return all(part.attributes.get(name) == attribute for name, attribute in attributes.items())


def to_half(plane: np.ndarray, *, name: str, where: str = "") -> np.ndarray:
    """Round a float plane (H, W) to half. Raises UnwritableFile if a finite value lies beyond what half can hold."""
    half, lost = as_half(plane.astype(np.float32, copy=False))
    if lost:
        peak = float(np.abs(plane[np.isfinite(plane)]).max())
        raise UnwritableFile(
            f"{lost} pixels of {name} are beyond the half float limit of 65504 (largest {peak:.6g}).",
            where=where,
            advice="Write it as float.",
        )
    return half
