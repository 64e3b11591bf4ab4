"""What the guarded door costs: a frame of 12 passes decoded in a child, against the same library called directly."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.measure import in_turn
from prism.formats.decoding import decode_flat
from prism.formats.exr import read_channels, write_exr
from prism.formats.headers import Part, read_parts
from prism.formats.planes import PlaneFolder
from prism.pixels.image import Image
from prism.sources.opening import find_sources
from prism.sources.store import PixelStore

HEIGHT, WIDTH, PASSES = 1080, 1920, 12
AIM = 0.10


def run() -> None:
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    smooth = np.sin(x / 50) * np.cos(y / 70)
    planes = {
        f"pass{number}.{channel}": (smooth * number + rng.normal(0, 0.02, (HEIGHT, WIDTH))).astype(np.float16)
        for number in range(PASSES)
        for channel in "RGB"
    }
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "frame.exr")
        write_exr(path, Image.of_planes(planes))
        part = read_parts(path)[0]
        kept = PlaneFolder(Path(folder, "planes"), 1 << 30)
        read_channels(path, part, cache=kept)
        timings = in_turn(
            {
                "direct": lambda: _directly(path, part),
                "door": lambda: read_channels(path, part),
                "kept": lambda: read_channels(path, part, cache=kept),
                "at once": lambda: _visit(path, at_once=True),
                "one by one": lambda: _visit(path, at_once=False),
            },
            runs=5,
        )
    cost = timings["door"].median / timings["direct"].median - 1
    print(
        f"{PASSES} passes at {WIDTH} x {HEIGHT}: the door costs {cost:+.1%} of decoding (aim: under {AIM:.0%}); "
        f"planes kept on disk come {timings['direct'].median / timings['kept'].median:.0f} times as fast; "
        f"all passes at once {timings['one by one'].median / timings['at once'].median:.1f} times as fast as one by one"
    )


def _visit(path: Path, *, at_once: bool) -> None:
    """All passes of a frame, as the first picture of a ledger wants them."""
    sources = find_sources([path], store=PixelStore())
    keys = [source.key for source in sources]
    if at_once:
        sources.read(keys)
    for key in keys:
        sources.pixels(key)


def _directly(path: Path, part: Part) -> dict[str, NDArray]:
    planes: dict[str, NDArray] = {}

    def allocate(wanted):
        planes.update({name: np.empty(shape, dtype) for name, (dtype, shape) in wanted.items()})
        return planes

    request = {
        "part": 0,
        "top": 0,
        "shape": part.data_window.shape,
        "tiled": False,
        "subsampled": False,
        "whole": True,
        "channels": part.channels,
    }
    decode_flat(str(path), request, allocate)
    return planes
