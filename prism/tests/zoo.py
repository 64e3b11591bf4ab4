"""Files of many kinds with known pixels, written by the libraries or by hand from the standards."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from PIL import Image as Pillow


def disc(height: int = 40, width: int = 48) -> tuple[np.ndarray, np.ndarray]:
    """A shaded disc with a soft edge: colour (3, H, W) as it is inside, and alpha (H, W)."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    radius = np.hypot(x - width / 2, y - height / 2)
    alpha = np.clip((height / 3 - radius) / 3 + 0.5, 0, 1)
    colour = np.stack([0.8 + 0.1 * np.sin(x / 9), 0.5 + 0.1 * np.cos(y / 7), 0.3 + 0 * x])
    return colour, alpha


def still(path: Path, pixels: np.ndarray, *, straight: bool = False, kind: str = "uint8") -> Path:
    """(H, W, C) values of 0..1 written as they are, without division by alpha."""
    height, width, count = pixels.shape
    spec = oiio.ImageSpec(width, height, count, kind)
    if straight:
        spec.attribute("oiio:UnassociatedAlpha", 1)
    target = oiio.ImageOutput.create(str(path))
    target.open(str(path), spec)
    target.write_image(np.ascontiguousarray(pixels, np.float32))
    target.close()
    return path


def palette(path: Path, size: tuple[int, int] = (8, 6)) -> Path:
    """A GIF of one colour."""
    Pillow.new("RGB", size, (255, 0, 0)).convert("P").save(path)
    return path


def tiled(path: Path, planes: dict[str, np.ndarray], *, mip: bool = False) -> Path:
    """An EXR of R, G and B in tiles of 16, by the image library; mip: with smaller copies of it behind."""
    picture = oiio.ImageBuf(np.ascontiguousarray(np.dstack(list(planes.values())), np.float32))
    if not mip:
        picture.set_write_tiles(16, 16)
        picture.write(str(path))
        return path
    wanted = oiio.ImageSpec()
    wanted.set_format("float")
    wanted.tile_width = wanted.tile_height = 16
    oiio.ImageBufAlgo.make_texture(oiio.MakeTxTexture, picture, str(path), wanted)
    return path


def deep(path: Path) -> Path:
    """Two pixels: one with samples at 30 and 10 in that order, one without any."""
    samples = {
        "R": [0.1, 0.3], "G": [0.2, 0.1], "B": [0.4, 0.0], "A": [0.6, 0.5], "Z": [30, 10],
    }  # fmt: skip
    planes = {}
    for name, values in samples.items():
        pixels = np.empty((1, 2), object)
        pixels[0, 0] = np.float32(values)
        planes[name] = pixels
    header = {"compression": OpenEXR.ZIPS_COMPRESSION, "type": OpenEXR.deepscanline}
    OpenEXR.File(header, planes).write(str(path))
    return path


def luma_chroma(path: Path, luma: np.ndarray, red: np.ndarray, blue: np.ndarray) -> Path:
    """Y with RY and BY at half size, uncompressed, by hand: the bindings write no subsampled channels.

    Source: OpenEXR file layout, scan line files.
    """
    height, width = luma.shape
    box = struct.pack("<4i", 0, 0, width - 1, height - 1)
    channels = b"".join(
        name.encode() + b"\0" + struct.pack("<i4xii", 1, step, step) for name, step in (("BY", 2), ("RY", 2), ("Y", 1))
    )
    entries = (
        ("channels", "chlist", channels + b"\0"),
        ("compression", "compression", b"\0"),
        ("dataWindow", "box2i", box),
        ("displayWindow", "box2i", box),
        ("lineOrder", "lineOrder", b"\0"),
        ("pixelAspectRatio", "float", struct.pack("<f", 1)),
        ("screenWindowCenter", "v2f", bytes(8)),
        ("screenWindowWidth", "float", struct.pack("<f", 1)),
    )
    head = b"\x76\x2f\x31\x01" + struct.pack("<I", 2)
    for name, kind, raw in entries:
        head += name.encode() + b"\0" + kind.encode() + b"\0" + struct.pack("<i", len(raw)) + raw
    head += b"\0"
    rows = []
    for y in range(height):
        chroma = blue[y // 2].tobytes() + red[y // 2].tobytes() if y % 2 == 0 else b""
        data = chroma + luma[y].tobytes()
        rows.append(struct.pack("<ii", y, len(data)) + data)
    at, table = len(head) + 8 * height, b""
    for row in rows:
        table += struct.pack("<Q", at)
        at += len(row)
    path.write_bytes(head + table + b"".join(rows))
    return path
