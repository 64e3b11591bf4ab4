"""Deep pictures against the image library: two merged, and the merge flattened; and one whole frame by ours alone."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from bench.measure import in_turn
from prism.deep import operations as ops
from prism.deep.files import write_samples
from prism.deep.samples import Samples, samples_of
from prism.pixels.window import Window

HEIGHT, WIDTH = 270, 480  # that the library is compared at
FULL = 1080, 1920
EACH = 8  # samples of every pixel


def made(seed: int, height: int, width: int) -> Samples:
    """Points of random depths, alphas up to a half."""
    rng = np.random.default_rng(seed)
    total = height * width * EACH
    alpha = rng.random(total, np.float32) / 2
    runs = {name: rng.random(total, np.float32) * alpha for name in "RGB"}
    depth = np.sort(rng.random((height * width, EACH), np.float32), axis=1).reshape(-1)
    window = Window.of_size(width, height)
    counts = np.full((height, width), EACH, np.int32)
    return samples_of(counts, runs | {"A": alpha, "Z": depth}, window=window, display_window=window)


def run() -> None:
    """Print both."""
    ours = [made(seed, HEIGHT, WIDTH) for seed in (1, 2)]
    with tempfile.TemporaryDirectory() as folder:
        paths = [Path(folder, f"{number}.exr") for number in (1, 2)]
        for path, samples in zip(paths, ours, strict=True):
            write_samples(path, samples)
        theirs = [oiio.ImageBuf(str(path)) for path in paths]
        for buffer in theirs:
            buffer.read(0, 0, True)
        merge = in_turn(
            {"ours": lambda: ops.merged(ours), "library": lambda: oiio.ImageBufAlgo.deep_merge(*theirs)}, runs=3
        )
        merged, both = ops.merged(ours), oiio.ImageBufAlgo.deep_merge(*theirs)
        flat = in_turn(
            {"ours": lambda: ops.flattened(merged), "library": lambda: oiio.ImageBufAlgo.flatten(both)}, runs=3
        )
    for what, timing in (("merged", merge), ("flattened", flat)):
        ratio = timing["library"].best / timing["ours"].best
        print(f"{what}, {WIDTH} x {HEIGHT}: {ratio:.1f} times as fast as the library (aim: 5)")
    whole = [made(seed, *FULL) for seed in (3, 4)]
    begun = time.perf_counter()
    ops.flattened(ops.merged(whole))
    print(f"two of {FULL[1]} x {FULL[0]} merged and flattened in {time.perf_counter() - begun:.2f} s (aim: 1.5)")
