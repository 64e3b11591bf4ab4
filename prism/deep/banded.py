"""Large pictures worked off some rows at a time, so that what is needed on the way is never of the whole picture."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from prism.deep.samples import Samples
from prism.pixels.window import Window

BAND_SAMPLES = 1 << 21  # of all pictures together; some 60 MB of colour, alpha and depths


def row_bands(pictures: Sequence[Samples], window: Window) -> list[Window]:
    """A window in bands of rows with so many samples of all pictures together; itself if they have no more."""
    bands = min(window.height, -(-sum(map(len, pictures)) // BAND_SAMPLES))
    if bands <= 1:
        return [window]
    rows = -(-window.height // bands)
    tops = range(window.y0, window.y1 + 1, rows)
    return [Window(window.x0, top, window.x1, min(window.y1, top + rows - 1)) for top in tops]


def by_rows(
    pictures: Sequence[Samples], window: Window, work: Callable[[Sequence[Samples]], Samples]
) -> Samples:  # fmt: skip
    """What `work` makes of pictures over a window. It is handed those over the window, or over some of its rows after
    the other; every row has to come out the same either way."""
    bands = row_bands(pictures, window)
    made = [work([picture.over(band) for picture in pictures]) for band in bands]
    return made[0] if len(made) == 1 else _joined(made, window)


def _joined(bands: list[Samples], window: Window) -> Samples:
    """Bands of rows as one; each array of theirs is let go as soon as it is part of a whole one."""
    first = bands[0]
    counts = np.concatenate([np.diff(band.offsets) for band in bands])
    offsets = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    tidy = all(band.tidy for band in bands)
    parts = {name: [getattr(band, name) for band in bands] for name in ("depth", "alpha", "colour", "ids")}
    bands.clear()
    none = slice(0, 0)
    like = replace(
        first, offsets=offsets, window=window, tidy=tidy, depth=first.depth[none], alpha=first.alpha[none],
        colour=first.colour[none], ids=first.ids[none],
    )  # fmt: skip
    del first
    depth, alpha, colour, ids = (np.concatenate(parts.pop(name)) for name in ("depth", "alpha", "colour", "ids"))
    return replace(like, depth=depth, alpha=alpha, colour=colour, ids=ids)
