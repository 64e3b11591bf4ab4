"""A table of instructions on planes, run over a band of pixels in one compiled call.

A program of many rows over many bands would otherwise go back and forth between compiled loops and the interpreter
thousands of times, and threads would wait for each other at every turn. Slots are float32 planes of a band: 0 to 3 are
R, G, B, A of the running result, the others lie in memory that each thread keeps. Sources are whole planes, float32 or
half.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass

import numpy as np
from numba import types
from numba.extending import intrinsic
from numba.np.arrayobj import make_array, populate_array
from numpy.typing import NDArray

from prism.combine import joining, kernels, powers, shaping
from prism.compiled import compiled, inlined
from prism.errors import SizeMismatch

(
    ADD,
    OVER,
    FACTOR,
    LOAD,
    FILL,
    INVERT,
    SCALE,
    DIVIDE,
    MULTIPLY,
    SHIFT,
    MATRIX,
    POWER,
    CURVE,
    LIMIT,
    TIMES,
    BETWEEN,
    HAZE,
    COPY,
    MIX,
    COVER,
    SUM,
    SHADE,
    BLEND,
    BLEND_OPAQUE,
    BLEND_WHOLE,
    UNITE,
) = range(26)
RUNNING = 0  # first slot of the running result
NUMBERS = 9  # that an instruction may carry


class Code:
    """Instructions as they are written down, one after another."""

    def __init__(self) -> None:
        self._rows: list[tuple[int, ...]] = []
        self._numbers: list[Sequence[float]] = []
        self._tables: list[NDArray[np.float32]] = []
        self._sources: list[NDArray] = []
        self._slots = self._most = 4

    def add(
        self, kind: int, b: int, s: int = 0, t: int = 0, w: int = 0, *,
        which: int = 0, flag: bool = False, numbers: Sequence[float] = (),
    ) -> None:  # fmt: skip
        """One instruction. b: slot that changes. s, t: slots or sources. w: slot of weights. which, flag, numbers: as
        it takes."""
        self._rows.append((kind, b, s, t, w, which, int(flag)))
        self._numbers.append([*numbers, *[0.0] * (NUMBERS - len(numbers))])

    def source(self, plane: NDArray) -> int:
        """The number of a plane (H, W), float16 or float32."""
        self._sources.append(np.ascontiguousarray(plane))
        return len(self._sources) - 1

    def table(self, rows: NDArray[np.float32]) -> tuple[int, int]:
        """Where the pieces (N, 5) of a curve begin and end in the table."""
        begin = sum(len(table) for table in self._tables)
        self._tables.append(rows)
        return begin, begin + len(rows)

    @contextmanager
    def slots(self, count: int) -> Iterator[int]:
        """The first of so many slots in a row, free again afterwards."""
        first = self._slots
        self._slots += count
        self._most = max(self._most, self._slots)
        yield first
        self._slots = first

    def done(self) -> Machine:
        """Ready to run."""
        return Machine(
            rows=np.array(self._rows, np.int64).reshape(-1, 7),
            numbers=np.array(self._numbers, np.float32).reshape(-1, NUMBERS),
            tables=np.concatenate([*self._tables, np.zeros((1, 5), np.float32)]),
            sources=tuple(self._sources),
            places=np.array([plane.ctypes.data for plane in self._sources], np.int64),
            widths=np.array([plane.itemsize for plane in self._sources], np.int64),
            slots=self._most,
        )


class _Memory(threading.local):
    """Planes of a thread, used again and again."""

    def __init__(self) -> None:
        self.planes = np.empty((0, 0), np.float32)

    def of(self, count: int, size: int) -> NDArray[np.float32]:
        if self.planes.shape[0] < count or self.planes.shape[1] < size:
            self.planes = np.empty((max(count, self.planes.shape[0]), max(size, self.planes.shape[1])), np.float32)
        return self.planes


_MEMORY = _Memory()


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Machine:
    """Instructions ready to run. sources: held, since the compiled code knows only where they lie and how wide a pixel
    is."""

    rows: NDArray[np.int64]
    numbers: NDArray[np.float32]
    tables: NDArray[np.float32]
    sources: tuple[NDArray, ...]
    places: NDArray[np.int64]
    widths: NDArray[np.int64]
    slots: int

    def require_size(self, pixels: int) -> None:
        """Raises SizeMismatch if a source has another number of pixels; nothing checks that later."""
        for plane in self.sources:
            if plane.size != pixels:
                raise SizeMismatch(f"A plane of {plane.size} pixels cannot join a picture of {pixels}.")

    def run(self, running: NDArray[np.float32], first: int, end: int) -> None:
        """Work on the pixels first..end of a running result (4, H, W), in place."""
        own = _MEMORY.of(max(1, self.slots - 4), end - first)
        slots = np.empty(self.slots, np.int64)
        slots[:4] = running.ctypes.data + np.arange(4) * running.strides[0] + 4 * first
        slots[4:] = own.ctypes.data + np.arange(self.slots - 4) * own.strides[0]
        places = self.places + self.widths * first
        run_band(self.rows, self.numbers, self.tables, slots, places, self.widths, end - first)


def _array_at(kind):
    """An intrinsic for the array (count,) of that kind that lies at a place in memory."""

    @intrinsic
    def at(typing_context, address, count):
        array = types.Array(kind, 1, "C")

        def generate(context, builder, signature, args):
            made = make_array(array)(context, builder)
            data = builder.inttoptr(args[0], context.get_data_type(kind).as_pointer())
            width = context.get_constant(types.intp, kind.bitwidth // 8)
            populate_array(made, data=data, shape=[args[1]], strides=[width], itemsize=width, meminfo=None)
            return made._getvalue()

        return array(types.int64, types.int64), generate

    return at


_floats_at, _halves_at = _array_at(types.float32), _array_at(types.uint16)


@inlined
def _plane(places, number, count):
    return _floats_at(places[number], count)


@inlined
def _half(places, number, count):
    return _halves_at(places[number], count)


@compiled
def _read_plane(kind, b, a, number):
    """The instructions that read one source, of either type."""
    if kind == ADD:
        kernels.add_plane(b, a, number[0])
    elif kind == FACTOR:
        kernels.factor_plane(b, a, number[0], number[1])
    else:
        kernels.load_plane(b, a, number[0])


@compiled
def _read(kind, b, row, number, places, widths, count):
    """The instructions that read sources."""
    s, t = row[2], row[3]
    if kind == OVER:
        if widths[s] == 2:
            kernels.over_plane(b, _half(places, s, count), _half(places, t, count), number[0], number[1])
        else:
            kernels.over_plane(b, _plane(places, s, count), _plane(places, t, count), number[0], number[1])
    elif widths[s] == 2:
        _read_plane(kind, b, _half(places, s, count), number)
    else:
        _read_plane(kind, b, _plane(places, s, count), number)


@compiled
def _shape(kind, b, row, number, tables, slots, count):
    """The instructions that change one slot, or three, by themselves."""
    covered, whole = _plane(slots, row[2], count), row[6] != 0
    if kind == FILL:
        shaping.fill(b, number[0])
    elif kind == INVERT:
        shaping.invert(b)
    elif kind == SCALE:
        shaping.scale(b, number[0])
    elif kind == DIVIDE:
        shaping.divide(b, covered)
    elif kind == MULTIPLY:
        shaping.multiply(b, covered)
    elif kind == SHIFT:
        shaping.shift(b, number[0], covered, whole)
    elif kind == MATRIX:
        shaping.apply_matrix(b, _plane(slots, row[1] + 1, count), _plane(slots, row[1] + 2, count), number)
    elif kind == POWER:
        powers.signed_power(b, number[0], number[1], number[2], covered, whole)
    elif kind == CURVE:
        shaping.apply_curve(b, tables[row[3] : row[4]], covered, whole)
    elif kind == TIMES:
        shaping.times(b, covered)
    elif kind == BETWEEN:
        shaping.between(b, covered, number[0], number[1])
    elif kind == HAZE:
        shaping.haze(b, number[0], number[1], number[2], whole)
    elif kind == COPY:
        shaping.copy(b, covered)
    elif kind == MIX:
        shaping.mix(b, covered, _plane(slots, row[4], count))
    else:
        shaping.limit(b, covered, whole)


@compiled
def _join(kind, b, row, number, slots, count):
    """The instructions that join a source in slots: planes s.. to planes b.., with weights."""
    s, t, w = _plane(slots, row[2], count), row[3], _plane(slots, row[4], count)
    which, display = row[5], row[6] != 0
    if kind == COVER:
        joining.cover(
            b, _plane(slots, row[1] + 1, count), _plane(slots, row[1] + 2, count), _plane(slots, row[1] + 3, count),
            s, _plane(slots, row[2] + 1, count), _plane(slots, row[2] + 2, count), _plane(slots, row[2] + 3, count),
            w, number[0], number[1], number[2], number[3],
        )  # fmt: skip
    elif kind == SUM:
        joining.plain_sum(b, s, w, which)
    elif kind == SHADE:
        joining.shade(
            b, _plane(slots, row[1] + 1, count), _plane(slots, row[1] + 2, count),
            s, _plane(slots, row[2] + 1, count), _plane(slots, row[2] + 2, count), w,
        )  # fmt: skip
    elif kind == BLEND:
        joining.blend(b, _plane(slots, t, count), s, _plane(slots, t + (row[2] - row[1]), count), w, which, display)
    elif kind == BLEND_OPAQUE:
        joining.blend_opaque(b, s, w, which, display)
    elif kind == BLEND_WHOLE:
        joining.blend_whole(
            b, _plane(slots, row[1] + 1, count), _plane(slots, row[1] + 2, count), _plane(slots, t, count),
            s, _plane(slots, row[2] + 1, count), _plane(slots, row[2] + 2, count), _plane(slots, row[2] + 3, count),
            w, which, display,
        )  # fmt: skip
    else:
        joining.unite(b, s, w)


@compiled
def run_band(rows, numbers, tables, slots, places, widths, count):
    """All instructions, first to last, on `count` pixels.

    rows: (N, 7) int64; numbers: (N, 9) float32; slots, places: where planes lie.
    """
    for at in range(len(rows)):
        row, number = rows[at], numbers[at]
        kind, b = row[0], _plane(slots, row[1], count)
        if kind <= LOAD:
            _read(kind, b, row, number, places, widths, count)
        elif kind <= MIX:
            _shape(kind, b, row, number, tables, slots, count)
        else:
            _join(kind, b, row, number, slots, count)
