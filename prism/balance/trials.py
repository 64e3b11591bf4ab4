"""What may have been done to a source before it was stored, as trials: worlds in which it is put right again.

Every trial is a changed source of a handful of pixels. What the source would have to be for the sum to land (`Wanted`)
says which changes are worth a try, and is never taken for an explanation itself but where values are lost: above a
clamp, and outside of coverage.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from prism.balance.picked import Change, mapped
from prism.colour.spaces import CHROMATICITIES, SPACES, conversion_between, decode_srgb, plain_conversion

Colour = NDArray[np.float32]  # (3, 1, N)
UNIT_HALF = 2.0**-11
COVERED = 1e-4  # alpha below which nothing covers
NEAR_ONE = 4e-3  # by which a factor must differ from 1 to be one
_PRIMARIES: Mapping[str, tuple[float, ...]] = MappingProxyType(
    dict(CHROMATICITIES)
    | {
        "Rec.2020": (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290),  # ITU-R BT.2020
        "P3 with the white D65": (0.680, 0.320, 0.265, 0.690, 0.150, 0.060, 0.3127, 0.3290),  # SMPTE EG 432-1
    }
)
_ORDERS = {"blue, green, red": (2, 1, 0), "green, red, blue": (1, 0, 2), "red, blue, green": (0, 2, 1),
           "green, blue, red": (1, 2, 0), "blue, red, green": (2, 0, 1)}  # fmt: skip
FEWEST_LEVELS, MOST_LEVELS = 16, 300  # of values that were rounded to steps
MATRIX_FITS = 0.01  # by which no number of a fitted matrix may differ from that of a known one


@dataclass(frozen=True, slots=True, eq=False)
class Wanted:
    """A source on the pixels that are looked at. stored: its colour. light: what it would have to be for the sum to
    land, were it the only wrong one. alpha: that it is covered by, of its own or the beauty; None without. wrong: of
    each pixel, (1, N). half: its type.
    """

    title: str
    stored: Colour
    light: Colour
    alpha: NDArray[np.float32] | None
    wrong: NDArray[np.bool_]
    half: bool
    is_sky: bool


@dataclass(frozen=True, slots=True, eq=False)
class ValueTrial:
    """cause and text: as of a suggestion. change: puts the source right. judged: pixels it can be judged on, (1, N);
    all if None."""

    cause: str
    text: str
    change: Change
    judged: NDArray[np.bool_] | None = None


def value_trials(wanted: Wanted) -> Iterator[ValueTrial]:
    """All that may have been done to the values of a source, the likelier first."""
    for make in (_curves, _alphas, _matrices, _gains, _offsets, _clamps, _outside):
        yield from make(wanted)


def _curve(power: float) -> Callable[[NDArray], NDArray]:
    return lambda colour: np.sign(colour) * np.abs(colour) ** power


def _encode_whole_srgb(linear: NDArray) -> NDArray:
    """The curve of sRGB going on above 1."""
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055)


def _decode_bt709(display: NDArray) -> NDArray:
    """ITU-R BT.709-6, the inverse of its opto-electronic transfer."""
    return np.where(display < 0.081, display / 4.5, ((np.maximum(display, 0.081) + 0.099) / 1.099) ** (1 / 0.45))


def _curves(wanted: Wanted) -> Iterator[ValueTrial]:
    """Where everything was cut off at 1 by a curve, what lay above is lost, and not judged."""
    top = float(np.nanmax(wanted.stored, initial=0))
    judged = None
    if abs(top - 1) < 2e-3:
        judged = (wanted.stored < 1 - 2e-3).all(axis=0)
    baked = f"{wanted.title} has a display curve baked in: it should be linear."
    twice = f"{wanted.title} was made linear twice: it is darker than its light."
    for text, back in (
        (baked, decode_srgb), (baked, _curve(2.2)), (baked, _curve(2.4)), (baked, _decode_bt709),
        (twice, _encode_whole_srgb), (twice, _curve(1 / 2.2)), (twice, _curve(1 / 2.4)),
    ):  # fmt: skip
        yield ValueTrial("encoded", text, mapped(back), judged if text is baked else None)


def _alphas(wanted: Wanted) -> Iterator[ValueTrial]:
    """Only where some pixels are covered in part: whole and empty ones look alike either way."""
    alpha = wanted.alpha
    if alpha is None:
        return
    part = wanted.wrong & (alpha > COVERED) & (alpha < 1 - COVERED)
    if not part.any():
        return
    straight = f"{wanted.title} is straight and was taken for premultiplied: multiply it by its alpha."
    safe = np.where(alpha > COVERED, alpha, 1)  # light without coverage is left as it is by either
    yield ValueTrial("straight_alpha", straight, mapped(lambda colour: colour * safe))
    twice = f"{wanted.title} was multiplied by its alpha twice: it is premultiplied already."
    judged = alpha > COVERED
    yield ValueTrial("straight_alpha", twice, mapped(lambda colour: colour / safe), judged)


def _matrices(wanted: Wanted) -> Iterator[ValueTrial]:
    """Other primaries and channels in another order, told by the matrix that turns what is stored into what is
    wanted."""
    fitted = _fitted_matrix(wanted)
    if fitted is None:
        return
    for name, order in _ORDERS.items():
        if np.abs(fitted - np.eye(3)[list(order)]).max() < MATRIX_FITS:
            text = f"{wanted.title} has its channels in another order: they should be taken as {name}."
            yield ValueTrial("swapped", text, mapped(lambda colour, order=order: colour[list(order)]))
    for one, first in _PRIMARIES.items():
        for other, second in _PRIMARIES.items():
            matrices = (conversion_between(first, second), plain_conversion(first, second)) if one != other else ()
            for matrix in matrices:
                if np.abs(fitted - matrix).max() < MATRIX_FITS * max(1.0, np.abs(matrix).max()):
                    text = f"{wanted.title} is in {SPACES.get(one, one)} and was taken for {SPACES.get(other, other)}."
                    by = matrix.astype(np.float32)
                    yield ValueTrial("colour_space", text, mapped(lambda colour, by=by: np.tensordot(by, colour, 1)))


def _fitted_matrix(wanted: Wanted) -> NDArray | None:
    """(3, 3), by least squares relative to brightness; None where the colours do not tell."""
    stored, light = (plane[:, wanted.wrong].astype(np.float64) for plane in (wanted.stored, wanted.light))
    size = np.abs(stored).sum(axis=0)
    use = np.isfinite(stored).all(axis=0) & np.isfinite(light).all(axis=0) & (size > 1e-6)
    if use.sum() < 30:
        return None
    stored, light = stored[:, use] / size[use], light[:, use] / size[use]
    values, rank = (
        np.linalg.lstsq(stored.T, light.T, rcond=1e-3)[0],
        np.linalg.matrix_rank(stored, tol=1e-2 * np.sqrt(use.sum())),
    )
    if rank < 3:
        return None
    return values.T


def _gains(wanted: Wanted) -> Iterator[ValueTrial]:
    use = wanted.wrong & np.isfinite(wanted.light).all(axis=0) & np.isfinite(wanted.stored).all(axis=0)
    factors = []
    for stored, light in zip(wanted.stored, wanted.light, strict=True):
        lit = use & (np.abs(stored) > np.abs(stored).max(initial=0) * 1e-3)
        factors.append(float(np.median(light[lit] / stored[lit])) if lit.any() else 1.0)
    each = np.array(factors)
    gain = float(np.median(each))
    if not np.isfinite(each).all() or (np.abs(each) < 1e-3).any():
        return
    if abs(gain - 1) > NEAR_ONE / 8:
        text = f"{wanted.title} is {1 / gain:.4g} times as bright as it is in the beauty."
        yield ValueTrial("gain", text, mapped(lambda light: light * np.float32(gain)))
    if np.abs(each - gain).max() > NEAR_ONE:
        said = ", ".join(f"{1 / factor:.4g}" for factor in each)
        text = f"{wanted.title} is {said} times as bright in red, green and blue as it is in the beauty."
        by = each.astype(np.float32).reshape(3, 1, 1)
        yield ValueTrial("gain", text, mapped(lambda light: light * by))


def _offsets(wanted: Wanted) -> Iterator[ValueTrial]:
    gap = np.where(wanted.wrong, wanted.light - wanted.stored, np.nan)
    gap = gap[:, np.isfinite(gap).all(axis=0)]
    if gap.shape[1] < 30:
        return
    by = np.median(gap, axis=1).astype(np.float32)
    # Whichever source is lifted, the sum is; only in that one nothing is darker than the lift. A lowered one has light
    # below 0.
    least = np.abs(by).max()
    below = (wanted.stored + by.reshape(3, 1, 1) < -0.1 * least).any(axis=0).mean()
    lowered = by.min() <= 0 or (wanted.stored < -0.5 * least).any(axis=0).mean() > 0.01
    if least > 1e-6 and below < 0.01 and lowered:
        said = f"{-by[0]:.4g}" if np.ptp(by) < 1e-3 * np.abs(by).max() else ", ".join(f"{-part:.4g}" for part in by)
        text = f"{wanted.title} is lifted by {said} everywhere."
        yield ValueTrial("offset", text, mapped(lambda light: light + by.reshape(3, 1, 1)))


def _clamps(wanted: Wanted) -> Iterator[ValueTrial]:
    """What it lacks lies where it is at its largest value, and nowhere else."""
    top = float(np.nanmax(wanted.stored, initial=0))
    at_top = wanted.stored >= top * np.float32(1 - 2 * UNIT_HALF)
    if top <= 0 or at_top.any(axis=0).sum() < 4:
        return
    filled = np.where(at_top & (wanted.light > wanted.stored), wanted.light, wanted.stored)
    yield ValueTrial(
        "clamped", f"{wanted.title} is cut off at {top:.4g}: its light above that is lost.", mapped(lambda _: filled)
    )


def _outside(wanted: Wanted) -> Iterator[ValueTrial]:
    """Light of a sky has no alpha, and is gone once a picture was multiplied by that."""
    alpha = wanted.alpha
    if alpha is None or not wanted.is_sky:
        return
    open_ = np.broadcast_to(alpha <= COVERED, wanted.stored.shape)
    if not (open_[0] & wanted.wrong).any() or np.abs(wanted.stored[open_]).max(initial=0) > 1e-6:
        return
    text = f"{wanted.title} has lost its light where nothing covers: it was multiplied by alpha, which is 0 there."
    safe = np.where(alpha > COVERED, alpha, 1)
    for inside in (wanted.stored, wanted.stored / safe):
        filled = np.where(open_ & (wanted.light > 0), wanted.light, inside)
        yield ValueTrial("outside_coverage", text, mapped(lambda _, filled=filled: filled))


def steps_of(stored: Colour) -> Colour | None:
    """How far apart the few values lie that a source was rounded to, at each of its values; None unless they are
    few."""
    slack = np.zeros_like(stored)
    for plane, out in zip(stored, slack, strict=True):
        levels = np.unique(plane[np.isfinite(plane)])
        if not FEWEST_LEVELS <= len(levels) <= MOST_LEVELS or plane.size < 4 * len(levels):
            return None
        gaps = np.diff(levels)
        if gaps.max() > np.ptp(levels) / 10:  # flat colours, not steps
            return None
        place = np.clip(np.searchsorted(levels, plane), 0, len(levels) - 1)
        out[:] = np.maximum(gaps[np.clip(place, 0, len(gaps) - 1)], gaps[np.clip(place - 1, 0, len(gaps) - 1)])
    return slack
