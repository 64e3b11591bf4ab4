"""Deep pictures against the image library: two merged, and the merge flattened; and one whole frame by ours alone. Deep
files against the format's own binding, which has an object for every pixel."""

from __future__ import annotations

import tempfile
import time
import tracemalloc
from pathlib import Path

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from bench.measure import in_turn
from prism.deep import operations as ops
from prism.deep.files import write_samples
from prism.deep.samples import Samples, samples_of
from prism.formats import deep
from prism.formats.deep_lines import read_blocks
from prism.formats.headers import read_parts
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


def objects_of(runs: dict[str, np.ndarray], counts: np.ndarray) -> dict[str, np.ndarray]:
    """Samples (N,) as the binding takes them: an array for every pixel of (H, W)."""
    ends = np.cumsum(counts, dtype=np.int64).tolist()
    begins = [0, *ends[:-1]]
    planes = {}
    for name, run in runs.items():
        planes[name] = np.empty(counts.size, object)
        planes[name][:] = [run[begin:end] for begin, end in zip(begins, ends, strict=True)]
        planes[name] = planes[name].reshape(counts.shape)
    return planes


def by_the_binding(path: Path) -> dict[str, np.ndarray]:
    """All samples of a file, (N,) of every channel."""
    with OpenEXR.File(str(path), separate_channels=True) as file:
        channels = file.parts[0].channels
        return {
            name: np.concatenate([s for s in c.pixels.reshape(-1) if s is not None]) for name, c in channels.items()
        }


def of_files() -> None:
    """Print how much faster a smooth picture is written and read."""
    rng = np.random.default_rng(5)
    counts = rng.integers(0, 5, (HEIGHT, WIDTH)).astype(np.int32)
    pixel = np.repeat(np.arange(counts.size), counts.reshape(-1))
    smooth = np.sin(pixel / 5000) + 2
    scales = zip("ABGRZ", (0.1, 0.3, 0.5, 1, 9), strict=True)
    runs = {name: (smooth * scale).astype(np.float16).astype(np.float32) for name, scale in scales}
    window = Window.of_size(WIDTH, HEIGHT)
    header = {"compression": OpenEXR.ZIPS_COMPRESSION, "type": OpenEXR.deepscanline}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "a.exr")

        def ours() -> None:
            deep.write_deep(path, counts, runs, data_window=window, display_window=window)

        def theirs() -> None:
            planes = objects_of(runs, counts)
            OpenEXR.File(header, planes).write(str(Path(folder, "b.exr")))

        writing = in_turn({"ours": ours, "binding": theirs}, runs=3)
        (part,) = read_parts(path)
        request = {
            "shape": part.data_window.shape, "top": 0, "table": part.table, "in_parts": False, "compression": "zips",
            "channels": dict(part.channels), "tile": None, "chunks": part.chunks,
        }  # fmt: skip

        def read() -> None:
            with open(path, "rb") as source:
                read_blocks(source, request)

        reading = in_turn({"ours": read, "binding": lambda: by_the_binding(path)}, runs=3)
    for what, timing in (("written", writing), ("read", reading)):
        ratio = timing["binding"].best / timing["ours"].best
        print(f"a file of {WIDTH} x {HEIGHT} {what}: {ratio:.1f} times as fast as the binding (aim: 8)")


def run() -> None:
    """Print all."""
    of_files()
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
    tracemalloc.start()
    merged = ops.merged(whole)
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    print(f"merging them takes {most / merged.byte_count:.2f} times the memory of their merge (aim: 1.5)")
    card = np.full(FULL, 0.5, np.float32)
    begun = time.perf_counter()
    ops.flattened_among(merged, [card], [card], [np.stack([card] * 3)])
    print(f"a card among {len(merged):,} samples, flattened, in {1000 * (time.perf_counter() - begun):.0f} ms")
