"""A fingerprint of pixels: the same for the same planes under the same names."""

from __future__ import annotations

from collections.abc import Mapping
from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray


def digest_of(planes: Mapping[str, NDArray]) -> str:
    """24 hex digits of planes (H, W) of any type by their names, as they are stored."""
    digest = blake2b(digest_size=12)
    for name in sorted(planes):
        digest.update(name.encode())
        digest.update(np.ascontiguousarray(planes[name]).data)
    return digest.hexdigest()
