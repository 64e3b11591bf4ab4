"""Deep OpenEXR: every pixel with samples of its own."""

from __future__ import annotations

import struct
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from prism.errors import UnwritableFile
from prism.formats import deep_lines
from prism.formats.entries import header_entries
from prism.formats.headers import read_parts
from prism.formats.safe import replacing
from prism.pixels.file_formats import EXR_COMPRESSIONS
from prism.pixels.window import Window

MOST_SIDE = 1 << 16  # of a tile
FIRST_ENTRY = 8  # byte of a file, after its magic number and version
ONE_LEVEL = 0  # of a picture in tiles


def write_deep(
    path: Path,
    counts: NDArray[np.int32],
    runs: Mapping[str, NDArray],
    *,
    data_window: Window,
    display_window: Window,
    compression: str = "zips",
    attributes: Mapping[str, Any] | None = None,
    tile: tuple[int, int] | None = None,
) -> None:
    """Write samples, whole or not at all.

    counts: (H, W), samples of each pixel. runs: by channel (N,), half, float or uint, row by row, near to far; N =
    counts.sum(). tile: width and height of tiles; scan lines without. Raises UnwritableFile, also for a compression
    that deep files cannot have.
    """
    if tile is not None and not all(0 < side <= MOST_SIDE for side in tile):
        raise UnwritableFile(
            f"Tiles of {tile[0]} x {tile[1]} pixels cannot be.", where=str(path), advice="Use 32 x 32."
        )
    known = {name: each.code for name, each in EXR_COMPRESSIONS.items() if each.deep}
    if compression not in known:
        raise UnwritableFile(
            f"Deep files have no {compression} compression.", where=str(path), advice=f"Use {', '.join(known)}."
        )
    names = sorted(runs)  # as channels lie in a file
    ordered = [_stored(runs[name]) for name in names]
    with replacing(Path(path)) as temporary:
        header = {
            **header_entries(attributes or {}),
            "compression": OpenEXR.Compression(known[compression]),
            "type": OpenEXR.deepscanline,
            "dataWindow": data_window.as_box(),
            "displayWindow": display_window.as_box(),
        }
        try:
            types = {name: run.dtype for name, run in zip(names, ordered, strict=True)}
            corner = Window(data_window.x0, data_window.y0, data_window.x0, data_window.y0)
            OpenEXR.File(header | {"dataWindow": corner.as_box()}, _one_each(types)).write(str(temporary))
            _fill(temporary, counts, ordered, data_window, compression, tile)
        except (RuntimeError, ValueError, TypeError) as error:
            raise UnwritableFile(
                f"OpenEXR refused: {error}.", where=str(path), advice="Check space and names."
            ) from error


def _stored(run: NDArray) -> NDArray:
    """The same value as a file can hold it: half, float or uint."""
    return np.ascontiguousarray(run if run.dtype in (np.float16, np.uint32) else run.astype(np.float32, copy=False))


def _one_each(types: Mapping[str, np.dtype]) -> dict[str, NDArray]:
    """One pixel with one sample: a file of that has the header of any, but for its window."""
    planes = {}
    for name, dtype in types.items():
        planes[name] = np.empty((1, 1), object)
        planes[name][0, 0] = np.zeros(1, dtype)
    return planes


def _fill(
    path: Path, counts: NDArray[np.int32], runs: Sequence[NDArray], window: Window, compression: str,
    tile: tuple[int, int] | None,
) -> None:  # fmt: skip
    """Put these samples in place of the one that a file has. The library wrote its header; its chunks are ours."""
    (part,) = read_parts(path)
    header = path.read_bytes()[: part.table]
    if tile is None:
        chunks = deep_lines.lines_of(counts, runs, window.y0, compression)
    else:
        chunks = deep_lines.tiles_of(counts, runs, tile, compression)
        header = _with_entry(header, b"type", b"string", b"deeptile")
        header = _with_entry(header, b"tiles", b"tiledesc", struct.pack("<IIB", *tile, ONE_LEVEL))
    header = _with_entry(
        header, b"dataWindow", b"box2i", struct.pack("<4i", window.x0, window.y0, window.x1, window.y1)
    )
    header = _with_entry(header, b"chunkCount", b"int", struct.pack("<i", len(chunks)))
    first = len(header) + 8 * len(chunks)
    places = first + np.concatenate([[0], np.cumsum([len(chunk) for chunk in chunks[:-1]], dtype=np.uint64)])
    with open(path, "wb") as file:
        file.write(header)
        file.write(places.astype("<u8").tobytes())
        file.writelines(chunks)


def _with_entry(header: bytes, name: bytes, kind: bytes, value: bytes) -> bytes:
    """The header of a file of one part with an entry, in place of the one of that name or behind all others."""
    entry = name + b"\0" + kind + b"\0" + struct.pack("<i", len(value)) + value
    at = FIRST_ENTRY
    while header[at]:
        name_ends = header.index(b"\0", at)
        kind_ends = header.index(b"\0", name_ends + 1)
        (size,) = struct.unpack_from("<i", header, kind_ends + 1)
        after = kind_ends + 5 + size
        if header[at:name_ends] == name:
            return header[:at] + entry + header[after:]
        at = after
    return header[:at] + entry + header[at:]
