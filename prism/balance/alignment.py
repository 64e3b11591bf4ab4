"""Whether a source lies elsewhere than it should: shifted, mirrored, of another frame, or without the detail it had.

Shifts are found by phase correlation (Kuglin & Hines 1975) on a part of the picture, and then tried.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.ndimage import uniform_filter

from prism.balance.lost import BELOW_NOTHING, negative_share
from prism.balance.picked import Change, Picked
from prism.balance.rounding import rounding_bound
from prism.balance.world import World, finite
from prism.combine.program import compile_ledger
from prism.errors import PrismError
from prism.ledger.document import Ledger
from prism.sources.pixels import Frame

TILE = 256  # side of the part that is correlated
PEAKS = 3  # places that are tried
BLOCK = 8  # pixels over which light that was moved by scaling evens out
MOVES_ALONG = 0.2  # likeness of what a frame lacks and the way to another frame
SAME_PLACES = 0.8  # likeness of two pictures over blocks from which they show the same
_PARTS = np.linspace(0.02, 0.98, 25)  # of all pixels, at which two pictures are compared by their values
FINE = 0.25  # share of the fine detail below which a source has lost its own


@dataclass(frozen=True, slots=True, eq=False)
class PlaceTrial:
    """A trial of values in another world. frame: the world in which it is put right."""

    cause: str
    text: str
    frame: Picked
    judged: NDArray[np.bool_] | None = None
    share: float | None = None  # known without a trial


class Tile:
    """A part of the picture where much is wrong, all of its pixels. world: the ledger on them."""

    def __init__(self, world: World, frame: Frame) -> None:
        """world: the ledger on picked pixels of the frame."""
        wrong = world.residue.places[: int(world.residue.wrong.sum())]
        height, width = frame.shape()
        rows, columns = np.divmod(wrong, width)
        (top, high), (left, wide) = (_box(at, side) for at, side in ((rows, height), (columns, width)))
        self.shape = high, wide
        places = ((top + np.arange(high))[:, None] * width + left + np.arange(wide)).reshape(-1)
        picked = Picked(frame, places)
        program, reference = (compile_ledger(each, frame.number) for each in (world.ledger, world.ledger.rendered))
        self.world = world.elsewhere(picked, rounding_bound(program, reference, picked), places)
        self._pairs: dict[str, tuple[NDArray[np.float32], NDArray[np.float32]]] = {}

    def stored(self, key: str) -> NDArray[np.float32]:
        """A source as it is stored, (3, h, w)."""
        return self._whole(self.world.stored(key))

    def wanted(self, key: str) -> NDArray[np.float32]:
        """A source as it would have to be, (3, h, w); NaN where nothing tells."""
        return self._whole(self.world.light_wanted(key))

    def noise(self, key: str) -> NDArray[np.float32]:
        """How far rounding may have moved that, (3, h, w)."""
        return self._whole(self.world.noise(key))

    def filled(self, key: str) -> NDArray[np.float32]:
        """A source as it would have to be, and where nothing tells as it is, (3, h, w)."""
        wanted = self.wanted(key)
        return np.where(np.isfinite(wanted), wanted, self.stored(key))

    def pair(self, key: str) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """A source as it is and as it would have to be, as brightness, (h, w) each."""
        if key not in self._pairs:
            self._pairs[key] = _grey(self.stored(key)), _grey(self.filled(key))
        return self._pairs[key]

    def _whole(self, row: NDArray[np.float32]) -> NDArray[np.float32]:
        return row.reshape(3, *self.shape)


def _box(at: NDArray[np.int64], side: int) -> tuple[int, int]:
    """Where a tile about the middle of some places begins, and how long it is."""
    return _begin(int(np.median(at)), side), min(TILE, side)


def _begin(middle: int, side: int) -> int:
    return max(0, min(middle - TILE // 2, side - TILE))


def _grey(planes: NDArray) -> NDArray[np.float32]:
    """Equal parts of the channels, without what is no number."""
    return finite(planes[:3]).mean(axis=0, dtype=np.float32)


def place_trials(key: str, title: str, picked: Picked, shifts: Sequence[tuple[int, int]]) -> Iterator[PlaceTrial]:
    """Shifted by one of some ways, mirrored."""
    for x, y in shifts:
        text = f"{title} {shifted_words(x, y)}."
        frame, inside = picked.with_shift(key, x, y)
        yield PlaceTrial("shifted", text, frame, inside)
    for across, down, how in (
        (True, False, "left to right"),
        (False, True, "top to bottom"),
        (True, True, "both ways"),
    ):
        text = f"{title} is mirrored, {how}."
        yield PlaceTrial("mirrored", text, picked.with_mirror(key, across=across, down=down))


def likely_shifts(stored: NDArray, wanted: NDArray, *, still: bool = False) -> list[tuple[int, int]]:
    """Right and down, by which the stored one may lie off, the likeliest first. still: not moved may be one of them."""
    fading = _fading(*stored.shape)
    one, other = (fft.rfft2(np.sign(plane) * np.log1p(np.abs(8 * plane)) * fading) for plane in (stored, wanted))
    cross = one * np.conj(other)
    size = np.abs(cross)
    peaks = fft.irfft2(cross / (size + 1e-3 * size.mean() + 1e-30), s=stored.shape)
    found = []
    few = min(PEAKS + 1, peaks.size)
    highest = np.argpartition(peaks, -few, axis=None)[-few:]
    for place in highest[np.argsort(peaks.flat[highest])[::-1]]:
        y, x = (int(at) for at in np.unravel_index(place, peaks.shape))
        x, y = (at - side if at > side // 2 else at for at, side in ((x, stored.shape[1]), (y, stored.shape[0])))
        if still or (x, y) != (0, 0):
            found.append((x, y))
    return found[:PEAKS]


@cache
def _fading(height: int, width: int) -> NDArray[np.float32]:
    """Towards the border of a tile, where there is an edge that means nothing; of one size or a few."""
    return np.outer(np.hanning(height + 2)[1:-1], np.hanning(width + 2)[1:-1]).astype(np.float32)


def _where(by: float, positive: str, negative: str) -> str:
    return f"{abs(by):.2g} px {positive if by > 0 else negative} " if abs(by) >= 0.005 else ""


def shifted_words(x: float, y: float) -> str:
    """Where something lies that was moved by so many pixels."""
    return f"is shifted: it is {_where(x, 'right', 'left')}{_where(y, 'below', 'above')}of its place"


def lies_along(tile: Tile, key: str) -> float:
    """How much a source lacks or has too much where there is much of it, and little where there is little: correlation
    over blocks, -1..1. Lost detail goes with the light that has it."""
    stored, wanted = tile.pair(key)
    if min(stored.shape) < 2 * BLOCK:
        return 0.0
    off, light = (uniform_filter(plane, BLOCK)[::BLOCK, ::BLOCK] for plane in (np.abs(wanted - stored), np.abs(stored)))
    return _alike(off - off.mean(), light - light.mean())


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


def other_frames(frame: Frame, key: str, offsets: Iterable[int]) -> dict[int, Frame]:
    """The frames about one that have a source in the same size, by their numbers. Reading them takes its time."""
    found: dict[int, Frame] = {}
    for offset in offsets:
        try:
            other = frame.at(frame.number + offset)
        except PrismError:
            continue
        if key in other and other.shape() == frame.shape():
            found[other.number] = other
    return found


def frame_trials(
    ledger: Ledger, frames: Mapping[int, Frame], picked: Picked, key: str, title: str, gap: NDArray
) -> Iterator[PlaceTrial]:
    """A trial of another frame: that fits in its place, or it is the same as there while the picture moves on.

    frames: those to look at. gap: (3, 1, N), what the source lacks.
    """
    own = np.stack(picked.pixels(key).planes).astype(np.float32)
    others = {number: picked.of(frame) for number, frame in frames.items()}
    theirs = {number: np.stack(there.pixels(key).planes).astype(np.float32) for number, there in others.items()}
    for number, there in others.items():
        text = f"{title} is of another frame: that of {number} fits frame {picked.number}."
        yield PlaceTrial("wrong_frame", text, picked.with_change(key, _taken_from(there, key)))
        if np.ptp(own) > 0 and np.array_equal(own, theirs[number], equal_nan=True):
            moving = [light - own for other, light in theirs.items() if other != number and (light != own).any()]
            if any(_alike(gap, way) > MOVES_ALONG for way in moving) or _all_move(ledger, picked, there, key):
                text = f"{title} is of another frame: it is just that of {number}."
                yield PlaceTrial("wrong_frame", text, picked, share=1.0)


def of_another_picture(stored: NDArray[np.float32], wanted: NDArray[np.float32]) -> float:
    """Whether a source, (3, h, w), holds as much light as it should, in other places: how alike the two are in how
    often each value comes, 0..1; 0 if they lie in the same places, or hold different light."""
    if negative_share(wanted.reshape(3, -1)) > BELOW_NOTHING:
        return 0.0
    broad = [uniform_filter(np.log1p(np.maximum(_grey(plane), 0)), BLOCK) for plane in (stored, wanted)]
    one, other = (plane - plane.mean() for plane in broad)
    if _alike(one, other) > SAME_PLACES:
        return 0.0
    likeness = []
    for mine, due in zip(stored, wanted, strict=True):
        quantiles = [np.quantile(np.maximum(plane, 0), _PARTS) for plane in (mine, due)]
        spread = float(quantiles[1][-1] - quantiles[1][0])
        likeness.append(1 - float(np.abs(quantiles[0] - quantiles[1]).mean()) / spread if spread > 0 else 0.0)
    return max(0.0, min(likeness))


def _alike(gap: NDArray, way: NDArray) -> float:
    """Cosine of two differences."""
    gap, way = (finite(plane).ravel() for plane in (gap, way))
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


def _taken_from(frame: Picked, key: str) -> Change:
    """A source as it is in another frame."""
    return lambda _: frame.pixels(key)
