"""Files as nobody should send them: sound ones hurt in seeded ways, and odd ones put together by hand.

Source of the layout: OpenEXR file layout.
"""

from __future__ import annotations

import os
import struct
import zlib
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from prism.formats.deep import write_deep
from prism.formats.exr import write_exr, write_parts
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.tests.frames import passes

EXTREMES = (0, 1, -1, 7, 255, 256, 65_535, 1 << 20, (1 << 31) - 1, -(1 << 31))
RAW_ATTRIBUTES = {
    "box2i": struct.pack("<4i", 1, 2, 3, 4),
    "box2f": struct.pack("<4f", 1, 2, 3, 4.1),
    "double": struct.pack("<d", 1.1),
    "envmap": b"\1",
    "keycode": struct.pack("<7i", 1, 2, 3, 4, 5, 6, 64),
    "m33f": struct.pack("<9f", *range(9)),
    "m44d": struct.pack("<16d", *range(16)),
    "rational": struct.pack("<iI", 24000, 1001),
    "stringvector": struct.pack("<i2si3s", 2, b"ab", 3, b"cde"),
    "timecode": struct.pack("<II", 0x01020304, 5),
    "v2f": struct.pack("<2f", 1, 2.1),
    "v3i": struct.pack("<3i", 1, 2, 3),
    "floatvector": struct.pack("<3f", 1, 2, 3),
    "preview": struct.pack("<II", 1, 2) + bytes(8),
    "string": b"caf\xe9",  # not UTF-8
    "from.elsewhere": b"whatever",
}
"""One entry of each type that a header may have, as bytes."""


def attribute(name: str, kind: str, raw: bytes) -> bytes:
    return name.encode() + b"\0" + kind.encode() + b"\0" + struct.pack("<i", len(raw)) + raw


def channel_list(names: list[bytes]) -> bytes:
    """Float channels."""
    return b"".join(name + b"\0" + struct.pack("<iiii", 2, 0, 1, 1) for name in names) + b"\0"


def header(
    *, more: bytes = b"", channels: bytes = channel_list([b"R"]), data=(0, 0, 0, 0), display=(0, 0, 0, 0), compression=0
) -> bytes:
    """The attributes of one part, with the zero that ends them."""
    return (
        attribute("channels", "chlist", channels)
        + attribute("compression", "compression", bytes([compression]))
        + attribute("dataWindow", "box2i", struct.pack("<4i", *data))
        + attribute("displayWindow", "box2i", struct.pack("<4i", *display))
        + attribute("lineOrder", "lineOrder", b"\0")
        + attribute("pixelAspectRatio", "float", struct.pack("<f", 1))
        + attribute("screenWindowCenter", "v2f", bytes(8))
        + attribute("screenWindowWidth", "float", struct.pack("<f", 1))
        + more
        + b"\0"
    )


def one_pixel(**entries) -> bytes:
    """A sound file of one pixel of R with 0.5, with further entries in its header."""
    head = struct.pack("<II", 20000630, 2) + header(**entries)
    return head + struct.pack("<Qiif", len(head) + 8, 0, 4, 0.5)


def odd_files(folder: Path) -> dict[str, Path]:
    """The worst that was ever met, by what is wrong with it. All of it must be refused."""
    wide = (0, 0, 19_999, 19_999)
    named = attribute("name", "string", b"x") + attribute("type", "string", b"scanlineimage")
    deep = attribute("type", "string", b"deepscanline") + attribute("version", "int", struct.pack("<i", 1))
    contents = {
        "attributes": one_pixel(more=b"".join(attribute(f"a{n}", "int", bytes(4)) for n in range(50_000))),
        "parts": struct.pack("<II", 20000630, 0x1002) + header(more=named) * 10_000 + b"\0",
        "channels": one_pixel(channels=channel_list([b"c%d" % n for n in range(70_000)])),
        "display": one_pixel(display=wide),
        "bomb": _bomb(),
        "deep": struct.pack("<II", 20000630, 0x802) + header(more=deep, data=(0, 0, 16_383, 16_383)) + bytes(64),
        "name": one_pixel(channels=channel_list([b"caf\xe9"])),
        "twice": one_pixel(channels=channel_list([b"R", b"R"])),
        "endless": one_pixel(more=b"x" * 100_000),
        "huge entry": one_pixel(more=b"a\0string\0" + struct.pack("<i", 2**31 - 1)),
        "aspect": one_pixel().replace(struct.pack("<f", 1), struct.pack("<f", float("nan")), 1),
        **{f"tiles of {side}": _tiled(side) for side in (0, 1, 2**31 - 1)},
        "tile elsewhere": _tiled(16, of=(0, 0, 31, 31), at=(7, 7)),
        "samples": _deep(counts=2**31 - 1),
        "packed samples": _deep(counts=1, size=2**40),
        "nothing": b"",
        "text": b"RGBA",
    }
    paths = {}
    for name, content in contents.items():
        paths[name] = folder / f"{name}.1001.exr"
        paths[name].write_bytes(content)
    paths["pipe"] = folder / "pipe.1001.exr"
    os.mkfifo(paths["pipe"])
    paths["loop"] = folder / "loop.1001.exr"
    paths["loop"].symlink_to(paths["loop"])
    paths["folder"] = folder / "folder.1001.exr"
    paths["folder"].mkdir()
    return paths | lying_stills(folder)


def lying_stills(folder: Path) -> dict[str, Path]:
    """Small pictures whose headers say that they are huge, by format."""
    paths = {}
    for suffix in ("png", "jpg", "tif", "webp", "tga", "bmp", "hdr", "pnm"):
        path = paths[suffix] = folder / f"huge.1001.{suffix}"
        output = oiio.ImageOutput.create(str(path))
        output.open(str(path), oiio.ImageSpec(20, 24, 3, oiio.FLOAT if suffix == "hdr" else oiio.UINT8))
        output.write_image(np.zeros((24, 20, 3), np.float32))
        output.close()
        path.write_bytes(_huge(suffix, path.read_bytes()))
    return paths


def _huge(suffix: str, sound: bytes) -> bytes:
    """The same picture, said to be at least 16,000 pixels wide and high."""
    if suffix == "png":
        return _large_png()
    if suffix == "webp":  # lossy or lossless, each with 14 bits a side
        lossless = sound.find(b"VP8L")
        place = lossless + 9 if lossless > 0 else sound.find(b"\x9d\x01\x2a") + 3
        sides = struct.pack("<I", (1 << 28) - 1) if lossless > 0 else struct.pack("<HH", 16_383, 16_383)
        return sound[:place] + sides + sound[place + 4 :]
    if suffix == "tif":
        for tag in (256, 257):
            entry = next(
                at for kind in (3, 4) if (at := sound.find(struct.pack("<HHI", tag, kind, 1))) > 0
            )  # a short or a long
            sound = sound[: entry + 2] + struct.pack("<HII", 4, 1, 60_000) + sound[entry + 12 :]
        return sound
    if suffix in ("hdr", "pnm"):
        return sound.replace(b"-Y 24 +X 20", b"-Y 60000 +X 60000").replace(b"20 24", b"60000 60000")
    place, sides = {
        "jpg": (sound.find(b"\xff\xc0") + 5, struct.pack(">HH", 65_500, 65_500)),
        "tga": (12, struct.pack("<HH", 65_535, 65_535)),
        "bmp": (18, struct.pack("<ii", 60_000, 60_000)),
    }[suffix]
    return sound[:place] + sides + sound[place + len(sides) :]


def _tiled(side: int, *, of=(0, 0, 16_383, 8_191), at=(0, 0)) -> bytes:
    """One sound tile of a file in tiles of so many pixels, said to be another."""
    tiles = attribute("tiles", "tiledesc", struct.pack("<IIB", side & 0xFFFFFFFF, side & 0xFFFFFFFF, 0))
    head = struct.pack("<II", 20000630, 0x202) + header(more=tiles, data=of, display=of)
    wide = -(-(of[2] + 1) // side) if side > 1 else 1
    body = struct.pack("<5i", *at, 0, 0, 4 * 256) + bytes(4 * 256)
    return head + struct.pack("<Q", len(head) + 8 * wide * wide) * (wide * wide) + body


def _deep(*, counts: int, size: int = 4) -> bytes:
    """One pixel that is said to have so many samples, in so many bytes."""
    more = attribute("type", "string", b"deepscanline") + attribute("version", "int", struct.pack("<i", 1))
    more += attribute("chunkCount", "int", struct.pack("<i", 1)) + attribute("name", "string", b"deep")
    more += attribute("maxSamplesPerPixel", "int", struct.pack("<i", -1))
    head = struct.pack("<II", 20000630, 0x802) + header(more=more)
    chunk = struct.pack("<iQQQ", 0, 4, size, size) + struct.pack("<i", counts) + bytes(4)
    return head + struct.pack("<Q", len(head) + 8) + chunk


def _bomb() -> bytes:
    """16,384 x 16,384 zeros in 2 MB."""
    side, rows = 16_384, 16
    block = zlib.compress(bytes(side * 4 * rows), 9)
    last = (0, 0, side - 1, side - 1)
    head = struct.pack("<II", 20000630, 2) + header(data=last, display=last, compression=3)
    first = len(head) + 8 * (side // rows)
    offsets = struct.pack(f"<{side // rows}Q", *(first + n * (8 + len(block)) for n in range(side // rows)))
    return head + offsets + b"".join(struct.pack("<ii", n * rows, len(block)) + block for n in range(side // rows))


def _large_png() -> bytes:
    """20,000 x 20,000, of which nothing is there."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    size = struct.pack(">IIBBBBB", 20_000, 20_000, 8, 6, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", size) + chunk(b"IDAT", zlib.compress(bytes(1000))) + chunk(b"IEND", b"")
    )


def sound_files(folder: Path) -> list[Path]:
    """Small files of every packing, to be hurt."""
    rng = np.random.default_rng(4)
    planes = passes(rng, 24, 20, np.float16)
    paths = []
    for compression in ("none", "rle", "zip", "piz", "b44", "dwaa", "htj2k32", "zstd"):
        paths.append(folder / f"{compression}.1001.exr")
        write_exr(
            paths[-1], Image.of_planes(planes, owner="me", capDate="2026:01:01 00:00:00"), compression=compression
        )
    paths.append(folder / "parts.1001.exr")
    halves = [("beauty", {name: planes[name] for name in "RGBA"}), ("depth", {"Z": planes["Z"]})]
    write_parts(paths[-1], [(name, Image.of_planes(held)) for name, held in halves])
    counts = rng.integers(0, 4, (24, 20)).astype(np.int32)
    window = Window.of_size(20, 24)
    paths.append(folder / "deep.1001.exr")
    samples = rng.random((int(counts.sum()), 5)).astype(np.float32)
    runs = dict(zip("ABGRZ", samples.T, strict=True))
    write_deep(paths[-1], counts, runs, data_window=window, display_window=window)
    for suffix, tile in (("exr", 16), ("png", 0), ("tif", 0), ("tga", 0), ("jpg", 0)):
        spec = oiio.ImageSpec(20, 24, 3, oiio.HALF if tile else oiio.UINT8)
        spec.tile_width = spec.tile_height = tile
        paths.append(folder / f"{'tiled' if tile else 'still'}.1001.{suffix}")
        output = oiio.ImageOutput.create(str(paths[-1]))
        output.open(str(paths[-1]), spec)
        output.write_image(rng.random((24, 20, 3)).astype(np.float32))
        output.close()
    return paths


def hurt(content: bytes, rng: np.random.Generator) -> bytes:
    """The content with one or two wounds, more of them near its head, where it says what it is."""
    hurt = bytearray(content)
    for _ in range(rng.integers(1, 3)):
        reach = min(len(hurt), 400) if rng.random() < 0.5 else len(hurt)
        at = int(rng.integers(0, max(1, reach)))
        match rng.integers(0, 7):
            case 0:
                del hurt[at:]
            case 1:
                hurt[at : at + 1] = rng.integers(0, 256, 1, np.uint8).tobytes()
            case 2:
                hurt[at : at + 4] = struct.pack("<i", EXTREMES[rng.integers(len(EXTREMES))])
            case 3:
                del hurt[at : at + int(rng.integers(1, 40))]
            case 4:
                hurt[at:at] = hurt[max(0, at - 30) : at]
            case 5:
                hurt[at : at + 16] = rng.integers(0, 256, 16, np.uint8).tobytes()
            case 6:
                hurt[at : at + 8] = bytes(8)
    return bytes(hurt)


def damaged_files(folder: Path, count: int, seed: int = 1) -> Iterator[Path]:
    """One after another under one name for each suffix, so that nothing remembers the one before."""
    rng = np.random.default_rng(seed)
    sound = [(path.suffix, path.read_bytes()) for path in sound_files(folder)]
    for number in range(count):
        suffix, content = sound[number % len(sound)]
        path = folder / f"hurt{number}.1001{suffix}"
        path.write_bytes(hurt(content, rng))
        yield path
        path.unlink()
