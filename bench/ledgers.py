"""A 12-row ledger at 1920 x 1080 against the image library's chain and a bare read of the same memory."""

from __future__ import annotations

import numpy as np
import OpenImageIO as oiio

from bench.measure import in_turn
from prism.bands import run_bands
from prism.combine.evaluate import apply_rows
from prism.combine.ledger import Ledger, Row
from prism.compiled import compiled
from prism.elements.pixels import Pixels

HEIGHT, WIDTH, ROWS = 1080, 1920, 12
BAND = 16


class Memory:
    """Sources that are in memory already, as after the first picture."""

    def __init__(self, dtype) -> None:
        rng = np.random.default_rng(1)
        self.held = {}
        for index in range(ROWS):
            planes = [rng.random((HEIGHT, WIDTH), np.float32).astype(dtype) for _ in range(3)]
            self.held[f"pass{index}"] = Pixels(tuple(planes), None)

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        return self.held[key]

    def shape(self, step: int = 1) -> tuple[int, int]:
        return HEIGHT, WIDTH


@compiled
def _sum(plane):
    total = plane[0] * 0
    for i in range(plane.size):
        total += plane[i]
    return total


def _read(memory: Memory) -> None:
    """Touch every byte of every source once, on all cores, as whole numbers."""
    planes = [plane for pixels in memory.held.values() for plane in pixels.planes]

    def work(first: int, end: int) -> None:
        for plane in planes:
            _sum(plane[first:end].reshape(-1).view(np.uint64))

    run_bands(work, HEIGHT, BAND)


def _library_chain(memory: Memory) -> list[oiio.ImageBuf]:
    buffers = []
    for pixels in memory.held.values():
        planes = np.stack(pixels.planes, axis=-1)
        kind = oiio.HALF if planes.dtype == np.float16 else oiio.FLOAT
        buffer = oiio.ImageBuf(oiio.ImageSpec(WIDTH, HEIGHT, 3, kind))
        buffer.set_pixels(oiio.ROI(0, WIDTH, 0, HEIGHT, 0, 1, 0, 3), np.ascontiguousarray(planes))
        buffers.append(buffer)
    return buffers


def run() -> None:
    rows = [Row(id=str(i), source=f"pass{i}", amount=0.5 + i / 20, tint=(1, 0.9, 0.8)) for i in range(ROWS)]
    rows[-1] = rows[-1].replace(operator="multiply")
    ledger = Ledger(alpha=None, rows=tuple(rows))
    for dtype, name in ((np.float32, "float"), (np.float16, "half")):
        memory = Memory(dtype)
        buffers = _library_chain(memory)
        running = np.zeros((4, HEIGHT, WIDTH), np.float32)

        def ours() -> None:
            running[:] = 0
            apply_rows(running, ledger.rows, memory)

        def library() -> oiio.ImageBuf:
            result = oiio.ImageBufAlgo.mul(buffers[0], rows[0].gains)
            for row, buffer in zip(rows[1:], buffers[1:], strict=True):
                scaled = oiio.ImageBufAlgo.mul(buffer, tuple(row.amount * gain for gain in row.gains))
                combine = oiio.ImageBufAlgo.mul if row.operator == "multiply" else oiio.ImageBufAlgo.add
                result = combine(result, scaled)
            return result

        times = in_turn({"ours": ours, "library": library, "read": lambda: _read(memory)})
        ours_best = times["ours"].best
        print(
            f"ledger of {ROWS} rows, {WIDTH} x {HEIGHT}, {name}: {ours_best * 1e3:.1f} ms; "
            f"image library's chain {times['library'].best / ours_best:.1f} times as long (aim: 10 or more); "
            f"{ours_best / times['read'].best:.2f} times a bare read of the sources (aim: 4 or less)"
        )
