"""Foreign files decoded, inside a child process: see `prism.formats.guarded` for the way in.

Every function opens a file, asks `allocate` for the planes it will fill, and fills them. A flat file of which most
channels are wanted is read by OpenEXR's own binding, which costs half as much; few channels by OpenImageIO, which can
be asked for rows and channels; deep files by `deep_lines`.
"""

from __future__ import annotations

import fractions  # noqa: F401 - OpenEXR asks for it when the child reads no modules any more
from collections.abc import Callable, Mapping
from contextlib import suppress
from typing import Any

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from numpy.typing import NDArray

from prism.bands import split_rows
from prism.errors import TooLarge, UnreadableFile
from prism.formats import deep_lines
from prism.pixels.window import PIXEL_LIMIT

Shape = tuple[int, ...]
Allocate = Callable[[Mapping[str, tuple[str, Shape]]], Mapping[str, NDArray]]  # name to (dtype, shape)

SAMPLES = ""  # no channel has this name
VALUE_LIMIT = 1 << 30  # decoded in one call: pixels times channels
CACHED_BYTES = 1 << 19  # half a current core's second cache
ROWS_AT_ONCE = 64  # decoded together, so that extra memory stays small whatever the frame size
_DTYPES = {"half": "float16", "float": "float32", "uint": "uint32"}
_KEPT = {"uint8": "uint8", "uint16": "uint16", "half": "float16"}  # types of stills that keep their size in memory


def decode_flat(path: str, request: Mapping[str, Any], allocate: Allocate) -> dict[str, Any]:
    """Named channels of a flat part of an OpenEXR file, each in its stored type.

    request: part, top (first row), shape, tiled, subsampled, and channels (name to pixel type), as the header was read.
    Subsampled channels keep their own, smaller shape.
    """
    if request["subsampled"]:
        return _decode_by_channels(path, request, allocate)
    if request["whole"]:
        with suppress(RuntimeError, ValueError, LookupError, OSError, MemoryError):  # what is wrong is told below
            return _decode_by_channels(path, request, allocate)
    source = oiio.ImageInput.open(path)
    if source is None:
        raise UnreadableFile(f"The header is damaged: {_reason(oiio.geterror())}.")
    if not source.seek_subimage(request["part"], 0):
        raise UnreadableFile(f"Part {request['part']} cannot be read: {_reason(source.geterror())}.")
    spec = source.spec()
    shape = tuple(request["shape"])
    names = list(spec.channelnames)
    lost = [name for name in request["channels"] if name not in names]
    if (spec.height, spec.width) != shape or lost:
        raise UnreadableFile("The header is damaged: two readings of it do not agree.")
    planes = allocate({name: (_DTYPES[kind], shape) for name, kind in request["channels"].items()})
    # uint32 does not fit into float32, so whole numbers and floats are fetched apart.
    integers = [name for name, kind in request["channels"].items() if kind == "uint"]
    floats = [name for name, kind in request["channels"].items() if kind != "uint"]
    halves = all(
        request["channels"][name] == "half" for name in floats
    )  # which spares turning them into floats and back
    for members, kind in ((floats, oiio.HALF if halves else oiio.FLOAT), (integers, oiio.UINT)):
        if members:
            _fill(source, request, {name: names.index(name) for name in members}, kind, planes)
    source.close()
    return {}


def _fill(source, request: Mapping[str, Any], index: Mapping[str, int], kind, planes: Mapping[str, NDArray]) -> None:
    """Band by band, from one span of channels that holds all those wanted."""
    first, end = min(index.values()), max(index.values()) + 1
    height, width = request["shape"]
    part, origin = request["part"], request["top"]
    for top, bottom in split_rows(height, height if request["tiled"] else ROWS_AT_ONCE):
        if request["tiled"]:
            pixels = source.read_image(part, 0, first, end, kind)
        else:
            pixels = source.read_scanlines(part, 0, origin + top, origin + bottom, 0, first, end, kind)
        if pixels is None:
            raise UnreadableFile(f"Damaged or cut short near row {origin + top}: {_reason(source.geterror())}.")
        pixels = np.asarray(pixels).reshape(bottom - top, width, end - first)
        # Channels lie side by side: few rows stay in the cache while all of their channels are taken apart.
        rows = max(1, CACHED_BYTES // max(1, pixels[0].nbytes))
        for begin in range(0, bottom - top, rows):
            few = pixels[begin : begin + rows]
            for name, place in index.items():
                with np.errstate(over="ignore"):
                    planes[name][top + begin : top + begin + len(few)] = few[:, :, place - first]


def _decode_by_channels(path: str, request: Mapping[str, Any], allocate: Allocate) -> dict[str, Any]:
    """All channels of a file by OpenEXR's own binding, which takes them apart while it decodes, and opens what
    OpenImageIO does not: files with subsampled channels."""
    with OpenEXR.File(path, separate_channels=True) as file:
        channels = file.parts[request["part"]].channels
        stored = {name: channels[name].pixels for name in request["channels"]}
        if not request["subsampled"] and any(pixels.shape != tuple(request["shape"]) for pixels in stored.values()):
            raise ValueError("two readings of the header do not agree")
        planes = allocate({name: (_DTYPES[kind], stored[name].shape) for name, kind in request["channels"].items()})
        for name, pixels in stored.items():
            planes[name][...] = pixels
    return {}


def decode_deep(path: str, request: Mapping[str, Any], allocate: Allocate) -> dict[str, Any]:
    """The samples of all pixels of a part in one run, row by row, for every channel; under SAMPLES their number in each
    pixel, (H, W). request: part, and all that `read_blocks` needs."""
    with open(path, "rb") as source:
        counts, runs = deep_lines.read_blocks(source, request)
    found = runs | {SAMPLES: counts}
    planes = allocate({name: (str(run.dtype), run.shape) for name, run in found.items()})
    for name, run in found.items():
        planes[name][...] = run
    return {}


def describe_still(path: str, request: Mapping[str, Any], allocate: Allocate) -> dict[str, Any]:
    """What the header of a picture says that is no OpenEXR file; no pixel is decoded."""
    source = _open_still(path)
    spec = source.spec()
    facts = {
        "format": source.format_name(),
        "data": [spec.x, spec.y, spec.x + spec.width - 1, spec.y + spec.height - 1],
        "display": [
            spec.full_x,
            spec.full_y,
            spec.full_x + spec.full_width - 1,
            spec.full_y + spec.full_height - 1,
        ],
        "channels": list(spec.channelnames),
        "type": str(spec.format),
        "bits": int(spec.getattribute("oiio:BitsPerSample") or 0),
        "aspect": float(spec.getattribute("PixelAspectRatio") or 1.0),
        "straight": bool(spec.getattribute("oiio:UnassociatedAlpha")),
        "compression": str(spec.getattribute("compression") or ""),
        "curve": str(spec.getattribute("oiio:ColorSpace") or ""),
    }
    source.close()
    allocate({})
    return facts


def decode_still(path: str, request: Mapping[str, Any], allocate: Allocate) -> dict[str, Any]:
    """All channels of a picture of any format that the image library knows: codes of 8 and 16 bits and halves as they
    are stored, all else as float; colour straight or premultiplied, as it is stored."""
    source = _open_still(path)
    spec = source.spec()
    kind = str(spec.format) if str(spec.format) in _KEPT else "float"
    planes = allocate({name: (_KEPT.get(kind, "float32"), (spec.height, spec.width)) for name in spec.channelnames})
    for top, bottom in split_rows(spec.height, spec.height if spec.tile_width else ROWS_AT_ONCE):
        if spec.tile_width:
            pixels = source.read_image(0, 0, 0, spec.nchannels, kind)
        else:
            pixels = source.read_scanlines(0, 0, spec.y + top, spec.y + bottom, 0, 0, spec.nchannels, kind)
        if pixels is None:
            raise UnreadableFile(f"Damaged or cut short: {_reason(source.geterror())}.")
        for place, name in enumerate(spec.channelnames):
            planes[name][top:bottom] = np.asarray(pixels).reshape(bottom - top, spec.width, -1)[..., place]
    source.close()
    return {"type": str(spec.format), "aspect": float(spec.getattribute("PixelAspectRatio") or 1.0)}


def _open_still(path: str):
    as_stored = oiio.ImageSpec()
    as_stored.attribute("oiio:UnassociatedAlpha", 1)  # straight colour is not multiplied by the library
    source = oiio.ImageInput.open(path, as_stored)
    if source is None:
        raise UnreadableFile(f"The format is not known, or the header is damaged: {_reason(oiio.geterror())}.")
    spec = source.spec()
    if source.format_name() == "jpeg" and not _is_whole_jpeg(path, spec.width * spec.height):
        raise UnreadableFile("Cut short: a part of the picture is missing.")
    if spec.width * spec.height > PIXEL_LIMIT or spec.width * spec.height * spec.nchannels > VALUE_LIMIT:
        raise TooLarge(f"The header declares {spec.width} x {spec.height} pixels of {spec.nchannels} channels.")
    if not spec.nchannels or spec.depth > 1 or len(set(spec.channelnames)) < spec.nchannels:
        raise UnreadableFile("The header is damaged: its channels cannot be told apart.")
    return source


def _is_whole_jpeg(path: str, pixels: int) -> bool:
    """Whether a JPEG has the mark of its end after that of its last scan, and at least a bit for each block of 8 x 8
    pixels: the library fills with grey what is not there. Neither mark can lie within a scan (ITU-T T.81, B.1.1.5), and
    no code is shorter than a bit (F.1.2.1)."""
    with open(path, "rb") as file:
        data = file.read()
    return data.rfind(b"\xff\xd9") > data.rfind(b"\xff\xda") and 8 * len(data) >= pixels // 64


DECODERS = {"flat": decode_flat, "deep": decode_deep, "still": decode_still, "describe": describe_still}


def _reason(text: str) -> str:
    """The first line of a library's message, without its final full stop."""
    line = (text.strip().splitlines() or ["no reason given"])[0].rstrip(".")
    return "no reader takes it" if "could not find a format reader" in line else line


def refusal(error: Exception) -> UnreadableFile | TooLarge:
    """What a library throws, as one of our own errors."""
    if isinstance(error, UnreadableFile | TooLarge):
        return error
    if isinstance(error, MemoryError):
        return TooLarge("Decoding needs more memory than is allowed for one file.")
    return UnreadableFile(f"Damaged or cut short: {_reason(str(error))}.")
