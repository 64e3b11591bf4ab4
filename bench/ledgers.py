"""Ledgers at 1920 x 1080 against a bare read of the same memory, and a plain one against the image library's chain."""

from __future__ import annotations

import numpy as np
import OpenImageIO as oiio

from bench.measure import in_turn
from prism.bands import run_bands
from prism.combine.evaluate import apply_steps
from prism.combine.program import compile_ledger
from prism.compiled import compiled
from prism.ledger.document import Ledger
from prism.ledger.trims import trims_at
from prism.tests.memory import MemoryFrame

HEIGHT, WIDTH = 1080, 1920
BAND = 16
PLAIN_ROWS = 12


def _memory(count: int, dtype, *, height: int = 0) -> MemoryFrame:
    """Sources that are in memory already, as after the first picture; the first three have an alpha, for mattes."""
    rng = np.random.default_rng(1)
    shape = (height or HEIGHT, WIDTH)
    return MemoryFrame(
        {
            f"pass{index}": (
                rng.random((3, *shape), np.float32).astype(dtype),
                rng.random(shape, np.float32) if index < 3 else None,
            )
            for index in range(count)
        }
    )


def plain_ledger(count: int = PLAIN_ROWS) -> Ledger:
    """Rows with amounts and tints, the last a factor."""
    rows = [
        {"id": str(i), "source": f"pass{i}", "amount": 0.5 + i / 20, "tint": (1, 0.9, 0.8), "uses_alpha": False}
        for i in range(count)
    ]
    rows[-1]["operator"] = "multiply"
    return Ledger(alpha=None, rows=tuple(rows))


def mixed_ledger() -> Ledger:
    """20 rows, three mattes, two groups, a curve and a saturation."""
    rows = list(plain_ledger(20).as_json()["rows"])
    for row, matte in ((3, "a"), (9, "b"), (15, "c")):
        rows[row]["matte"] = matte
    rows[5]["curves"]["all"]["points"] = [(0, 0), (0.2, 0.15), (0.7, 0.8), (1, 1)]
    rows[11]["saturation"] = 1.2
    rows = [
        *rows[:6],
        {"id": "g", "kind": "group", "rows": rows[6:11]},
        *rows[11:16],
        {"id": "h", "kind": "group", "rows": rows[16:]},
    ]
    mattes = [{"id": key, "kind": "alpha", "source": f"pass{at}"} for at, key in enumerate("abc")]
    return Ledger.from_json({"alpha": None, "mattes": mattes, "rows": rows})


@compiled
def _sum(plane):
    total = plane[0] * 0
    for i in range(plane.size):
        total += plane[i]
    return total


def _read(frame: MemoryFrame, ledger: Ledger) -> None:
    """Touch every byte that the ledger needs once, on all cores, as whole numbers."""
    planes = [plane for row in ledger.passes for plane in frame.pixels(row.source).planes]
    planes += [frame.pixels(matte.source).alpha for matte in ledger.mattes]

    def work(first: int, end: int) -> None:
        for plane in planes:
            _sum(plane[first:end].reshape(-1).view(np.uint64))

    run_bands(work, frame.window.height, BAND)


def _library(frame: MemoryFrame, ledger: Ledger):
    buffers = []
    for row in ledger.rows:
        planes = np.stack(frame.pixels(row.source).planes, axis=-1)
        kind = oiio.HALF if planes.dtype == np.float16 else oiio.FLOAT
        buffer = oiio.ImageBuf(oiio.ImageSpec(WIDTH, HEIGHT, 3, kind))
        buffer.set_pixels(oiio.ROI(0, WIDTH, 0, HEIGHT, 0, 1, 0, 3), np.ascontiguousarray(planes))
        buffers.append(
            (buffer, row.operator, tuple(row.amount * gain for gain in trims_at(row, 1, ledger.space).gains))
        )

    def chain() -> oiio.ImageBuf:
        result = oiio.ImageBufAlgo.mul(buffers[0][0], buffers[0][2])
        for buffer, operator, gains in buffers[1:]:
            combine = oiio.ImageBufAlgo.mul if operator == "multiply" else oiio.ImageBufAlgo.add
            result = combine(result, oiio.ImageBufAlgo.mul(buffer, gains))
        return result

    return chain


def _ours(frame: MemoryFrame, ledger: Ledger):
    running = np.zeros((4, *frame.shape()), np.float32)
    program = compile_ledger(ledger, 1)

    def run() -> None:
        running[:] = 0
        apply_steps(running, program.steps, frame)

    return run


def _against_read(title: str, frame: MemoryFrame, ledger: Ledger, aim: str) -> float:
    times = in_turn({"ours": _ours(frame, ledger), "read": lambda: _read(frame, ledger)})
    ratio = times["ours"].best / times["read"].best
    print(f"{title}: {times['ours'].best * 1e3:.1f} ms, {ratio:.2f} times a bare read of the sources{aim}")
    return times["ours"].best


def run() -> None:
    for dtype, name in ((np.float32, "float"), (np.float16, "half")):
        frame = _memory(20, dtype)
        plain = _against_read(f"{PLAIN_ROWS} plain rows, {name}", frame, plain_ledger(), " (aim: 1.2)")
        times = in_turn({"library": _library(frame, plain_ledger())})
        print(f"  the image library's chain takes {times['library'].best / plain:.1f} times as long")
        _against_read(f"20 rows, mattes, groups, curve, saturation, {name}", frame, mixed_ledger(), " (aim: 3)")
    one = _against_read("1 plain row, half", frame, plain_ledger(2), "")
    for count in (5, 10, 20):
        taken = _against_read(f"{count} plain rows, half", frame, plain_ledger(count), "")
        print(f"  {taken / one:.1f} times 2 rows")
    for height in (270, 540, 2160):
        _against_read(
            f"{PLAIN_ROWS} plain rows, {WIDTH} x {height}, half",
            _memory(12, np.float16, height=height),
            plain_ledger(),
            "",
        )
