"""A deep part as the flat picture that stations without depth work on."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from prism.deep.files import read_samples
from prism.deep.operations import flattened
from prism.deep.samples import ALPHA, BACK, FRONT
from prism.formats.headers import Part
from prism.pixels.image import Image


def flat_image(path: Path, part: Part) -> Image:
    """Colour and alpha of a deep part, and as Z the depth of the nearest sample, as ZBack that of the farthest,
    infinity where there is none; float32. Whole numbers are not in it.

    Without a depth samples are taken as they lie. Raises UnreadableFile or TooLarge.
    """
    samples = read_samples(path, part, needs_depth=False)
    alpha, colour, (front, back) = flattened(samples)
    channels = dict(zip(samples.names, colour, strict=True)) | {FRONT: front, BACK: back}
    if ALPHA in part.channels:
        channels[ALPHA] = alpha
    return Image(
        channels={name: np.ascontiguousarray(plane) for name, plane in channels.items() if name in part.channels},
        data_window=part.data_window, display_window=part.display_window,
    )  # fmt: skip
