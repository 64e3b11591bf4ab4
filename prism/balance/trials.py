"""What may have been done to a source before it was stored, as trials: worlds in which it is put right again.

Every trial is a changed source of a handful of pixels. What the source would have to be for the sum to land (`Judged`)
gives the numbers of some (a gain, a matrix), and is never taken for an explanation itself but where values are lost:
above a clamp, and outside of coverage.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache, partial
from itertools import permutations
from operator import itemgetter
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from prism.balance.picked import Change, mapped
from prism.colour.spaces import CHROMATICITIES, SPACES, conversion_between, decode_srgb, plain_conversion

Colour = NDArray[np.float32]  # (3, 1, N)
Curve = Callable[[NDArray], NDArray]
UNIT_HALF = 2.0**-11
AT_ONE = 2e-3  # from 1, within which values were cut off at it
COVERED = 1e-4  # alpha below which nothing covers
NEAR_ONE = 4e-3  # by which a factor must differ from 1 to be one
_PRIMARIES: Mapping[str, tuple[float, ...]] = MappingProxyType(
    dict(CHROMATICITIES)
    | {
        "Rec.2020": (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290),  # ITU-R BT.2020
        "P3 with the white D65": (0.680, 0.320, 0.265, 0.690, 0.150, 0.060, 0.3127, 0.3290),  # SMPTE EG 432-1
    }
)
_NAMES = ("red", "green", "blue")
_ORDERS = {", ".join(_NAMES[place] for place in order): order for order in permutations(range(3)) if order != (0, 1, 2)}
FEWEST_TOLD = 30  # pixels that a matrix is told from
SOME_TOLD = 400  # pixels on which a matrix is first tried
PROMISING = 0.3  # share of what is off that a matrix may leave to be worth a trial
SURE_ROUNDINGS = 50.0  # beyond which further off counts no more
MIXES = 0.004  # off the diagonal of a matrix that is more than a gain
LEAST_FACTOR = 1e-3  # of a gain; less is black


@dataclass(frozen=True, slots=True, eq=False)
class Judged:
    """A source on the pixels that are looked at. stored: its colour. light: what it would have to be for the sum to
    land, were it the only wrong one. noise: by how much rounding may have moved that. alpha: that it is covered by, of
    its own, its layer or the beauty; None without. wrong: of each pixel, (1, N). half: its type. is_rendered: it is
    what the rows should land on.
    """

    title: str
    stored: Colour
    light: Colour
    noise: Colour
    alpha: NDArray[np.float32] | None
    wrong: NDArray[np.bool_]
    half: bool
    is_sky: bool
    is_rendered: bool

    def told(self) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Stored, wanted and the weight of each pixel that tells something, (3, M) each: those that are wrong, and
        numbers."""
        use = np.all(self.wrong & np.isfinite(self.light) & np.isfinite(self.stored), axis=0)[0]
        stored, light, noise = (plane[:, 0, use].astype(np.float64) for plane in (self.stored, self.light, self.noise))
        return stored, light, 1 / np.maximum(noise, 1e-30)

    @property
    def compared(self) -> str:
        """With what a brightness is compared, in words."""
        return "as the sum of the rows" if self.is_rendered else "as it is in the beauty"


@dataclass(frozen=True, slots=True, eq=False)
class ValueTrial:
    """cause and text: as of a suggestion. change: puts the source right. judged: pixels it can be judged on, (1, N);
    all if None."""

    cause: str
    text: str
    change: Change
    judged: NDArray[np.bool_] | None = None


def value_trials(wanted: Judged) -> Iterator[ValueTrial]:
    """All that may have been done to the values of a source, the likelier first."""
    for make in (_curves, _alphas, _matrices, _gains, _offsets, _clamps, _outside):
        yield from make(wanted)


def _curve(power: float) -> Curve:
    return lambda colour: np.sign(colour) * np.abs(colour) ** power


def _encode_whole_srgb(linear: NDArray) -> NDArray:
    """The curve of sRGB going on above 1."""
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055)


def _decode_bt709(display: NDArray) -> NDArray:
    """ITU-R BT.709-6, the inverse of its opto-electronic transfer."""
    return np.where(display < 0.081, display / 4.5, ((np.maximum(display, 0.081) + 0.099) / 1.099) ** (1 / 0.45))


def _curves(wanted: Judged) -> Iterator[ValueTrial]:
    """Where everything was cut off at 1 by a curve, what lay above is lost: it is what it should be there, and the
    curve is told from the rest."""
    top = float(np.nanmax(wanted.stored, initial=0))
    at_top = wanted.stored >= 1 - AT_ONE
    told = (wanted.wrong & ~at_top).all(axis=0).sum() >= FEWEST_TOLD
    cut = abs(top - 1) < AT_ONE and told
    baked = f"{wanted.title} has a display curve baked in: it should be linear."
    twice = f"{wanted.title} was made linear twice: it is darker than its light."
    for text, back in (
        (baked, decode_srgb), (baked, _curve(2.2)), (baked, _curve(2.4)), (baked, _decode_bt709),
        (twice, _encode_whole_srgb), (twice, _curve(1 / 2.2)), (twice, _curve(1 / 2.4)),
    ):  # fmt: skip
        if cut and text is baked:
            said = f"{text} What lay above 1 is lost."
            yield ValueTrial("encoded", said, mapped(_filled(back, at_top, wanted.light)))
        else:
            yield ValueTrial("encoded", text, mapped(back))


def _filled(back: Curve, at_top: NDArray[np.bool_], light: Colour) -> Curve:
    """A curve, and light in place of what it cut off."""

    def change(colour: NDArray) -> NDArray:
        linear = back(colour)
        return np.where(at_top & (light > linear), light, linear)

    return change


def _alphas(wanted: Judged) -> Iterator[ValueTrial]:
    """Only where some pixels are covered in part: whole and empty ones look alike either way."""
    alpha = wanted.alpha
    if alpha is None:
        return
    part = wanted.wrong & (alpha > COVERED) & (alpha < 1 - COVERED)
    if not part.any():
        return
    straight = f"{wanted.title} is straight and was taken for premultiplied: multiply it by its alpha."
    safe = np.where(alpha > COVERED, alpha, np.float32(1))  # light without coverage is left as it is by either
    yield ValueTrial("straight_alpha", straight, mapped(lambda colour: colour * safe))
    twice = f"{wanted.title} was multiplied by its alpha twice: it is premultiplied already."
    judged = alpha > COVERED
    yield ValueTrial("straight_alpha", twice, mapped(lambda colour: np.divide(colour, safe, dtype=np.float32)), judged)


def _matrices(wanted: Judged) -> Iterator[ValueTrial]:
    """Channels in another order, other primaries, and at last any matrix that there may be."""
    for name, order in _ORDERS.items():
        text = f"{wanted.title} has its channels in another order: they should be taken as {name}."
        yield ValueTrial("swapped", text, mapped(itemgetter(list(order))))
    stored, light, weight = wanted.told()
    if stored.shape[1] < FEWEST_TOLD:
        return
    for text, matrix in _conversions():
        if _fits(matrix, stored, light, weight):
            change = mapped(partial(_converted, matrix.astype(np.float32)))
            yield ValueTrial("colour_space", f"{wanted.title} {text}.", change)
    fitted = _fitted_matrix(stored, light, weight)
    if fitted is not None and np.abs(fitted - np.diag(np.diag(fitted))).max() > MIXES:
        by = fitted.astype(np.float32)
        text = f"{wanted.title} has its channels mixed, as light of other primaries has that is taken for ours."
        yield ValueTrial("colour_space", text, mapped(partial(_converted, by)))


def _converted(matrix: NDArray[np.float32], colour: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.tensordot(matrix, colour, 1)


def _replaced(by: NDArray[np.float32], colour: NDArray[np.float32]) -> NDArray[np.float32]:
    return by


@cache
def _conversions() -> tuple[tuple[str, NDArray[np.float64]], ...]:
    """From every set of primaries that is taken for another, with and without adaptation to its white."""
    made = []
    for (one, first), (other, second) in permutations(_PRIMARIES.items(), 2):
        text = f"is in {SPACES.get(one, one)} and was taken for {SPACES.get(other, other)}"
        made += [(text, np.asarray(make(first, second))) for make in (conversion_between, plain_conversion)]
    return tuple(made)


def _fits(matrix: NDArray, stored: NDArray, light: NDArray, weight: NDArray) -> bool:
    """Whether most of what is off goes with a matrix, on some of the pixels."""
    some = slice(None, None, max(1, stored.shape[1] // SOME_TOLD))
    stored, light, weight = stored[:, some], light[:, some], weight[:, some]
    before = np.minimum(np.abs(light - stored) * weight, SURE_ROUNDINGS)
    after = np.minimum(np.abs(light - matrix @ stored) * weight, SURE_ROUNDINGS)
    return bool(after.sum() < PROMISING * before.sum())


def _fitted_matrix(stored: NDArray, light: NDArray, weight: NDArray) -> NDArray | None:
    """(3, 3), by least squares weighted by what rounding leaves certain; None where the colours do not tell."""
    size = np.abs(stored).sum(axis=0)
    lit = size > 0
    if lit.sum() < FEWEST_TOLD or np.linalg.matrix_rank(stored[:, lit] / size[lit], tol=1e-2 * np.sqrt(lit.sum())) < 3:
        return None
    rows = [
        np.linalg.lstsq((stored * by).T, channel * by, rcond=1e-6)[0] for channel, by in zip(light, weight, strict=True)
    ]
    return np.stack(rows)


def _gains(wanted: Judged) -> Iterator[ValueTrial]:
    """Factors by least squares, weighted by what rounding leaves certain."""
    stored, light, weight = wanted.told()
    power = ((stored * weight) ** 2).sum(axis=1)
    if not (power > 0).all():
        return
    product = (stored * light * weight**2).sum(axis=1)
    each, gain = product / power, float(product.sum() / power.sum())
    if (np.abs(each) < LEAST_FACTOR).any() or (np.abs(each) > 1 / LEAST_FACTOR).any():
        return
    if abs(gain - 1) > NEAR_ONE / 8:
        text = f"{wanted.title} is {1 / gain:.4g} times as bright {wanted.compared}."
        yield ValueTrial("gain", text, mapped(lambda light: light * np.float32(gain)))
    if np.abs(each - gain).max() > NEAR_ONE / 4:
        said = ", ".join(f"{1 / factor:.4g}" for factor in each)
        text = f"{wanted.title} is {said} times as bright in red, green and blue {wanted.compared}."
        by = each.astype(np.float32).reshape(3, 1, 1)
        yield ValueTrial("gain", text, mapped(lambda light: light * by))


def _offsets(wanted: Judged) -> Iterator[ValueTrial]:
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


def _clamps(wanted: Judged) -> Iterator[ValueTrial]:
    """What it lacks lies where it is at its largest value, and nowhere else."""
    top = float(np.nanmax(wanted.stored, initial=0))
    at_top = wanted.stored >= top * np.float32(1 - 2 * UNIT_HALF)
    if top <= 0 or at_top.any(axis=0).sum() < 4:
        return
    filled = np.where(at_top & (wanted.light > wanted.stored), wanted.light, wanted.stored)
    yield ValueTrial(
        "clamped", f"{wanted.title} is cut off at {top:.4g}: its light above that is lost.", mapped(lambda _: filled)
    )


def _outside(wanted: Judged) -> Iterator[ValueTrial]:
    """Light of a sky has no alpha, and is gone once a picture was multiplied by that."""
    alpha = wanted.alpha
    if alpha is None or not wanted.is_sky:
        return
    open_ = np.broadcast_to(alpha == 0, wanted.stored.shape)
    if not (open_[0] & wanted.wrong).any() or np.abs(wanted.stored[open_]).max(initial=0) > 1e-6:
        return
    text = f"{wanted.title} has lost its light where nothing covers: it was multiplied by alpha, which is 0 there."
    safe = np.where(alpha > COVERED, alpha, np.float32(1))
    for inside in (wanted.stored, wanted.stored / safe):
        filled = np.where(open_ & (wanted.light > 0), wanted.light, inside)
        yield ValueTrial("outside_coverage", text, mapped(partial(_replaced, filled)))
