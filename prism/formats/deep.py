"""Deep OpenEXR: every pixel with samples of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from prism.errors import UnwritableFile
from prism.formats.entries import header_entries
from prism.formats.safe import replacing
from prism.pixels.window import Window

_COMPRESSIONS = {
    "none": OpenEXR.NO_COMPRESSION,
    "rle": OpenEXR.RLE_COMPRESSION,
    "zips": OpenEXR.ZIPS_COMPRESSION,
}


def write_deep(
    path: Path,
    counts: NDArray[np.int32],
    values: NDArray[np.float32],
    channels: Sequence[str],
    *,
    data_window: Window,
    display_window: Window,
    compression: str = "zips",
    attributes: Mapping[str, Any] | None = None,
) -> None:
    """Write samples as float, whole or not at all.

    counts: (H, W), samples of each pixel. values: (N, len(channels)), row by row, near to far; N = counts.sum().
    Raises UnwritableFile, also for a compression that deep files cannot have.
    """
    if compression not in _COMPRESSIONS:
        raise UnwritableFile(
            f"Deep files have no {compression} compression.", where=str(path), advice=f"Use {', '.join(_COMPRESSIONS)}."
        )
    ends = np.cumsum(counts, dtype=np.int64).tolist()
    begins = [0, *ends[:-1]]
    planes = {}
    for place, name in enumerate(channels):
        column = np.ascontiguousarray(values[:, place], np.float32)
        pixels = np.empty(counts.size, object)
        pixels[:] = [column[begin:end] for begin, end in zip(begins, ends, strict=True)]
        planes[name] = pixels.reshape(counts.shape)
    header = {
        **header_entries(attributes or {}),
        "compression": _COMPRESSIONS[compression],
        "type": OpenEXR.deepscanline,
        "dataWindow": data_window.as_box(),
        "displayWindow": display_window.as_box(),
    }
    with replacing(Path(path)) as temporary:
        try:
            OpenEXR.File(header, planes).write(str(temporary))
        except (RuntimeError, ValueError, TypeError) as error:
            raise UnwritableFile(
                f"OpenEXR refused: {error}.", where=str(path), advice="Check space and names."
            ) from error
