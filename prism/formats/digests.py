"""Checksums of files."""

import hashlib
from pathlib import Path

_PIECE = 1 << 20  # bytes read at once


def sha256_of(path: Path) -> str:
    """Hex digits of a file's SHA-256 (FIPS 180-4)."""
    digest = hashlib.sha256()
    with open(path, "rb") as file:
        while piece := file.read(_PIECE):
            digest.update(piece)
    return digest.hexdigest()
