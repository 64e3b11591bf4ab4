"""What an OpenEXR file says of itself, read with a bound on everything before any library sees the file.

Source: OpenEXR file layout: magic number, version with flags, then one list of attributes for each part.
"""

from __future__ import annotations

import os
import stat
import struct
from collections import OrderedDict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from threading import Lock
from types import MappingProxyType
from typing import Any, BinaryIO

from prism.errors import SizeMismatch, TooLarge, UnreadableFile
from prism.pixels.channels import short, split_name
from prism.pixels.file_formats import EXR_COMPRESSIONS, format_of_title
from prism.pixels.window import PIXEL_LIMIT, Window

WHOLE_PICTURE = ("beauty", "rgb", "rgba")  # names of parts whose bare channels are the picture itself
MAGIC = b"\x76\x2f\x31\x01"

DEEP_PIXEL_LIMIT = 1 << 25  # 34 million, a frame of 7,680 x 4,320: every pixel may have many samples
PART_LIMIT = 512
CHANNEL_LIMIT = 4096  # of all parts together
ATTRIBUTE_LIMIT = 1024  # of one part: libraries need time in their square
HEADER_LIMIT = 64 << 20  # bytes of all attributes; manifests of object names are the longest
FARTHEST = 1 << 30  # from the origin, in pixels, as the format's own library has it

_COMPRESSIONS = {each.code: name for name, each in EXR_COMPRESSIONS.items()}
_TYPES = ("uint", "half", "float")
_TILED, _DEEP, _MULTIPART = 0x200, 0x800, 0x1000
_KEPT_BYTES = 1 << 18  # a header longer than this is read again rather than remembered
_KEPT_FILES = 256

# Set anew for every file that is written, by its windows, its packing or its own compression.
STRUCTURAL = frozenset({
    "channels", "compression", "dataWindow", "displayWindow", "lineOrder", "pixelAspectRatio", "tiles", "type", "name",
    "version", "chunkCount", "maxSamplesPerPixel", "deepImageState",
})  # fmt: skip
_NUMBERS = {
    "int": "i",
    "float": "f",
    "double": "d",
    "v2i": "2i",
    "v2f": "2f",
    "v2d": "2d",
    "v3i": "3i",
    "v3f": "3f",
    "v3d": "3d",
    "box2i": "4i",
    "box2f": "4f",
    "chromaticities": "8f",
    "m33f": "9f",
    "m33d": "9d",
    "m44f": "16f",
    "m44d": "16d",
    "rational": "iI",
    "timecode": "II",
    "keycode": "7i",
}


@dataclass(frozen=True, slots=True)
class Attribute:
    """One entry of a header just as it lies in the file."""

    type: str
    raw: bytes

    @property
    def value(self) -> Any:  # of what type, `type` says
        """A text, a number, or a tuple of numbers; None for types that we do not read, and for damaged entries."""
        if self.type == "string":
            return self.raw.decode("utf-8", "backslashreplace")
        try:
            numbers = struct.unpack("<" + _NUMBERS[self.type], self.raw)
        except (KeyError, struct.error):
            return None
        return numbers[0] if len(numbers) == 1 else numbers


def chromaticities_entry(primaries: tuple[float, ...]) -> Attribute:
    """The header entry of x and y of red, green, blue and white."""
    return Attribute("chromaticities", struct.pack("<8f", *primaries))


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
    attributes: Mapping[str, Attribute]  # but for the STRUCTURAL ones
    subsampled: frozenset[str] = frozenset()  # channels with fewer pixels than the data window has
    format: str = "OpenEXR"
    stored: str = ""  # of other formats: uint8, uint16 .. as the file has it, while `channels` says how it is decoded
    straight: bool | None = False  # whether the file says that its alpha is not multiplied in; None if it says nothing
    curve: str = ""  # what the file says of its transfer curve
    table: int = 0  # where the places of its chunks stand in an OpenEXR file
    chunks: int = 0  # how many of them
    in_parts: bool = False  # whether its chunks begin with the number of their part
    tile: tuple[int, int] | None = None  # width and height of its tiles

    def says(self, name: str) -> Any:
        """The value of an attribute; None without one."""
        return self.attributes[name].value if name in self.attributes else None

    def lossy_for(self, names: Iterable[str]) -> str:
        """The compression that may have changed values of any of these channels; empty if there is none."""
        if format_of_title(self.format).lossy:
            return self.compression or self.format
        compression = EXR_COMPRESSIONS.get(self.compression)
        asked = (name for name in names if name in self.channels)
        changed = compression is not None and any(compression.loses(self.channels[name], name) for name in asked)
        return self.compression if changed else ""

    def layer_names(self) -> dict[str, str]:
        """Channel names as they count across the file: a later part with bare R, G, B lends them its part name, but for
        one that is called after the whole picture."""
        if self.index == 0 or not self.name or self.name.lower() in WHOLE_PICTURE:
            return {name: name for name in self.channels}
        lent = {}
        for name in self.channels:
            layer, component = split_name(name)
            bare = layer == "" and short(component) in ("R", "G", "B", "A", "X", "Y", "V")
            lent[f"{self.name}.{component}" if bare else name] = name
        return lent


class Kept:
    """Headers read before, by path, time, size and place on disk; the longest unused go first."""

    def __init__(self) -> None:
        self._parts: OrderedDict[tuple, tuple[Part, ...]] = OrderedDict()
        self._lock = Lock()

    def get(self, key: tuple) -> tuple[Part, ...] | None:
        with self._lock:
            if key in self._parts:
                self._parts.move_to_end(key)
            return self._parts.get(key)

    def put(self, key: tuple, parts: tuple[Part, ...]) -> None:
        with self._lock:
            self._parts[key] = parts
            while len(self._parts) > _KEPT_FILES:
                self._parts.popitem(last=False)


_kept = Kept()


def open_regular(path: Path) -> BinaryIO:
    """Open a file for reading, and nothing that only looks like one. Raises UnreadableFile, at once: a pipe cannot
    block."""
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise UnreadableFile(f"Cannot be read: {reason}.", where=str(path)) from error
    kind = os.fstat(descriptor).st_mode
    if stat.S_ISREG(kind):
        return os.fdopen(descriptor, "rb")
    os.close(descriptor)
    if stat.S_ISDIR(kind):
        raise UnreadableFile("This is a folder.", where=str(path), advice="Name the files in it.")
    raise UnreadableFile("This is not a regular file.", where=str(path), advice="Put the picture itself there.")


def read_parts(path: Path) -> list[Part]:
    """Read the headers of all parts; no pixel is decoded. A header that was read before is not read again while the
    file stays as it was. Raises UnreadableFile or TooLarge."""
    with open_regular(path) as file:
        status = os.fstat(file.fileno())
        key = os.fsencode(path), status.st_mtime_ns, status.st_size, status.st_ino
        parts = _kept.get(key)
        if parts is None:
            header = _Header(file, str(path))
            parts = tuple(header.parts())
            parts = header.with_tables(parts)
            if header.length < _KEPT_BYTES:
                _kept.put(key, parts)
        return list(parts)


class _Header:
    """One reading of a file's header, from its first byte on."""

    def __init__(self, file: BinaryIO, where: str) -> None:
        self._file = file
        self._where = where
        self.length = 0
        self._chunks: list[int] = []  # of each part
        self._in_parts = False

    def parts(self) -> Iterator[Part]:
        """Raises UnreadableFile or TooLarge, naming the limit."""
        magic = self._file.read(len(MAGIC))
        if magic != MAGIC:
            what = "This is not an OpenEXR file." if magic else "The file is empty."
            raise UnreadableFile(what, where=self._where, advice="Render or copy it again.")
        flags = struct.unpack("<I", self._take(4))[0]
        self._in_parts = bool(flags & _MULTIPART)
        if flags & 0xFF != 2:
            raise self._damaged(f"version {flags & 0xFF} of the format is not known")
        index = channels = 0
        while attributes := self._attributes():
            part = self._part(index, attributes, flags)
            index, channels = index + 1, channels + len(part.channels)
            self._bound(channels, CHANNEL_LIMIT, "channels")
            self._bound(index, PART_LIMIT, "parts")
            yield part
            if not flags & _MULTIPART:
                return
        if not index:
            raise self._damaged("it has no part")

    def with_tables(self, parts: tuple[Part, ...]) -> tuple[Part, ...]:
        """Once all were read: the tables of their chunks follow, one after the other."""
        at = len(MAGIC) + self.length
        placed = []
        for part, chunks in zip(parts, self._chunks, strict=True):
            placed.append(replace(part, table=at, chunks=chunks, in_parts=self._in_parts))
            at += 8 * chunks
        return tuple(placed)

    def _attributes(self) -> dict[str, Attribute]:
        found: dict[str, Attribute] = {}
        while name := self._name():
            kind = self._name()
            size = struct.unpack("<i", self._take(4))[0]
            if size < 0:
                raise self._damaged(f"{name} has {size} bytes")
            found[name] = Attribute(kind, self._take(size))
            self._bound(len(found), ATTRIBUTE_LIMIT, "attributes in one part")
        return found

    def _part(self, index: int, attributes: Mapping[str, Attribute], flags: int) -> Part:
        kind = attributes["type"].value if "type" in attributes else None
        deep = kind in ("deepscanline", "deeptile") if kind else bool(flags & _DEEP)
        data = self._window(attributes, "dataWindow", DEEP_PIXEL_LIMIT if deep else PIXEL_LIMIT)
        channels, subsampled = self._channels(attributes)
        compression = self._needed(attributes, "compression", "compression").raw[:1] or b"\xff"
        if compression[0] not in _COMPRESSIONS:
            raise self._damaged(f"compression {compression[0]} is not known")
        tile = self._tile(attributes, data)
        tiles = -(-data.width // tile[0]) * -(-data.height // tile[1]) if tile else data.height
        chunks = attributes["chunkCount"].value if "chunkCount" in attributes else tiles
        self._chunks.append(chunks if isinstance(chunks, int) and chunks > 0 else 0)
        aspect = self._needed(attributes, "pixelAspectRatio", "float").value
        if not aspect or not 1e-3 < aspect < 1e3:
            raise self._damaged(f"a pixel aspect of {aspect} cannot be")
        return Part(
            index=index,
            name=str(attributes["name"].value or "") if "name" in attributes else "",
            channels=MappingProxyType(channels),
            data_window=data,
            display_window=self._window(attributes, "displayWindow", PIXEL_LIMIT),
            compression=_COMPRESSIONS[compression[0]],
            deep=deep,
            tiled=kind in ("tiledimage", "deeptile") if kind else bool(flags & _TILED),
            pixel_aspect=aspect,
            attributes=MappingProxyType(
                {name: attribute for name, attribute in attributes.items() if name not in STRUCTURAL}
            ),
            subsampled=frozenset(subsampled),
            tile=tile,
        )

    def _tile(self, attributes: Mapping[str, Attribute], data: Window) -> tuple[int, int] | None:
        """The size of its tiles, not larger than the picture; None of scan lines."""
        if "tiles" not in attributes or len(attributes["tiles"].raw) < 8:
            return None
        wide, high = struct.unpack("<II", attributes["tiles"].raw[:8])
        if not (wide and high):
            raise self._damaged(f"tiles of {wide} x {high} pixels cannot be")
        return min(wide, FARTHEST), min(high, FARTHEST)

    def _window(self, attributes: Mapping[str, Attribute], name: str, limit: int) -> Window:
        corners = self._needed(attributes, name, "box2i").value
        if corners is None or any(abs(corner) > FARTHEST for corner in corners):
            raise self._damaged(f"its {name} is too far out")
        try:
            window = Window(*corners)
        except SizeMismatch:
            raise self._damaged(f"its {name} has no pixels") from None
        if window.width * window.height > limit:
            raise TooLarge(
                f"The header declares {window.width} x {window.height} pixels as {name}; {limit:,} are the most.",
                where=self._where,
            )
        return window

    def _channels(self, attributes: Mapping[str, Attribute]) -> tuple[dict[str, str], set[str]]:
        """Names with types, in the order of the file, and those that are subsampled."""
        raw = self._needed(attributes, "channels", "chlist").raw
        channels: dict[str, str] = {}
        subsampled = set()
        at = 0
        while at < len(raw) and raw[at]:
            end = raw.find(b"\0", at)
            if end < 0 or end + 17 > len(raw):
                raise self._damaged("its list of channels is cut short")
            name = self._text(raw[at:end])
            kind, across, down = struct.unpack_from("<i4xii", raw, end + 1)  # between: linear or not, and padding
            at = end + 17
            if not 0 <= kind < len(_TYPES):
                raise self._damaged(f"channel {name} is of no known type")
            if name in channels:
                raise self._damaged(f"channel {name} is there twice")
            channels[name] = _TYPES[kind]
            if (across, down) != (1, 1):
                subsampled.add(name)
            self._bound(len(channels), CHANNEL_LIMIT, "channels")
        if not channels:
            raise self._damaged("it has no channels")
        return channels, subsampled

    def _needed(self, attributes: Mapping[str, Attribute], name: str, kind: str) -> Attribute:
        attribute = attributes.get(name)
        if attribute is None or attribute.type != kind:
            raise self._damaged(f"it has no {name}")
        return attribute

    def _name(self) -> str:
        taken = bytearray()
        while byte := self._take(1)[0]:
            taken.append(byte)
            if len(taken) > 255:
                raise self._damaged("a name is longer than 255 bytes")
        return self._text(bytes(taken))

    def _text(self, raw: bytes) -> str:
        try:
            return raw.decode("utf-8")
        except UnicodeDecodeError:
            raise self._damaged(f"the name {raw.decode('utf-8', 'backslashreplace')} is not UTF-8") from None

    def _take(self, count: int) -> bytes:
        self.length += count
        if self.length > HEADER_LIMIT:
            raise TooLarge(f"The header is longer than {HEADER_LIMIT >> 20} MB.", where=self._where)
        taken = self._file.read(count)
        if len(taken) < count:
            raise self._damaged("it is cut short")
        return taken

    def _bound(self, count: int, limit: int, what: str) -> None:
        if count > limit:
            raise TooLarge(f"The header declares more than {limit} {what}.", where=self._where)

    def _damaged(self, reason: str) -> UnreadableFile:
        return UnreadableFile(
            f"The header is damaged: {reason}.", where=self._where, advice="Render or copy this file again."
        )
