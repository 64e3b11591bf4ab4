"""Where an overlay belongs: its lines laid on the edges of the picture by phase correlation.

Source: Kuglin & Hines, "The phase correlation image alignment method", IEEE Int. Conf. on Cybernetics and Society,
1975.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from prism.sources.pixels import Frame

MOST_SIDE = 1024  # pixels that are correlated; larger pictures are reduced
SOFT = 1e-3  # against dividing by nothing
EDGE = 1.0  # pixels within which lines and edges agree
SURE = 0.25  # of a pixel; less than that is not told from none
NEAR = 3  # pixels about the peak that count as it


@dataclass(frozen=True, slots=True)
class Registration:
    """x, y: pixels of the full picture by which the overlay should be pushed right and down. certainty: 0..1, how far
    the best place stands out from the next."""

    x: float
    y: float
    certainty: float

    @property
    def in_place(self) -> bool:
        """Whether it lies right already, as far as edges tell: lines are drawn beside an edge, not on it."""
        return max(abs(self.x), abs(self.y)) <= EDGE


def register(frame: Frame, overlay: str, picture: str) -> Registration:
    """Find the push that lays an overlay's lines on the edges of a picture. Raises UnknownSource.

    To half a pixel or so; a scale or a turn is not looked for, and lowers the certainty.
    """
    height, width = frame.shape()
    step = max(1, -(-max(height, width) // MOST_SIDE))
    lines = _faded(_brightness(frame, overlay, step))
    down, across = np.gradient(_brightness(frame, picture, step))
    return _found(_correlated(_faded(np.hypot(down, across)), lines), step)


def _brightness(frame: Frame, key: str, step: int) -> NDArray[np.float32]:
    """The brightness of log light, so that bright lamps do not outshout the rest; what is no number is black."""
    planes = np.stack(frame.pixels(key, step=step).planes).astype(np.float32)
    light = np.nan_to_num(planes, nan=0, posinf=0, neginf=0).clip(0).sum(axis=0)
    return np.log1p(8 * light)


def _faded(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """Towards the border of the picture, where there is an edge that means nothing."""
    window = np.outer(np.hanning(plane.shape[0] + 2)[1:-1], np.hanning(plane.shape[1] + 2)[1:-1])
    return ((plane - plane.mean()) * window).astype(np.float32)


def _correlated(fixed: NDArray, moving: NDArray) -> NDArray[np.float64]:
    cross = fft.rfft2(fixed) * np.conj(fft.rfft2(moving))
    size = np.abs(cross)
    return fft.irfft2(cross / (size + SOFT * size.mean() + 1e-30), s=fixed.shape)


def _found(peaks: NDArray[np.float64], step: int) -> Registration:
    row, column = np.unravel_index(int(np.argmax(peaks)), peaks.shape)
    top = peaks[row, column]
    rest = peaks.copy()
    height, width = peaks.shape
    rows = np.arange(row - NEAR, row + NEAR + 1) % height
    columns = np.arange(column - NEAR, column + NEAR + 1) % width
    rest[np.ix_(rows, columns)] = -np.inf
    certainty = float(np.clip(1 - rest.max() / top, 0, 1)) if top > 0 else 0.0
    y = row + _part(peaks[(row - 1) % height, column], top, peaks[(row + 1) % height, column])
    x = column + _part(peaks[row, (column - 1) % width], top, peaks[row, (column + 1) % width])
    return Registration(_signed(x, width) * step, _signed(y, height) * step, certainty)


def _part(before: float, top: float, after: float) -> float:
    """Where between the pixels a peak stands, from the larger of its neighbours (Foroosh et al. 2002)."""
    if max(before, after) <= 0:
        return 0.0
    part = after / (after + top) if after > before else -before / (before + top)
    return part if abs(part) > SURE else 0.0


def _signed(place: float, size: int) -> float:
    return round(float(place) - size if place > size / 2 else float(place), 2)
