"""What a source has lost by place: black where it should hold light, or enlarged without interpolation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.balance.world import World, finite
from prism.sources.pixels import Frame

ALL_BLACK = 0.995  # share of the wrong pixels that must be black in a source
REPEATED = 0.15  # share of columns, and of rows, that are just their neighbour
VARIED = 0.5  # share of columns that must vary for that to tell anything
BELOW_NOTHING = 0.02  # share of the light wanted that may be negative: a pass holds none


@dataclass(frozen=True, slots=True)
class Loss:
    """text: after the title of the source. whole: nothing at all is left."""

    text: str
    whole: bool = False


def black_of(world: World, frame: Frame, key: str) -> Loss | None:
    """Whether a source is black just where something is wrong, and would hold light there. frame: the whole picture."""
    wrong = world.residue.wrong[0]
    stored, wanted = world.stored(key)[:, 0, wrong], world.light_wanted(key)[:, 0, wrong]
    if not stored.size or (stored == 0).all(axis=0).mean() < ALL_BLACK or negative_share(wanted) > BELOW_NOTHING:
        return None
    lit = _lit(frame, key)
    if not lit.any():
        return Loss("is all black, and the light that is missing is in no other pass", whole=True)
    rows, columns = (np.flatnonzero(lit.any(axis=axis)) for axis in (1, 0))
    top, end, left, right = rows[0], rows[-1], columns[0], columns[-1]
    y, x = np.divmod(world.residue.places[: wrong.sum()], lit.shape[1])
    shift = frame.window.x0 - frame.display_window.x0, frame.window.y0 - frame.display_window.y0
    outside = (y < top) | (y > end) | (x < left) | (x > right)
    if outside.mean() > ALL_BLACK:
        text = (
            f"is black outside x {left + shift[0]} to {right + shift[0]}, y {top + shift[1]} to {end + shift[1]}: "
            "its border was cut off"
        )
        return Loss(text)
    if not _holed(lit, y, x):
        return None
    text = (
        f"is black in x {x.min() + shift[0]} to {x.max() + shift[0]}, y {y.min() + shift[1]} to {y.max() + shift[1]}: "
        "a part of it was not rendered or not written"
    )
    return Loss(text)


def _lit(frame: Frame, key: str) -> NDArray[np.bool_]:
    return np.any([plane != 0 for plane in frame.pixels(key).planes], axis=0)


def _holed(lit: NDArray[np.bool_], y: NDArray, x: NDArray) -> bool:
    """Whether a box about pixels (N,) is black inside, and lit around."""
    top, end, left, right = y.min(), y.max() + 1, x.min(), x.max() + 1
    if lit[top:end, left:right].mean() > 1 - ALL_BLACK:
        return False
    around = lit[max(0, top - 3) : end + 3, max(0, left - 3) : right + 3]
    ring = around.size - (end - top) * (right - left)
    return bool(ring and around.sum() > ring / 4)


def negative_share(light: NDArray) -> float:
    """How much of light (3, N) lies below nothing."""
    light = finite(light)
    total = np.abs(light).sum(dtype=np.float64)
    return float(np.maximum(-light, 0).sum(dtype=np.float64) / total) if total else 0.0


def enlarged_by(planes: NDArray[np.float32], wanted: NDArray[np.float32]) -> float:
    """By what factor a picture (h, w) was enlarged by repeating pixels; 0 if it was not. wanted: what it should be,
    which repeats none."""
    factors = []
    for turned, due in ((planes, wanted), (planes.T, wanted.T)):
        varied = np.ptp(turned, axis=1) > 0
        if varied.mean() < VARIED:
            return 0.0
        same, same_due = ((plane[1:] == plane[:-1]).all(axis=1) & varied[1:] for plane in (turned, due))
        if same.mean() < REPEATED or same_due.mean() > same.mean() / 4:
            return 0.0
        factors.append(1 / max(1 - float(same.mean()), 1e-3))
    return float(np.mean(factors))
