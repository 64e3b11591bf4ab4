"""OpenEXR: flat files, single and multi-part, with only the channels asked for.

Reading goes through the guarded door; writing through OpenEXR's own binding, which gives exact control of names, windows and
types.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import OpenEXR

from prism.errors import MissingChannels, PrismError, TooLarge, UnreadableFile, UnwritableFile
from prism.formats import guarded
from prism.formats.decoding import VALUE_LIMIT
from prism.formats.headers import Attribute, Part, read_parts
from prism.formats.planes import PlaneFolder
from prism.formats.safe import replacing
from prism.naming.timecode import TimeCode
from prism.pixels.image import Image

LOSSLESS = ("none", "rle", "zips", "zip", "piz")  # which every reader knows
NEW_LOSSLESS = ("zstd", "htj2k32", "htj2k256")  # of OpenEXR 3.5: older readers cannot open them
_COMPRESSIONS = {
    "none": OpenEXR.NO_COMPRESSION,
    "rle": OpenEXR.RLE_COMPRESSION,
    "zips": OpenEXR.ZIPS_COMPRESSION,
    "zip": OpenEXR.ZIP_COMPRESSION,
    "piz": OpenEXR.PIZ_COMPRESSION,
    "zstd": OpenEXR.ZSTD_COMPRESSION,
    "htj2k32": OpenEXR.HTJ2K32_COMPRESSION,
    "htj2k256": OpenEXR.HTJ2K256_COMPRESSION,
    "pxr24": OpenEXR.PXR24_COMPRESSION,  # loses the low byte of float32
}
COMPRESSIONS = tuple(_COMPRESSIONS)
_WRITTEN_IF_ASKED = {  # lossy: for looking, never offered where a picture is handed on
    "b44": OpenEXR.B44_COMPRESSION,
    "b44a": OpenEXR.B44A_COMPRESSION,
    "dwaa": OpenEXR.DWAA_COMPRESSION,
    "dwab": OpenEXR.DWAB_COMPRESSION,
}
_SHAPES = {"v2i": 2, "v2f": 2, "v3i": 3, "v3f": 3, "m33f": (3, 3), "m44f": (4, 4)}  # of header entries


def read_channels(
    path: Path, part: Part, names: Collection[str] | None = None, *, kept: PlaneFolder | None = None
) -> Image:
    """Decode the named channels (all if None) of one flat part, each in its stored type. kept: where the planes stay for
    other processes.

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
    if part.subsampled & set(wanted):
        raise UnreadableFile(
            f"{', '.join(sorted(part.subsampled & set(wanted)))} has fewer pixels than the picture.",
            where=str(path),
            advice="Write all channels at full size.",
        )
    planes = guarded.decode_flat(Path(path), part, wanted, kept=kept).planes
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
    known = _COMPRESSIONS | _WRITTEN_IF_ASKED
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
            "compression": known[chosen],
            "type": OpenEXR.scanlineimage,
            "dataWindow": image.data_window.as_box(),
            "displayWindow": image.display_window.as_box(),
        }
        built.append(OpenEXR.Part(header, planes, name) if name else OpenEXR.Part(header, planes))
    with replacing(Path(path)) as temporary:
        try:
            OpenEXR.File(built).write(str(temporary))
        except (RuntimeError, ValueError, TypeError) as error:
            raise UnwritableFile(
                f"OpenEXR refused: {error}.", where=str(path), advice="Check space and names."
            ) from error


def passing(attributes: Mapping[str, Attribute]) -> tuple[dict[str, Attribute], list[str]]:
    """Which header entries of a file a new one can carry and still be read, and the names of the others."""
    if _can_carry(attributes):
        return dict(attributes), []
    kept = {name: held for name, held in attributes.items() if _can_carry({name: held})}
    return kept, sorted(attributes.keys() - kept.keys())


def _can_carry(attributes: Mapping[str, Attribute]) -> bool:
    """Tried with a file of one pixel, since only the libraries know what they take."""
    image = Image.of_planes({"R": np.zeros((1, 1), np.float16)}, **attributes)
    with TemporaryDirectory() as folder:
        path = Path(folder, "carried.exr")
        try:
            write_exr(path, image, compression="none")
            part = read_parts(path)[0]
            read_channels(path, part)
        except PrismError:
            return False
    return all(part.attributes.get(name) == held for name, held in attributes.items())


def header_entries(attributes: Mapping[str, Any]) -> dict[str, Any]:
    """Header entries as OpenEXR's binding takes them: it has a time code of its own, and takes any attribute of a file."""
    return {name: _entry(held) for name, held in attributes.items()}


def _entry(held: Any) -> Any:
    if isinstance(held, TimeCode):
        return _time_code(held)
    return _as_it_lay(held) if isinstance(held, Attribute) else held


def _as_it_lay(held: Attribute) -> Any:
    """For the same bytes in a new file: as the binding's own type where it has one, since it compares those of several parts
    and knows some entries by name; else as they are."""
    value, shape = held.value, _SHAPES.get(held.type)
    typed = None
    if value is None:
        pass
    elif held.type == "timecode":
        typed = _stored_time_code(*value)
    elif held.type == "box2i":
        typed = np.array(value[:2], np.int32), np.array(value[2:], np.int32)
    elif (held.type == "string" and value.encode() == held.raw) or held.type in ("int", "float", "chromaticities"):
        typed = value
    elif held.type == "rational" and value[1] and math.gcd(*value) == 1:
        typed = Fraction(*value)
    elif shape is not None:
        typed = np.array(value, held.type[-1] if held.type[-1] != "i" else "i4").reshape(shape)
    return OpenEXR.OpaqueAttribute(held.raw, held.type) if typed is None else typed


def _stored_time_code(time: int, user: int) -> OpenEXR.TimeCode | None:
    """Two words as SMPTE ST 12-1 packs them for 60 fields; None if a digit is none. The library compares those of several
    parts and wants its own type for that."""
    pairs = [(time >> shift & 15, time >> shift + 4 & tens) for shift, tens in ((24, 3), (16, 7), (8, 7), (0, 3))]
    if any(ones > 9 for ones, _ in pairs):
        return None
    digits = [10 * tens + ones for ones, tens in pairs]
    flags = [bool(time >> bit & 1) for bit in (6, 7, 15, 23, 30, 31)]  # drop, colour, field, three of the user's groups
    try:
        return OpenEXR.TimeCode(*digits, *flags, *(user >> 4 * group & 15 for group in range(8)))
    except (ValueError, RuntimeError):  # an hour of 25, say
        return None


def _time_code(code: TimeCode) -> OpenEXR.TimeCode:
    stored = OpenEXR.TimeCode()
    stored.hours, stored.minutes, stored.seconds, stored.frame = code.hours, code.minutes, code.seconds, code.frames
    stored.dropFrame = code.drop
    return stored


def to_half(plane: np.ndarray, *, name: str, where: str = "") -> np.ndarray:
    """Round a float plane to half. Raises UnwritableFile if a finite value lies beyond what half can hold."""
    with np.errstate(over="ignore"):
        half = plane.astype(np.float16)
    lost = int((np.isinf(half) & np.isfinite(plane)).sum())
    if lost:
        peak = float(np.abs(plane[np.isfinite(plane)]).max())
        raise UnwritableFile(
            f"{lost} pixels of {name} are beyond the half float limit of 65504 (largest {peak:.6g}).",
            where=where,
            advice="Write it as float.",
        )
    return half
