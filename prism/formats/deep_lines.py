"""Deep scan lines and tiles as they are in an OpenEXR file: without compression, with RLE or ZIPS.

Source: OpenEXR file layout, "Deep scan lines" and "Deep tiles"; bytes are put in another order, and differences taken,
as before its RLE and ZIP compression. All that a file says of itself is checked before it is believed.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, BinaryIO

import deflate
import numpy as np
from numpy.typing import NDArray

from prism.errors import TooLarge, UnreadableFile

MOST_BYTES = 4 << 30  # of all samples of a part
LEVEL = 4  # of deflate, as the library has it
MOST_TIMES = 1100  # that deflate makes anything shorter: 258 bytes by two bits at most
SHORTEST_RUN, LONGEST_RUN = 3, 127
_HEAD = struct.Struct(
    "<iQQQ"
)  # row, bytes of the table and of the samples as they lie there, bytes of the samples unpacked
_TILE_HEAD = struct.Struct("<iiiiQQQ")  # tile across and down, level across and down, and the same
_DTYPES: Mapping[str, np.dtype] = {"half": np.dtype("<f2"), "float": np.dtype("<f4"), "uint": np.dtype("<u4")}


@dataclass(frozen=True, slots=True)
class _Block:
    """A scan line or a tile: its pixels, and where its samples are. packed, unpacked: their bytes in the file and as
    they are."""

    rows: slice
    columns: slice
    at: int
    packed: int
    unpacked: int


def read_blocks(source: BinaryIO, request: Mapping[str, Any]) -> tuple[NDArray[np.int32], dict[str, NDArray]]:
    """Counts (H, W) and the samples (N,) of every channel of a part, row by row.

    request: shape, top (first row), table (where the places of the chunks stand in the file), chunks (how many),
    in_parts, compression, tile (width and height; None of scan lines), and channels (name to pixel type, in the order
    of the file). Raises UnreadableFile or TooLarge.
    """
    height, width = request["shape"]
    types = {name: _DTYPES[kind] for name, kind in request["channels"].items()}
    each = sum(dtype.itemsize for dtype in types.values())
    file = _File(source)
    counts = np.zeros((height, width), np.int32)
    blocks = list(_blocks(file, request, counts, each))
    total = int(counts.sum(dtype=np.int64))
    if total * each > MOST_BYTES:
        raise TooLarge(f"Its {total:,} samples are too many to decode at once.")
    ends = np.cumsum(counts, dtype=np.int64).reshape(counts.shape)
    runs = {name: np.empty(total, dtype) for name, dtype in types.items()}
    for block in blocks:
        raw = _unpacked(file.take(block.at, block.packed), block.unpacked, request["compression"])
        offset = 0
        for row in range(block.rows.start, block.rows.stop):
            count = int(counts[row, block.columns].sum())
            end = int(ends[row, block.columns.stop - 1])
            for name, dtype in types.items():
                runs[name][end - count : end] = np.frombuffer(raw, dtype, count, offset)
                offset += count * dtype.itemsize
    return counts, runs


def _blocks(
    file: _File, request: Mapping[str, Any], counts: NDArray[np.int32], each: int
) -> Iterator[_Block]:  # fmt: skip
    """Every block of the full-size picture, once its table was read into counts. Raises UnreadableFile unless they
    cover it."""
    height, width = counts.shape
    head = _HEAD if request["tile"] is None else _TILE_HEAD
    lead = 4 if request["in_parts"] else 0
    covered = np.zeros(counts.shape, bool)
    for place in np.frombuffer(file.take(request["table"], 8 * request["chunks"]), "<u8").tolist():
        *where, table_size, packed, unpacked = head.unpack(file.take(place + lead, head.size))
        box = _box_of(where, request, height, width)
        if box is None:
            continue
        rows, columns = box
        if covered[rows, columns].any():
            raise _damaged(f"a block at row {rows.start} is there twice")
        covered[rows, columns] = True
        at = place + lead + head.size
        own = counts[rows, columns]
        stored = file.take(at, table_size)
        if request["compression"] == "none" and request["tile"] is not None:
            stored = stored[: 4 * own.size]  # the library leaves room for a whole tile at the edges, too
        table = _unpacked(stored, 4 * own.size, request["compression"])
        ends = np.frombuffer(table, "<i4").reshape(own.shape)
        own[...] = np.diff(ends, axis=1, prepend=np.int32(0))
        if (own < 0).any() or int(own.sum(dtype=np.int64)) * each != unpacked:
            raise _damaged(f"the numbers of samples at row {rows.start} do not agree")
        yield _Block(rows, columns, at + table_size, packed, unpacked)
    if not covered.all():
        raise _damaged("some of its pixels are nowhere")


def _box_of(
    where: Sequence[int], request: Mapping[str, Any], height: int, width: int
) -> tuple[slice, slice] | None:  # fmt: skip
    """Rows and columns of a block; None of a tile of a smaller size of the picture."""
    if request["tile"] is None:
        row = where[0] - request["top"]
        if not 0 <= row < height:
            raise _damaged(f"row {where[0]} is none of its own")
        return slice(row, row + 1), slice(0, width)
    across, down, *level = where
    if any(level):
        return None
    wide, high = request["tile"]
    if not (0 <= across * wide < width and 0 <= down * high < height):
        raise _damaged(f"tile {across}, {down} is none of its own")
    return slice(down * high, min(height, (down + 1) * high)), slice(across * wide, min(width, (across + 1) * wide))


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


def tiles_of(
    counts: NDArray[np.int32], runs: Sequence[NDArray], tile: tuple[int, int], compression: str
) -> list[bytes]:  # fmt: skip
    """The chunk of every tile, row by row of them; tile: width and height. The rest as of `lines_of`."""
    ends = np.cumsum(counts, dtype=np.int64).reshape(counts.shape)
    wide, high = tile
    chunks = []
    for top in range(0, counts.shape[0], high):
        for left in range(0, counts.shape[1], wide):
            own, until = counts[top : top + high, left : left + wide], ends[top : top + high, left : left + wide][:, -1]
            spans = [
                slice(end - count, end) for end, count in zip(until.tolist(), own.sum(axis=1).tolist(), strict=True)
            ]
            samples = b"".join(run[span].tobytes() for span in spans for run in runs)
            table = _packed(np.cumsum(own, axis=1, dtype="<i4").tobytes(), compression)
            packed = _packed(samples, compression)
            head = _TILE_HEAD.pack(left // wide, top // high, 0, 0, len(table), len(packed), len(samples))
            chunks.append(head + table + packed)
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
    if compression not in ("rle", "zips") or size > MOST_TIMES * len(stored):
        raise _damaged("a block has another length than it says")
    mixed = _inflated(stored, size) if compression == "zips" else _runs_spelt_out(stored)
    if len(mixed) != size:
        raise _damaged("a block has another length than it says")
    differences = np.frombuffer(mixed, np.uint8).copy()
    differences[1:] += np.uint8(128)  # less 128, in bytes
    values = np.add.accumulate(differences, dtype=np.uint8)
    plain = np.empty(size, np.uint8)
    half = (size + 1) // 2
    plain[0::2], plain[1::2] = values[:half], values[half:]
    return plain.tobytes()


def _inflated(stored: bytes, size: int) -> bytes:
    try:
        return deflate.zlib_decompress(stored, size)
    except (deflate.DeflateError, MemoryError, OverflowError):
        raise _damaged("a block cannot be unpacked") from None


def _runs_spelt_out(stored: bytes) -> bytes:
    """A byte n below 128 and one that is there n + 1 times, or 256 - n and so many that are there once."""
    pieces = []
    at = 0
    while at < len(stored):
        n = stored[at]
        if n < 128:
            pieces.append(stored[at + 1 : at + 2] * (n + 1))
            at += 2
        else:
            pieces.append(stored[at + 1 : at + 257 - n])
            at += 257 - n
    return b"".join(pieces)


def _in_runs(values: NDArray[np.uint8]) -> bytes:
    """The other way round; what is not there three times in a row is spelt out."""
    changes = np.flatnonzero(np.diff(values)) + 1
    begins = np.concatenate([[0], changes])
    lengths = np.diff(np.concatenate([begins, [len(values)]]))
    plain, pieces = values.tobytes(), []
    done = 0  # up to where it was written down
    long = lengths >= SHORTEST_RUN
    for begin, length in zip(begins[long].tolist(), lengths[long].tolist(), strict=True):
        pieces += _spelt_out(plain[done:begin])
        for first in range(0, length, LONGEST_RUN + 1):
            pieces.append(bytes([min(LONGEST_RUN, length - first - 1), plain[begin]]))
        done = begin + length
    return b"".join([*pieces, *_spelt_out(plain[done:])])


def _spelt_out(plain: bytes) -> list[bytes]:
    return [
        bytes([256 - len(plain[at : at + LONGEST_RUN])]) + plain[at : at + LONGEST_RUN]
        for at in range(0, len(plain), LONGEST_RUN)
    ]


def _packed(plain: bytes, compression: str) -> bytes:
    if compression == "none" or not plain:
        return plain
    values = np.frombuffer(plain, np.uint8)
    parted = np.concatenate([values[0::2], values[1::2]])
    differences = np.empty_like(parted)
    differences[0] = parted[0]
    differences[1:] = parted[1:] - parted[:-1] + np.uint8(128)
    packed = (
        _in_runs(differences) if compression == "rle" else bytes(deflate.zlib_compress(differences.tobytes(), LEVEL))
    )
    return packed if len(packed) < len(plain) else plain


def _damaged(what: str) -> UnreadableFile:
    return UnreadableFile(f"Damaged or cut short: {what}.")
