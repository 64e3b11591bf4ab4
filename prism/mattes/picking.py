"""What a press or a box in the picture tells about a pass: names, a colour, a range, a direction, a box in space."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from prism.elements.pixels import Frame, Region
from prism.errors import BadArgument
from prism.mattes import ranks
from prism.mattes.measured import measure
from prism.pixels.window import Window

LEAST = 0.25  # of a pixel that a name covers inside a box to be meant


def picked(
    frame: Frame, source: str, box: Window, *, measured: str = "first", space: str = "lin_rec709"
) -> dict[str, Any]:
    """For a pixel, or a box, of the frame's window. `names` of a Cryptomatte: of a pixel the one that covers most, of a box all that
    are in it; `colour`: of the middle pixel; `low`, `high`: ends of what is measured; `least`, `most`: the same of three channels;
    all None where there is no number. Raises BadArgument outside of the picture, UnknownSource."""
    place = box.intersection(frame.window)
    if place is None:
        raise BadArgument("There is nothing.", where="picture", advice="Press inside of the picture.")
    region = Region(frame, place)
    kind = frame.source(source).kind
    if kind is not None and kind.ranked:
        found = [
            share
            for share in ranks.shares(region, source)
            if share.pixels >= (LEAST if place.width * place.height > 1 else 0)
        ]
        found = [share for share in found if share.pixels > 0]
        return {"names": [asdict(share) for share in (found if box.width * box.height > 1 else found[:1])]}
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


def _ends(values: np.ndarray) -> tuple[float | None, float | None]:
    there = values[np.isfinite(values)]
    return (float(there.min()), float(there.max())) if there.size else (None, None)


def _finite(value: np.floating) -> float | None:
    return float(value) if np.isfinite(value) else None
