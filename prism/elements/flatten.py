"""Deep pixels flattened: every pixel's samples laid over each other from near to far.

Source: Interpreting OpenEXR Deep Pixels. Samples that are volumes and overlap are taken in the order of their near
ends.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.compiled import compiled
from prism.errors import UnreadableFile
from prism.formats import guarded
from prism.formats.decoding import SAMPLES
from prism.formats.headers import Part
from prism.pixels.channels import split_name
from prism.pixels.image import Image

NO_SURFACE = np.float32(np.inf)  # depth where there is no sample


def flattened(path: Path, part: Part) -> Image:
    """Colour and alpha of a deep part, and as Z the depth of the nearest sample, infinity where there is none; float32.

    Raises UnreadableFile or TooLarge.
    """
    planes = guarded.decode_deep(path, part).planes
    counts = planes[SAMPLES]
    samples = {name: plane.astype(np.float32) for name, plane in planes.items() if name != SAMPLES}
    if any(len(plane) != counts.sum() for plane in samples.values()):
        raise UnreadableFile("Its channels have different numbers of samples.", where=str(path))
    alpha_name = next((name for name in samples if split_name(name)[1].upper() == "A"), None)
    depth_name = next((name for name in samples if split_name(name)[1].upper() == "Z"), None)
    count = int(counts.sum())
    alpha = samples[alpha_name] if alpha_name else np.ones(count, np.float32)
    depth = samples[depth_name] if depth_name else np.arange(count, dtype=np.float32)
    order = np.empty(max(1, int(counts.max())), np.int64)
    flat = {}
    ends = np.cumsum(counts.reshape(-1), dtype=np.int64)
    for name, values in samples.items():
        plane = np.zeros(counts.size, np.float32)
        if split_name(name)[1].upper() in ("Z", "ZBACK"):
            _nearest(ends, values, plane)
        else:
            _over(ends, depth, alpha, values, order, plane)
        flat[name] = plane.reshape(counts.shape)
    return Image(channels=flat, data_window=part.data_window, display_window=part.display_window)


@compiled
def _over(ends: NDArray, depth: NDArray, alpha: NDArray, values: NDArray, order: NDArray, out: NDArray) -> None:
    """order: room for the samples of the fullest pixel."""
    begin = 0
    for pixel in range(len(ends)):
        count = ends[pixel] - begin
        for place in range(count):  # insertion: samples mostly lie near to far already
            at = place
            while at > 0 and depth[begin + order[at - 1]] > depth[begin + place]:
                order[at] = order[at - 1]
                at -= 1
            order[at] = place
        through = np.float32(1)
        total = np.float32(0)
        for place in range(count):
            sample = begin + order[place]
            total += through * values[sample]
            through *= np.float32(1) - alpha[sample]
        out[pixel] = total
        begin = ends[pixel]


@compiled
def _nearest(ends: NDArray, values: NDArray, out: NDArray) -> None:
    begin = 0
    for pixel in range(len(ends)):
        nearest = NO_SURFACE
        for place in range(begin, ends[pixel]):
            nearest = min(nearest, values[place])
        out[pixel] = nearest
        begin = ends[pixel]
