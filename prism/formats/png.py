"""How a PNG says its colour: one profile, and the code of sRGB, instead of two words that may differ.

Source: W3C, "Portable Network Graphics (PNG) Specification (Third Edition)", section 11.3.2: cICP stands above iCCP,
and a file should not have both iCCP and sRGB; the code points are those of ITU-T H.273.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from pathlib import Path

SIGNATURE = b"\x89PNG\r\n\x1a\n"
SRGB = bytes((1, 13, 0, 1))  # primaries of BT.709, the curve of sRGB, R G B, full range


def say_srgb(path: Path) -> None:
    """Give a PNG with a profile of sRGB its code, and take the chunk away that says the same once more. In place; a PNG
    without a profile, and any other file, stays as it is."""
    data = path.read_bytes()
    if not data.startswith(SIGNATURE):
        return
    chunks = list(_chunks(data))
    if not any(kind == b"iCCP" for kind, _ in chunks):
        return
    written = [SIGNATURE]
    for kind, whole in chunks:
        if kind == b"iCCP":
            written.append(_chunk(b"cICP", SRGB))  # before the profile and the pixels
        if kind not in (b"sRGB", b"cICP"):
            written.append(whole)
    path.write_bytes(b"".join(written))


def _chunks(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """Type of each chunk, and all its bytes."""
    at = len(SIGNATURE)
    while at + 12 <= len(data):
        end = at + 12 + int.from_bytes(data[at : at + 4], "big")
        yield data[at + 4 : at + 8], data[at:end]
        at = end


def _chunk(kind: bytes, body: bytes) -> bytes:
    return len(body).to_bytes(4, "big") + kind + body + zlib.crc32(kind + body).to_bytes(4, "big")
