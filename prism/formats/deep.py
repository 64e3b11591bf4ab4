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


def write_deep(
    path: Path,
    counts: NDArray[np.int32],
    runs: Mapping[str, NDArray],
    *,
    data_window: Window,
    display_window: Window,
    compression: str = "zips",
    attributes: Mapping[str, Any] | None = None,
) -> None:
    """Write samples, whole or not at all.

    counts: (H, W), samples of each pixel. runs: by channel (N,), half, float or uint, row by row, near to far; N =
    counts.sum(). Raises UnwritableFile, also for a compression that deep files cannot have.
    """
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
            _fill(temporary, counts, ordered, data_window, compression)
        except (RuntimeError, ValueError, TypeError) as error:
            raise UnwritableFile(
                f"OpenEXR refused: {error}.", where=str(path), advice="Check space and names."
            ) from error


def _stored(run: NDArray) -> NDArray:
    """As a file can hold it: half, float or uint."""
    return np.ascontiguousarray(run if run.dtype in (np.float16, np.uint32) else run.astype(np.float32, copy=False))


def _one_each(types: Mapping[str, np.dtype]) -> dict[str, NDArray]:
    """One pixel with one sample: a file of that has the header of any, but for its window."""
    planes = {}
    for name, dtype in types.items():
        planes[name] = np.empty((1, 1), object)
        planes[name][0, 0] = np.zeros(1, dtype)
    return planes


def _fill(path: Path, counts: NDArray[np.int32], runs: Sequence[NDArray], window: Window, compression: str) -> None:
    """Put these samples in place of the one that a file has. The library wrote its header; its chunks are ours."""
    (part,) = read_parts(path)
    chunks = deep_lines.lines_of(counts, runs, window.y0, compression)
    first = part.table + 8 * len(chunks)
    places = first + np.concatenate([[0], np.cumsum([len(chunk) for chunk in chunks[:-1]], dtype=np.uint64)])
    header = path.read_bytes()[: part.table]
    header = _with_entry(header, b"dataWindow\0box2i\0", struct.pack("<4i", window.x0, window.y0, window.x1, window.y1))
    header = _with_entry(header, b"chunkCount\0int\0", struct.pack("<i", len(chunks)))
    with open(path, "wb") as file:
        file.write(header)
        file.write(places.astype("<u8").tobytes())
        file.writelines(chunks)
    if read_parts(path)[0].data_window != window:  # an entry of another name may hold just these bytes
        raise ValueError("its header could not be completed")


def _with_entry(header: bytes, entry: bytes, value: bytes) -> bytes:
    """A header with another value, of the same length, for an entry that it has."""
    at = header.index(entry) + len(entry) + 4  # after its size
    return header[:at] + value + header[at + len(value) :]
