"""Deep scan lines as they lie in an OpenEXR file: without compression or with ZIPS, each line a chunk of its own.

Source: OpenEXR file layout, "Deep scan lines"; the order and differences of bytes before deflate are those of its ZIP
compression. All that a file says of itself is checked before it is believed.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Mapping, Sequence
from typing import Any, BinaryIO

import deflate
import numpy as np
from numpy.typing import NDArray

from prism.errors import TooLarge, UnreadableFile

OURS = frozenset({"none", "zips"})  # compressions that are read and written here
MOST_BYTES = 4 << 30  # of all samples of a part
LEVEL = 4  # of deflate, as the library has it
MOST_TIMES = 1100  # that deflate makes anything shorter: 258 bytes by two bits at most
_HEAD = struct.Struct(
    "<iQQQ"
)  # row, bytes of the table and of the samples as they lie there, bytes of the samples unpacked
_DTYPES: Mapping[str, np.dtype] = {"half": np.dtype("<f2"), "float": np.dtype("<f4"), "uint": np.dtype("<u4")}


def read_lines(source: BinaryIO, request: Mapping[str, Any]) -> tuple[NDArray[np.int32], dict[str, NDArray]]:
    """Counts (H, W) and the samples (N,) of every channel of a part.

    request: shape, top (first row), table (where the places of the chunks stand in the file), in_parts, compression,
    and channels (name to pixel type, in the order of the file). Raises UnreadableFile or TooLarge.
    """
    height, width = request["shape"]
    types = {name: _DTYPES[kind] for name, kind in request["channels"].items()}
    each = sum(dtype.itemsize for dtype in types.values())
    file = _File(source)
    places = np.frombuffer(file.take(request["table"], 8 * height), "<u8")
    counts = np.zeros((height, width), np.int32)
    data: list[tuple[int, int, int]] = [(0, 0, 0)] * height
    seen = np.zeros(height, bool)
    lead = 4 if request["in_parts"] else 0
    for place in places.tolist():
        row, table_size, size, unpacked = _HEAD.unpack(file.take(place + lead, _HEAD.size))
        line = row - request["top"]
        if not 0 <= line < height or seen[line]:
            raise _damaged(f"row {row} is none of its own, or there twice")
        seen[line] = True
        at = place + lead + _HEAD.size
        ends = np.frombuffer(_unpacked(file.take(at, table_size), 4 * width, request["compression"]), "<i4")
        counts[line] = np.diff(ends, prepend=np.int32(0))
        if (counts[line] < 0).any() or int(ends[-1]) * each != unpacked:
            raise _damaged(f"the numbers of samples in row {row} do not agree")
        data[line] = at + table_size, size, unpacked
    total = int(counts.sum(dtype=np.int64))
    if total * each > MOST_BYTES:
        raise TooLarge(f"Its {total:,} samples are too many to decode at once.")
    runs = {name: np.empty(total, dtype) for name, dtype in types.items()}
    begin = 0
    for line, (at, size, unpacked) in enumerate(data):
        count = int(counts[line].sum())
        raw = _unpacked(file.take(at, size), unpacked, request["compression"])
        offset = 0
        for name, dtype in types.items():
            runs[name][begin : begin + count] = np.frombuffer(raw, dtype, count, offset)
            offset += count * dtype.itemsize
        begin += count
    return counts, runs


def lines_of(counts: NDArray[np.int32], runs: Sequence[NDArray], top: int, compression: str) -> list[bytes]:
    """The chunk of every row. counts: (H, W); runs: (N,) each, in the order of the channels in the file."""
    chunks = []
    begin = 0
    for line, row in enumerate(counts):
        ends = np.cumsum(row, dtype="<i4")
        count = int(ends[-1])
        samples = b"".join(run[begin : begin + count].tobytes() for run in runs)
        table, packed = _packed(ends.tobytes(), compression), _packed(samples, compression)
        chunks.append(_HEAD.pack(top + line, len(table), len(packed), len(samples)) + table + packed)
        begin += count
    return chunks


class _File:
    """Bytes of a file that are there."""

    def __init__(self, source: BinaryIO) -> None:
        self._descriptor = source.fileno()
        self._size = os.fstat(self._descriptor).st_size

    def take(self, at: int, size: int) -> bytes:
        """Raises UnreadableFile unless the file has them all."""
        if at < 0 or size < 0 or at + size > self._size:
            raise _damaged("it points beyond its end")
        return os.pread(self._descriptor, size, at)


def _unpacked(stored: bytes, size: int, compression: str) -> bytes:
    """What was packed, if it is so long; what did not get shorter was left as it is."""
    if len(stored) == size:
        return stored
    if size > MOST_TIMES * len(stored):
        raise _damaged("a row has another length than it says")
    if compression != "zips":
        raise _damaged("a row has another length than it says")
    try:
        mixed = deflate.zlib_decompress(stored, size)
    except (deflate.DeflateError, MemoryError, OverflowError):
        raise _damaged("a row cannot be unpacked") from None
    if len(mixed) != size:
        raise _damaged("a row has another length than it says")
    differences = np.frombuffer(mixed, np.uint8).copy()
    differences[1:] += np.uint8(128)  # less 128, in bytes
    values = np.add.accumulate(differences, dtype=np.uint8)
    plain = np.empty(size, np.uint8)
    half = (size + 1) // 2
    plain[0::2], plain[1::2] = values[:half], values[half:]
    return plain.tobytes()


def _packed(plain: bytes, compression: str) -> bytes:
    if compression != "zips" or not plain:
        return plain
    values = np.frombuffer(plain, np.uint8)
    parted = np.concatenate([values[0::2], values[1::2]])
    differences = np.empty_like(parted)
    differences[0] = parted[0]
    differences[1:] = parted[1:] - parted[:-1] + np.uint8(128)
    packed = bytes(deflate.zlib_compress(differences.tobytes(), LEVEL))
    return packed if len(packed) < len(plain) else plain


def _damaged(what: str) -> UnreadableFile:
    return UnreadableFile(f"Damaged or cut short: {what}.")
