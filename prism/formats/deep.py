"""Deep OpenEXR: every pixel with samples of its own."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from prism.errors import UnwritableFile
from prism.formats.entries import header_entries
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
    ends = np.cumsum(counts, dtype=np.int64).tolist()
    begins = [0, *ends[:-1]]
    planes = {}
    for name, run in runs.items():
        column = np.ascontiguousarray(run)
        pixels = np.empty(counts.size, object)
        pixels[:] = [column[begin:end] for begin, end in zip(begins, ends, strict=True)]
        planes[name] = pixels.reshape(counts.shape)
    header = {
        **header_entries(attributes or {}),
        "compression": OpenEXR.Compression(known[compression]),
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
