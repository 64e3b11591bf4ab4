"""Evaluating a ledger: row after row, in bands that stay in the processor's cache, on all cores.

Preview, full size and delivery use this one evaluator; only the size differs. Float32 inside, nothing clamped.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.combine.ledger import Ledger, Row
from prism.combine.operators import OPERATORS
from prism.elements.pixels import Frame, Pixels
from prism.elements.store import PixelStore
from prism.errors import UnknownSource

BAND_PIXELS = 1 << 15  # running result of a band: 512 KiB, half a current core's second cache
Stale = Callable[[], bool]


def never() -> bool:
    """For work that nothing supersedes."""
    return False


@dataclass(frozen=True, slots=True, eq=False)
class Running:
    """A running result that can be kept: float32 (4, H, W), read-only."""

    rgba: NDArray[np.float32]

    @property
    def byte_count(self) -> int:
        """Of the pixels, in memory."""
        return self.rgba.nbytes


def evaluate(ledger: Ledger, sources: Frame, *, step: int = 1, is_stale: Stale = never) -> NDArray[np.float32]:
    """The rebuilt image: float32 (4, H, W), premultiplied R G B A over the frame's window.

    step: divides both sides, for previews. Raises UnknownSource, or Superseded once `is_stale` answers True.
    """
    sources.read(keys_of(ledger), step=step)
    running = start(ledger, sources, step=step)
    apply_rows(running, ledger.rows, sources, step=step, is_stale=is_stale)
    return running


def keys_of(ledger: Ledger) -> list[str | None]:
    """Of all sources that an evaluation asks for."""
    return [ledger.alpha, *(row.source for row in ledger.rows if row.on)]


def start(ledger: Ledger, sources: Frame, *, step: int = 1) -> NDArray[np.float32]:
    """Black, with the alpha the ledger starts from."""
    running = np.zeros((4, *sources.shape(step)), np.float32)
    if ledger.alpha is not None:
        alpha = sources.pixels(ledger.alpha, step=step).alpha
        running[3] = 1 if alpha is None else alpha
    return running


def apply_rows(
    running: NDArray[np.float32],
    rows: Sequence[Row],
    sources: Frame,
    *,
    step: int = 1,
    is_stale: Stale = never,
) -> None:
    """Apply the rows that are on to a running result, in place."""
    steps = [_step(row, sources, step) for row in rows if row.on]
    if not steps:
        return
    height, width = running.shape[1:]

    def work(first: int, end: int) -> None:
        band = [running[channel, first:end].reshape(-1) for channel in range(4)]
        for apply, planes, alpha, gains, amount in steps:
            cut = [plane[first * width : end * width] for plane in planes]
            apply(band, cut, None if alpha is None else alpha[first * width : end * width], gains, amount)

    run_bands(work, height, max(1, BAND_PIXELS // width), is_stale=is_stale)


def _step(row: Row, sources: Frame, step: int) -> tuple:
    try:
        pixels = sources.pixels(row.source, step=step)
    except UnknownSource as error:
        raise UnknownSource(error.what, where=f"row {row.id}", advice=error.advice) from None
    return (OPERATORS[row.operator], *_stored(pixels), _float32(row.gains), np.float32(row.amount))


class Evaluator:
    """Evaluates ledgers one after another and starts from the last row that did not change.

    While one row is dragged, everything above it is kept from the first time; only what follows is computed.
    """

    def __init__(self, store: PixelStore) -> None:
        self._store = store

    def evaluate(
        self,
        ledger: Ledger,
        sources: Frame,
        *,
        step: int = 1,
        edited: str | None = None,
        is_stale: Stale = never,
    ) -> NDArray[np.float32]:
        """Like `evaluate`. edited: id of the row being changed; the result above it is kept for the next call."""
        ids = [row.id for row in ledger.rows]
        if edited not in ids:
            return evaluate(ledger, sources, step=step, is_stale=is_stale)
        place = ids.index(edited)
        above = self._store.get(
            ("above", sources.identity(), step, ledger.alpha, ledger.rows[:place]),
            lambda: self._above(ledger, place, sources, step, is_stale),
        )
        sources.read((row.source for row in ledger.rows[place:] if row.on), step=step)
        running = above.rgba.copy()
        apply_rows(running, ledger.rows[place:], sources, step=step, is_stale=is_stale)
        return running

    @staticmethod
    def _above(ledger: Ledger, place: int, sources: Frame, step: int, is_stale: Stale) -> Running:
        rgba = evaluate(ledger.replace(rows=ledger.rows[:place]), sources, step=step, is_stale=is_stale)
        rgba.setflags(write=False)
        return Running(rgba)


def _stored(pixels: Pixels) -> tuple[list[NDArray], NDArray | None]:
    """Flat planes as the compiled loops read them: half as its bits."""
    flat = [_bits(plane).reshape(-1) for plane in pixels.planes]
    return flat, None if pixels.alpha is None else _bits(pixels.alpha).reshape(-1)


def _bits(plane: NDArray) -> NDArray:
    return plane.view(np.uint16) if plane.dtype == np.float16 else plane


def _float32(gains: tuple[float, float, float]) -> tuple[np.float32, np.float32, np.float32]:
    return tuple(np.float32(gain) for gain in gains)
