"""OpenEXR files of scan lines, without compression or with ZIP or ZIPS. Source: OpenEXR, file layout."""

import struct
import zlib

import numpy as np

_TYPES = {0: "<u4", 1: "<f2", 2: "<f4"}
_LINES = {0: 1, 2: 1, 3: 16}  # of a block, by compression


def read(path):
    """{channel: (H, W)} and the header's entries as bytes."""
    with open(path, "rb") as file:
        data = file.read()
    if data[:4] != b"\x76\x2f\x31\x01" or struct.unpack_from("<I", data, 4)[0] & 0x1A00:
        raise ValueError(f"{path} is no OpenEXR file of one part in scan lines")
    header, at = _header(data, 8)
    compression = header["compression"][0]
    if compression not in _LINES:
        raise ValueError(f"{path} has a compression that is not read here")
    channels = _channels(header["channels"])
    x0, y0, x1, y1 = struct.unpack("<4i", header["dataWindow"])
    width, height = x1 - x0 + 1, y1 - y0 + 1
    planes = {name: np.zeros((height, width), kind) for name, kind in channels}
    blocks = -(-height // _LINES[compression])
    for offset in struct.unpack_from(f"<{blocks}Q", data, at):
        line, size = struct.unpack_from("<iI", data, offset)
        rows = min(_LINES[compression], y1 - line + 1)
        whole = sum(np.dtype(kind).itemsize for _, kind in channels) * width * rows
        block = _unpacked(data[offset + 8 : offset + 8 + size], whole, compression)
        place = 0
        for row in range(line - y0, line - y0 + rows):
            for name, kind in channels:
                count = np.dtype(kind).itemsize * width
                planes[name][row] = np.frombuffer(block, kind, width, place)
                place += count
    return planes, header


def _header(data, at):
    entries = {}
    while data[at]:
        name, at = _word(data, at)
        _, at = _word(data, at)
        size = struct.unpack_from("<i", data, at)[0]
        entries[name] = data[at + 4 : at + 4 + size]
        at += 4 + size
    return entries, at + 1


def _word(data, at):
    end = data.index(b"\0", at)
    return data[at:end].decode(), end + 1


def _channels(data):
    found, at = [], 0
    while data[at]:
        name, at = _word(data, at)
        found.append((name, _TYPES[struct.unpack_from("<i", data, at)[0]]))
        at += 16
    return found


def _unpacked(block, whole, compression):
    if compression == 0 or len(block) == whole:
        return block
    coded = np.frombuffer(zlib.decompress(block), np.uint8)
    steps = np.cumsum(coded.astype(np.int64) - 128 * (np.arange(len(coded)) > 0)) % 256
    halves, half = np.empty(whole, np.uint8), (whole + 1) // 2
    halves[0::2], halves[1::2] = steps[:half], steps[half:]
    return halves.tobytes()
