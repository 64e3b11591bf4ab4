"""Deep pictures in OpenEXR files."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.deep.samples import Samples, samples_of
from prism.errors import UnreadableFile
from prism.formats import guarded
from prism.formats.decoding import SAMPLES
from prism.formats.deep import write_deep
from prism.formats.exr import passing
from prism.formats.headers import Part, read_parts
from prism.formats.planes import PlaneFolder
from prism.pixels.window import Window


def read_samples(
    path: Path, part: Part | None = None, *, needs_depth: bool = True, cache: PlaneFolder | None = None
) -> Samples:
    """The samples of a deep part, the first of the file if none is named; see `samples_of`. cache: where what was
    decoded stays for other processes. Raises UnreadableFile, TooLarge, MissingChannels."""
    found = part or next((each for each in read_parts(path) if each.deep), None)
    if found is None or not found.deep:
        raise UnreadableFile("It has no deep part.", where=str(path), advice="Place a flat picture in depth instead.")
    runs = dict(guarded.decode_deep(path, found, cache=cache).planes)
    counts = runs.pop(SAMPLES)
    samples = samples_of(
        counts, runs, window=found.data_window, display_window=found.display_window, where=str(path),
        needs_depth=needs_depth,
    )  # fmt: skip
    return replace(samples, attributes=found.attributes)


def read_pixels(
    path: Path, part: Part, pixels: NDArray[np.int64], window: Window, *, cache: PlaneFolder | None = None
) -> Samples:
    """Only some pixels (P,) of a deep part of its data window, row by row, as a picture over another window; -1 for one
    without samples. What was decoded before is not read as a whole. Raises as `read_samples`."""
    runs = dict(guarded.decode_deep(path, part, cache=cache).planes)
    stored = runs.pop(SAMPLES).reshape(-1)
    offsets = np.concatenate([[0], np.cumsum(stored, dtype=np.int64)])
    counts = np.where(pixels < 0, 0, stored[pixels])
    begins = np.concatenate([[0], np.cumsum(counts, dtype=np.int64)])
    taken = np.repeat(offsets[pixels] - begins[:-1], counts) + np.arange(begins[-1])
    return samples_of(
        counts.reshape(window.shape).astype(np.int32), {name: run[taken] for name, run in runs.items()},
        window=window, display_window=window, where=str(path),
    )  # fmt: skip


def write_samples(
    path: Path, samples: Samples, *, compression: str = "zips", tile: tuple[int, int] | None = None
) -> list[str]:
    """Write a deep file, whole or not at all. tile: width and height of tiles; scan lines without. Returns remarks on
    header entries that it cannot carry. Raises UnwritableFile."""
    attributes, dropped = passing(samples.attributes)
    write_deep(
        path, samples.counts, samples.runs, data_window=samples.window, display_window=samples.display_window,
        compression=compression, attributes=attributes, tile=tile,
    )  # fmt: skip
    return [f"Header entries that no new file can carry were dropped: {', '.join(dropped)}."] if dropped else []
