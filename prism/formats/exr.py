"""OpenEXR: flat files, single and multi-part, with only the channels asked for.

Reading goes through OpenImageIO, which decodes on several cores and can be asked for rows and channels; writing
through OpenEXR's own binding, which gives exact control of names, windows and types.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from prism.bands import split_rows
from prism.errors import MissingChannels, TooLarge, UnreadableFile, UnwritableFile
from prism.formats.safe import replacing
from prism.naming.timecode import TimeCode
from prism.pixels.channels import split_name
from prism.pixels.image import Image, dtype_of
from prism.pixels.window import Window

WHOLE_PICTURE = ("beauty", "rgb", "rgba")  # names of parts whose bare channels are the picture itself
MAGIC = b"\x76\x2f\x31\x01"
PIXEL_LIMIT = 1 << 28  # pixels a header may declare in its data window (268 million) before a file is refused
VALUE_LIMIT = 1 << 31  # values decoded in one call: pixels times channels
ROWS_AT_ONCE = 64  # decoded together, so that extra memory stays small whatever the frame size

LOSSLESS = ("none", "rle", "zips", "zip", "piz")  # which every reader knows
NEW_LOSSLESS = ("zstd", "htj2k32", "htj2k256")  # of OpenEXR 3.5: older readers cannot open them
LOSSY = ("dwaa", "dwab", "b44", "b44a", "lj2k")  # to colour in half
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
_OIIO_TYPES = {oiio.HALF: "half", oiio.FLOAT: "float", oiio.UINT: "uint"}
# Set by the windows and by the writer itself, or of meaning to the reading library only.
_STRUCTURAL = {
    "compression",
    "screenWindowCenter",
    "screenWindowWidth",
    "capDate",
    "DateTime",
    "name",
    "PixelAspectRatio",
}


@dataclass(frozen=True, slots=True)
class Part:
    """What the header says of one part of a file."""

    index: int
    name: str
    channels: Mapping[str, str]  # full name to pixel type (half, float, uint)
    data_window: Window
    display_window: Window
    compression: str
    deep: bool
    tiled: bool
    pixel_aspect: float  # width of a pixel by its height
    attributes: Mapping[str, Any]

    @property
    def is_lossy(self) -> bool:
        """Whether the compression may have changed colour values."""
        return self.compression.split(":")[0] in LOSSY

    def layer_names(self) -> dict[str, str]:
        """Channel names as they count across the file: a later part with bare R, G, B lends them its part name, but for one
        that is called after the whole picture."""
        if self.index == 0 or not self.name or self.name.lower() in WHOLE_PICTURE:
            return {name: name for name in self.channels}
        lent = {}
        for name in self.channels:
            layer, component = split_name(name)
            bare = layer == "" and component.upper() in ("R", "G", "B", "A", "X", "Y", "V")
            lent[f"{self.name}.{component}" if bare else name] = name
        return lent


def read_parts(path: Path) -> list[Part]:
    """Read the headers of all parts; no pixel is decoded. Raises UnreadableFile or TooLarge."""
    path = Path(path)
    source = _open(path)
    parts: list[Part] = []
    try:
        while source.seek_subimage(len(parts), 0):
            parts.append(_part(path, len(parts), source.spec()))
    finally:
        source.close()
    return parts


def read_channels(path: Path, part: Part, names: Collection[str] | None = None) -> Image:
    """Decode the named channels (all if None) of one flat part, each in its stored type.

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
    planes = {name: np.empty(part.data_window.shape, dtype_of(part.channels[name])) for name in wanted}
    source = _open(Path(path))
    try:
        source.seek_subimage(part.index, 0)
        order = list(source.spec().channelnames)
        # uint32 does not fit into float32, so whole numbers and floats are fetched apart.
        integers = [name for name in wanted if part.channels[name] == "uint"]
        floats = [name for name in wanted if part.channels[name] != "uint"]
        for members, kind in ((floats, oiio.FLOAT), (integers, oiio.UINT)):
            if members:
                _decode(path, source, part, {name: order.index(name) for name in members}, kind, planes)
    finally:
        source.close()
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


def header_entries(attributes: Mapping[str, Any]) -> dict[str, Any]:
    """Header entries as OpenEXR's binding takes them: it has a time code of its own."""
    return {name: _time_code(entry) if isinstance(entry, TimeCode) else entry for name, entry in attributes.items()}


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


def _open(path: Path) -> oiio.ImageInput:
    try:
        if path.is_dir():
            raise UnreadableFile("This is a folder.", where=str(path), advice="Name the files in it.")
        with open(path, "rb") as file:
            head = file.read(len(MAGIC))
    except OSError as error:
        raise UnreadableFile(f"Cannot be read: {error.strerror}.", where=str(path)) from error
    if head != MAGIC:
        what = "The file is empty." if not head else "This is not an OpenEXR file."
        raise UnreadableFile(what, where=str(path), advice="Render or copy it again.")
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise UnreadableFile(f"The header is damaged: {_reason(oiio.geterror())}.", where=str(path))
    return source


def _reason(text: str) -> str:
    """The first line of a library's message, without its final full stop."""
    return (text.strip().splitlines() or ["no reason given"])[0].rstrip(".")


def _part(path: Path, index: int, spec: oiio.ImageSpec) -> Part:
    if spec.width * spec.height > PIXEL_LIMIT:
        raise TooLarge(f"The header declares {spec.width} x {spec.height} pixels.", where=str(path))
    formats = list(spec.channelformats) or [spec.format] * spec.nchannels
    types = {
        name: _OIIO_TYPES.get(kind.basetype, "float") for name, kind in zip(spec.channelnames, formats, strict=True)
    }
    attributes = {
        entry.name: entry.value
        for entry in spec.extra_attribs
        if entry.name not in _STRUCTURAL and not entry.name.startswith(("oiio:", "openexr:"))
    }
    return Part(
        index=index,
        name=str(spec.getattribute("oiio:subimagename") or ""),
        channels=types,
        data_window=Window(spec.x, spec.y, spec.x + spec.width - 1, spec.y + spec.height - 1),
        display_window=Window(
            spec.full_x, spec.full_y, spec.full_x + spec.full_width - 1, spec.full_y + spec.full_height - 1
        ),
        compression=str(spec.getattribute("compression") or "none"),
        deep=bool(spec.deep),
        tiled=spec.tile_width > 0,
        pixel_aspect=float(spec.getattribute("PixelAspectRatio") or 1.0),
        attributes=attributes,
    )


def _decode(path, source, part: Part, index: Mapping[str, int], kind, planes: Mapping[str, np.ndarray]) -> None:
    """Fill planes band by band from one span of channels that holds all those wanted."""
    first, end = min(index.values()), max(index.values()) + 1
    window = part.data_window
    rows_at_once = window.height if part.tiled else ROWS_AT_ONCE
    for top, bottom in split_rows(window.height, rows_at_once):
        if part.tiled:
            pixels = source.read_image(part.index, 0, first, end, kind)
        else:
            pixels = source.read_scanlines(part.index, 0, window.y0 + top, window.y0 + bottom, 0, first, end, kind)
        if pixels is None:
            reason = _reason(source.geterror())
            raise UnreadableFile(
                f"Damaged or cut short near row {window.y0 + top}: {reason}.",
                where=str(path),
                advice="Render or copy this frame again.",
            )
        pixels = np.asarray(pixels).reshape(bottom - top, window.width, end - first)
        for name, place in index.items():
            with np.errstate(over="ignore"):
                planes[name][top:bottom] = pixels[:, :, place - first]
