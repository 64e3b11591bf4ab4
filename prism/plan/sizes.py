"""Picture sizes people work at, by aspect. Sources: SMPTE ST 274 and ST 2036-1 (HD, UHD), DCI DCSS 1.4 (2K, 4K); the
rest common practice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType


@dataclass(frozen=True, slots=True)
class Size:
    """A size that is offered, in pixels."""

    title: str
    width: int
    height: int


def _of(*sizes: tuple[str, int, int]) -> tuple[Size, ...]:
    return tuple(Size(*size) for size in sizes)


SIZES: Mapping[str, tuple[Size, ...]] = MappingProxyType(
    {
        "16:9": _of(("UHD", 3840, 2160), ("HD", 1920, 1080), ("HD, small", 1280, 720), ("quarter HD", 960, 540)),
        "1.85:1": _of(("DCI 4K flat", 3996, 2160), ("DCI 2K flat", 1998, 1080)),
        "2.39:1": _of(("DCI 4K scope", 4096, 1716), ("DCI 2K scope", 2048, 858)),
        "256:135": _of(("DCI 4K full", 4096, 2160), ("DCI 2K full", 2048, 1080)),
        "3:2": _of(("print, large", 6000, 4000), ("print", 3000, 2000)),
        "4:3": _of(("4:3, large", 2048, 1536), ("4:3", 1440, 1080)),
        "1:1": _of(("square, large", 2048, 2048), ("square", 1080, 1080)),
        "9:16": _of(
            ("upright", 1080, 1920),
        ),
    }
)
