"""Pictures from files of any format as they are shown: what movies, sheets and boards are made of."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.colour.developing import BLACK, Colour, Developed, develop
from prism.colour.view import ViewTransform
from prism.errors import BadArgument
from prism.formats.stills import to_codes
from prism.ledger.first import require_beauty
from prism.pixels.picture import on_display
from prism.sources.frame import OpenFrame
from prism.sources.opening import find_sources


def shown_file(
    path: Path,
    *,
    view: str | None = "srgb",
    space: str = "lin_rec709",
    keep_alpha: bool = False,
    ground: Colour = BLACK,
) -> Developed:
    """The beauty of a file, or the only picture there is, as display values of its display window. Light goes through
    the view; whole numbers are display values already and stay those codes, as does anything without a view.

    keep_alpha, ground: as of `develop`; without an alpha the file covers all. Raises UnreadableFile, BadArgument for a
    file of several pictures without a beauty.
    """
    sources = find_sources([path])
    key = picture_key(sources)
    source, pixels = sources.source(key), sources.pixels(key)
    alpha = np.ones_like(pixels.planes[0]) if pixels.alpha is None else pixels.alpha
    rgba = np.stack([plane.astype(np.float32, copy=False) for plane in (*pixels.planes, alpha)])
    rgba = on_display(rgba, sources.window, sources.display_window)
    if view is None or (source.bits and not source.is_data):
        return _as_stored(rgba, keep_alpha, ground)
    return develop(rgba, ViewTransform(space, view), keep_alpha=keep_alpha, ground=ground)


def picture_key(sources: OpenFrame) -> str:
    """The pass that stands for a file. Raises BadArgument."""
    keys = [source.key for source in sources if not source.is_deep]
    if not keys:
        raise BadArgument("There are only deep pixels here.", advice="Flatten them first.")
    return keys[0] if len(keys) == 1 else require_beauty(sources).key


def _as_stored(rgba: NDArray[np.float32], keep_alpha: bool, ground: Colour) -> Developed:
    """Display values that lie premultiplied in a frame, as the frame hands all colour out."""
    alpha = rgba[3].clip(0, 1)
    colour = np.moveaxis(rgba[:3], 0, -1)
    if keep_alpha:
        straight = np.divide(colour, alpha[..., None], out=np.zeros_like(colour), where=alpha[..., None] > 0)
        return Developed(straight.clip(0, 1), alpha)
    over = colour + (1 - alpha[..., None]) * np.asarray(ground, np.float32)
    return Developed(over.clip(0, 1), None, flattened=bool((alpha < 1).any()))


def codes_of(found: Developed) -> NDArray[np.uint8]:
    """The codes of 8 bits, (H, W, 3 or 4)."""
    return to_codes(found.values if found.alpha is None else np.dstack([found.values, found.alpha]), 8)
