"""What Intake costs: a frame of 12 passes read and judged, against bare decoding; a folder of 10,000 files listed."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np

from bench.measure import in_turn
from prism.elements import disk
from prism.elements.gathering import gather
from prism.formats.exr import read_channels, write_exr
from prism.formats.headers import read_parts
from prism.intake.checking import check_frame
from prism.pixels.image import Image
from standin.accumulation import COMPONENTS

HEIGHT, WIDTH = 1080, 1920
PASSES = (*COMPONENTS, "normals", "albedo")
FILES = 10_000
AIM = 1.5


def run() -> None:
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    smooth = np.abs(np.sin(x / 50) * np.cos(y / 70))
    planes = {
        f"{name}.{channel}": (smooth * number + np.abs(rng.normal(0, 0.02, (HEIGHT, WIDTH)))).astype(np.float16)
        for number, name in enumerate(PASSES, start=1)
        for channel in "RGB"
    }
    for channel in "RGB":
        planes[channel] = sum(planes[f"{name}.{channel}"].astype(np.float32) for name in COMPONENTS).astype(np.float16)
    planes["A"] = np.ones((HEIGHT, WIDTH), np.float16)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "frame.1001.exr")
        write_exr(path, Image.of_planes(planes))
        part = read_parts(path)[0]
        (element,) = gather(disk.scan(Path(folder)).sequences, root=Path(folder)).elements
        timings = in_turn(
            {"decode": lambda: read_channels(path, part), "check": lambda: check_frame(element, 1001)}, runs=5
        )
    ratio = timings["check"].median / timings["decode"].median
    print(f"{len(PASSES) + 1} passes at {WIDTH} x {HEIGHT}: a check takes {ratio:.2f} of bare decoding (aim: {AIM})")
    with tempfile.TemporaryDirectory() as folder:
        for number in range(FILES):
            Path(folder, f"shot_{number % 10}.{1001 + number // 10}.exr").touch()
        begun = time.perf_counter()
        found = disk.scan(Path(folder))
        seconds = time.perf_counter() - begun
    print(
        f"{FILES:,} files in one folder are {len(found.sequences)} sequences, listed in {seconds:.2f} s (aim: under 1)"
    )
