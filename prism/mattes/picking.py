"""What a press or a box in the picture tells about a pass: names, a colour, a range, a direction, a box in space."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from prism.errors import BadArgument
from prism.mattes import ranks
from prism.mattes.measured import measure
from prism.pixels.window import Window
from prism.sources.pixels import Frame, Region

HALF = 0.5


def picked(
    frame: Frame, source: str, box: Window, *, measured: str = "first", space: str = "lin_rec709"
) -> dict[str, Any]:
    """For a pixel, or a box, of the frame's window.

    `names` of a Cryptomatte: see `_names`. Of all else `colour`, that of the middle pixel; `low` and `high`, the ends
    of what is measured; `least` and `most`, those of three channels; None where there is no number. Raises BadArgument
    outside of the picture, UnknownSource.
    """
    place = box.intersection(frame.window)
    if place is None:
        raise BadArgument("That pixel is outside the picture.", where="picture", advice="Press inside the picture.")
    region = Region(frame, place)
    kind = frame.source(source).kind
    if kind is not None and kind.ranked:
        return {"names": [asdict(share) for share in _names(frame, source, region)]}
    pixels = region.pixels(source)
    planes = np.stack([plane.astype(np.float32) for plane in pixels.planes])
    middle = planes[:, planes.shape[1] // 2, planes.shape[2] // 2]
    value = measure(measured, pixels, space)
    low, high = _ends(value)
    each = [_ends(plane) for plane in planes]
    return {
        "colour": [_finite(v) for v in middle], "low": low, "high": high,
        "least": [ends[0] for ends in each], "most": [ends[1] for ends in each],
    }  # fmt: skip


def _names(frame: Frame, source: str, region: Region) -> list[ranks.Share]:
    """What covers most of a pixel; of a box what lies in it with at least half of itself, or makes up half of
    it."""
    here = [share for share in ranks.shares(region, source) if share.pixels > 0]
    size = region.window.width * region.window.height
    if size == 1:
        return here[:1]
    whole = {share.id: share.pixels for share in ranks.shares(frame, source)}
    return [share for share in here if share.pixels >= HALF * min(whole[share.id], size)]


def _ends(values: np.ndarray) -> tuple[float | None, float | None]:
    there = values[np.isfinite(values)]
    return (float(there.min()), float(there.max())) if there.size else (None, None)


def _finite(value: np.floating) -> float | None:
    return float(value) if np.isfinite(value) else None
