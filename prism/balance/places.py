"""Whether a source lies elsewhere than it should: shifted, mirrored, of another frame, or without the detail it had.

Shifts are found by phase correlation (Kuglin & Hines 1975) on a part of the picture, and then tried.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.ndimage import uniform_filter

from prism.balance.picked import Picked
from prism.combine.evaluate import evaluate
from prism.elements.pixels import Frame, Region
from prism.errors import PrismError
from prism.ledger.document import Ledger
from prism.pixels.window import Window

TILE = 512  # side of the part that is correlated
PEAKS = 3  # places that are tried
NEAR_FRAMES = (-1, 1, -2, 2)
BLOCK = 8  # pixels over which light that was moved by scaling evens out
MOVES_ALONG = 0.2  # likeness of what a frame lacks and the way to another frame
FINE = 0.25  # share of the fine detail below which a source has lost its own


@dataclass(frozen=True, slots=True, eq=False)
class PlaceTrial:
    """As a trial of values. frame: the world in which it is put right."""

    cause: str
    text: str
    frame: Picked
    judged: NDArray[np.bool_] | None = None
    share: float | None = None  # known without a trial


@dataclass(frozen=True, slots=True, eq=False)
class Tile:
    """A part of the picture where much is wrong. gap: what the sum lacks there, luminance (h, w)."""

    region: Frame
    ledger: Ledger
    gap: NDArray[np.float32]

    @classmethod
    def around(cls, ledger: Ledger, frame: Frame, wrong: NDArray[np.int64]) -> Tile:
        """wrong: (N,), numbers of pixels that are wrong, row by row."""
        height, width = frame.shape()
        rows, columns = np.divmod(wrong, width)
        top, left = (_begin(int(np.median(at)), side) for at, side in ((rows, height), (columns, width)))
        window = frame.window
        box = Window(
            window.x0 + left, window.y0 + top,
            window.x0 + min(left + TILE, width) - 1, window.y0 + min(top + TILE, height) - 1,
        )  # fmt: skip
        region = Region(frame.whole, box)
        return cls(region, ledger, _grey(evaluate(ledger.rendered, region).rgba) - _grey(evaluate(ledger, region).rgba))

    def pair(self, key: str) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """A source as it is stored, and as it would have to be; of a sum in which it counts once, luminance (h, w)
        each."""
        stored = _grey(np.stack(self.region.pixels(key).planes).astype(np.float32))
        sign = -1 if key in self.ledger.rendered.sources else 1
        return stored, stored + sign * self.gap


def _begin(middle: int, side: int) -> int:
    return max(0, min(middle - TILE // 2, side - TILE))


def _grey(planes: NDArray) -> NDArray[np.float32]:
    """Equal parts of the channels, without what is no number."""
    return np.nan_to_num(planes[:3], nan=0, posinf=0, neginf=0).mean(axis=0, dtype=np.float32)


def place_trials(key: str, title: str, picked: Picked, tile: Tile) -> Iterator[PlaceTrial]:
    """Shifted, mirrored."""
    for x, y in _shifts(*tile.pair(key)):
        text = f"{title} is shifted: it is {_where(x, 'right', 'left')}{_where(y, 'below', 'above')}of its place."
        frame, inside = picked.with_shift(key, x, y)
        yield PlaceTrial("shifted", text, frame, inside)
    for across, down, how in (
        (True, False, "left to right"),
        (False, True, "top to bottom"),
        (True, True, "both ways"),
    ):
        text = f"{title} is mirrored, {how}."
        yield PlaceTrial("mirrored", text, picked.with_mirror(key, across=across, down=down))


def _shifts(stored: NDArray, wanted: NDArray) -> list[tuple[int, int]]:
    """Right and down, by which the stored one may lie off, the likeliest first."""
    fading = np.outer(np.hanning(stored.shape[0] + 2)[1:-1], np.hanning(stored.shape[1] + 2)[1:-1])
    one, other = (fft.rfft2(np.sign(plane) * np.log1p(np.abs(8 * plane)) * fading) for plane in (stored, wanted))
    cross = one * np.conj(other)
    size = np.abs(cross)
    peaks = fft.irfft2(cross / (size + 1e-3 * size.mean() + 1e-30), s=stored.shape)
    found = []
    for place in np.argsort(peaks, axis=None)[::-1][: PEAKS + 1]:
        y, x = (int(at) for at in np.unravel_index(place, peaks.shape))
        x, y = (at - side if at > side // 2 else at for at, side in ((x, stored.shape[1]), (y, stored.shape[0])))
        if (x, y) != (0, 0):
            found.append((x, y))
    return found[:PEAKS]


def _where(by: int, positive: str, negative: str) -> str:
    return f"{abs(by)} px {positive if by > 0 else negative} " if by else ""


def softened(key: str, tile: Tile) -> float:
    """Whether a source was scaled or blurred: the share of the residue that evens out over blocks; 0 if it has as much
    fine detail as it should have."""
    stored, wanted = tile.pair(key)
    own, due = (_fine(plane) for plane in (stored, wanted))
    if min(stored.shape) < 2 * BLOCK or due <= 0 or own > FINE * due:
        return 0.0
    gap = wanted - stored
    rough = np.abs(gap).mean()
    return float(max(0.0, 1 - np.abs(uniform_filter(gap, BLOCK)).mean() / rough)) if rough else 0.0


def _fine(plane: NDArray) -> float:
    """Energy of what is finer than three pixels."""
    light = np.log1p(np.abs(plane))
    spectrum = (
        np.abs(fft.rfft2((light - light.mean()) * np.outer(np.hanning(plane.shape[0]), np.hanning(plane.shape[1]))))
        ** 2
    )
    rate = np.hypot(*np.meshgrid(fft.rfftfreq(plane.shape[1]), fft.fftfreq(plane.shape[0])))
    return float(spectrum[rate > 1 / 3].sum())


def frame_trials(
    ledger: Ledger, frame: Frame, picked: Picked, key: str, title: str, gap: NDArray
) -> Iterator[PlaceTrial]:
    """Of another frame: that fits in its place, or it is the same as there while the picture moves on.

    gap: (3, 1, N), what the source lacks. Reading other frames takes its time.
    """
    own = np.stack(picked.pixels(key).planes).astype(np.float32)
    others: dict[int, Picked] = {}
    for offset in NEAR_FRAMES:
        try:
            other = frame.at(frame.number + offset)
        except PrismError:
            continue
        if key in other and other.shape() == frame.shape():
            others[other.number] = picked.of(other)
    theirs = {number: np.stack(there.pixels(key).planes).astype(np.float32) for number, there in others.items()}
    for number, there in others.items():
        text = f"{title} is of another frame: that of {number} fits frame {frame.number}."
        yield PlaceTrial("wrong_frame", text, picked.with_change(key, lambda _, at=there: at.pixels(key)))
        if np.ptp(own) > 0 and np.array_equal(own, theirs[number], equal_nan=True):
            moving = [light - own for other, light in theirs.items() if other != number and (light != own).any()]
            if any(_alike(gap, way) > MOVES_ALONG for way in moving) or _all_move(ledger, picked, there, key):
                text = f"{title} is of another frame: it is just that of {number}."
                yield PlaceTrial("wrong_frame", text, picked, share=1.0)


def _alike(gap: NDArray, way: NDArray) -> float:
    """Cosine of two differences."""
    gap, way = (np.nan_to_num(plane, nan=0, posinf=0, neginf=0).ravel() for plane in (gap, way))
    both = np.linalg.norm(gap) * np.linalg.norm(way)
    return float(gap @ way / both) if both else 0.0


def _all_move(ledger: Ledger, picked: Picked, there: Picked, key: str) -> bool:
    """Whether all other sources of the ledger differ between two frames."""
    others = [k for k in dict.fromkeys((*ledger.rendered.sources, *(row.source for row in ledger.passes))) if k != key]
    return bool(others) and all(
        k in there
        and not np.array_equal(np.stack(picked.pixels(k).planes), np.stack(there.pixels(k).planes), equal_nan=True)
        for k in others
        if np.ptp(np.stack(picked.pixels(k).planes)) > 0
    )
