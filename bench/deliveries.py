"""Deliveries of 1920 x 1080: frames rebuilt, finished and written against decoding and encoding alone, a movie against
its encoder, and a large board."""

from __future__ import annotations

import os
import resource
import tempfile
import time
from pathlib import Path

import av
import numpy as np
import OpenEXR

from prism.delivery.document import Delivery
from prism.delivery.encodings.base import Destination
from prism.delivery.encodings.movie import read_codes
from prism.delivery.reading_back import require_page
from prism.delivery.running import run as run_delivery
from prism.formats.exr import write_exr
from prism.formats.stills import write_display
from prism.ledger.first import first_ledger
from prism.movies.filling import filled
from prism.movies.frames import frame_of
from prism.movies.writing import MovieSettings, write_movie
from prism.pixels.image import Image
from prism.sheets.boards.document import Board
from prism.sheets.boards.render import board_page
from prism.sheets.page import write_page
from prism.sources.opening import find_sources

HEIGHT, WIDTH = 1080, 1920
FRAMES = 12  # of 48: the ratio is the same, and nobody waits for the rest
COMPONENTS = 6
DPI = 300
FINISH = [
    {"id": "grade", "kind": "grade", "exposure": 0.2, "saturation": 1.1},
    {"id": "glow", "kind": "glow", "threshold": 0.8, "size": 40},
]
SET_AIM, MOVIE_AIM, BOARD_SECONDS, BOARD_BYTES = 1.3, 1.2, 10, 2e9


def run() -> None:
    with tempfile.TemporaryDirectory() as folder:
        _sets(Path(folder))
        _movies(Path(folder))
        _board(Path(folder))


def _light(rng: np.random.Generator) -> np.ndarray:
    """Smooth with a little noise, as renders are: half (3, H, W)."""
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    waves = [np.sin(x / 200 + n) * np.cos(y / 150 + n) * 0.3 + 0.35 for n in range(3)]
    return (np.stack(waves) + rng.normal(0, 0.01, (3, HEIGHT, WIDTH)).astype(np.float32)).astype(np.float16)


def _sets(folder: Path) -> None:
    """The planes that are written are those of the delivery, so that both encode the same."""
    rng = np.random.default_rng(1)
    lights = [_light(rng) for _ in range(COMPONENTS)]
    total = sum(light.astype(np.float32) for light in lights)
    names = ("diffuse_direct", "diffuse_indirect", "specular_direct", "specular_indirect", "emission", "background")
    planes = {
        f"{name}.{c}": plane
        for name, light in zip(names, lights, strict=True)
        for c, plane in zip("RGB", light, strict=True)
    }
    planes |= {c: plane.astype(np.float16) for c, plane in zip("RGB", total, strict=True)} | {
        "A": np.ones_like(lights[0][0])
    }
    first = folder / "shot.1001.exr"
    write_exr(first, Image.of_planes(planes), compression="zip")
    for number in range(1002, 1001 + FRAMES):
        (folder / f"shot.{number}.exr").write_bytes(first.read_bytes())
    ledger = first_ledger(find_sources([first])).as_json() | {"finish": FINISH}
    ledger = type(first_ledger(find_sources([first]))).from_json(ledger)
    delivery = Delivery.from_json({"items": [{"id": "beauty", "encoding": {"kind": "exr"}}]})
    numbers = list(range(1001, 1001 + FRAMES))
    opened = lambda number: (ledger, find_sources([folder / f"shot.{number}.exr"]))  # noqa: E731
    run_delivery(delivery, numbers[:1], opened, Destination(folder / "warm", _FIELDS, (1001,)))
    begun = time.perf_counter()
    report = run_delivery(delivery, numbers, opened, Destination(folder / "out", _FIELDS, tuple(numbers)))
    whole = time.perf_counter() - begun
    found = find_sources([report.files[0]])
    pixels = found.pixels(next(iter(found)).key)
    written = Image.of_planes(dict(zip("RGBA", (*pixels.planes, pixels.alpha), strict=True)))
    OpenEXR.set_global_thread_count(os.cpu_count() or 1)
    begun = time.perf_counter()
    for number in numbers:
        with OpenEXR.File(str(folder / f"shot.{number}.exr"), separate_channels=True):
            pass
    decoding = time.perf_counter() - begun
    begun = time.perf_counter()
    for number in numbers:
        write_exr(folder / f"alone.{number}.exr", written, compression="zip")
    encoding = time.perf_counter() - begun
    each, decoded, encoded = (seconds / FRAMES * 1000 for seconds in (whole, decoding, encoding))
    print(
        f"deliveries: {FRAMES} frames rebuilt, finished, written: {each:.0f} ms each; on all cores decoding alone "
        f"{decoded:.0f} ms, encoding alone {encoded:.0f} ms: {whole / (decoding + encoding):.2f} times both (aim "
        f"{SET_AIM})"
    )


_FIELDS = {"shot": "b", "ledger": "l", "version": 1}


def _movies(folder: Path) -> None:
    rng = np.random.default_rng(2)
    stills = {}
    for number in range(FRAMES):
        stills[number] = folder / f"m.{number:04}.png"
        values = np.moveaxis(np.roll(_light(rng).astype(np.float32), 16 * number, axis=2), 0, -1).clip(0, 1)
        write_display(stills[number], np.ascontiguousarray(values), None)
    settings = MovieSettings(codec="h264", rate=24)
    ready = [frame_of(read_codes(path), settings.how, alpha=False) for path in stills.values()]
    begun = time.perf_counter()
    _encode_alone(folder / "alone.mp4", ready)
    alone = time.perf_counter() - begun
    begun = time.perf_counter()
    frames = filled(list(stills), stills, lambda number: read_codes(stills[number]), "refuse")
    write_movie(folder / "m.mp4", (codes for _, codes in frames), settings)
    whole = time.perf_counter() - begun
    print(
        f"deliveries: a movie of {FRAMES} stills {whole:.1f} s, its encoder alone {alone:.1f} s: "
        f"{whole / alone:.2f} times (aim {MOVIE_AIM})"
    )


def _encode_alone(path: Path, ready: list) -> None:
    settings = MovieSettings(codec="h264", rate=24)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(settings.how.encoder, rate=24)
        stream.width, stream.height, stream.pix_fmt = ready[0].width, ready[0].height, ready[0].format.name
        stream.options = dict(settings.how.options)
        stream.codec_context.thread_count = 2
        for number, frame in enumerate(ready):
            frame.pts, frame.time_base = number, 1 / settings.exact_rate
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode(None):
            container.mux(packet)


def _board(folder: Path) -> None:
    shadow = {"dx": 0.06, "dy": 0.08, "blur": 0.08}
    pictures = [
        {"id": f"p{n}", "kind": "picture", "x": 0.5 + n * 6.4, "y": 1.5, "width": 6, "height": 3.4, "fill": "fill",
         "shadow": shadow, "outline": 0.02, "source": {"kind": "file", "path": "x"}}
        for n in range(5)
    ]  # fmt: skip
    band = {
        "id": "band",
        "kind": "band",
        "x": 0,
        "y": 5.2,
        "width": 32.5,
        "height": 2,
        "texture": "dots",
        "spacing": 0.1,
    }
    text = {"id": "t", "kind": "text", "text": "The Orrery Conservatory", "x": 16, "y": 9, "size": 1, "glow": 0.1}
    board = Board.from_json(
        {"unit": "inch", "width": 32.5, "height": 10.5, "dpi": DPI, "elements": [band, *pictures, text],
         "finish": [{"id": "v", "kind": "vibrance", "amount": 0.5}]}
    )  # fmt: skip
    codes = np.random.default_rng(3).integers(0, 255, (HEIGHT, WIDTH, 3), np.uint8)
    begun = time.perf_counter()
    page = board_page(board, lambda source, across: codes)
    write_page(page, folder / "b.pdf")
    require_page(folder / "b.pdf", page)
    seconds = time.perf_counter() - begun
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    width, height = board.size
    print(
        f"deliveries: a board of {width} x {height} as PDF, read back, in {seconds:.1f} s (aim {BOARD_SECONDS}), "
        f"at most {peak / 1e9:.2f} GB in all of this run (aim {BOARD_BYTES / 1e9:.0f})"
    )
