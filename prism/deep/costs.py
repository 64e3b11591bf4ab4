"""What limits of samples cost: the picture, what is seen in front of a card anywhere in depth, and the bytes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from prism.deep.operations import flattened, holdout_error, thinned, tidied
from prism.deep.samples import Samples
from prism.formats.deep_lines import lines_of
from prism.pixels.window import Window

MOST_PIXELS = 1 << 16  # of a picture that is measured; of a larger one, rows evenly apart
MOSTS = (1, 2, 3, 4, 6, 8, 12, 16, 0)  # samples of a pixel; 0: any number
SHARES = (0.0005, 0.002, 0.01, 0.05)  # of the reach of depths, as tolerances


Limits = tuple[float, int]  # tolerance in depth, and most samples of a pixel; 0 for any number


@dataclass(frozen=True, slots=True)
class Cost:
    """What one pair of limits costs. samples, bytes: what is left; bytes as a file of ZIPS lines has them.
    flat_error, holdout_error: largest change of colour or alpha, flat, and of what is seen in front of an opaque card
    at any depth. holdout_mean: of the latter, the mean over all pixels of the largest of each."""

    tolerance: float
    most: int
    samples: int
    bytes: int
    flat_error: float
    holdout_error: float
    holdout_mean: float


def costs(samples: Samples, limits: Sequence[Limits] = ()) -> list[Cost]:
    """The costs of every pair of limits. Without any: of MOSTS without a tolerance, then of SHARES of the middle nine
    tenths of depths without a most."""
    measured = tidied(_part(samples))
    return [_cost(measured, *pair) for pair in limits or _usual(measured)]


def cheapest(found: Sequence[Cost], most_error: float) -> Cost | None:
    """The one of fewest bytes whose errors are both not above `most_error`; None if there is none."""
    good = [cost for cost in found if max(cost.flat_error, cost.holdout_error) <= most_error]
    return min(good, key=lambda cost: (cost.bytes, -cost.tolerance), default=None)


def _cost(samples: Samples, tolerance: float, most: int) -> Cost:
    made = thinned(samples, tolerance=tolerance, most=most)
    before, after = flattened(samples), flattened(made)
    lines = lines_of(made.counts, list(made.runs.values()), 0, "zips")
    largest, mean = holdout_error(samples, made)
    return Cost(
        tolerance=tolerance,
        most=most,
        samples=len(made),
        bytes=sum(map(len, lines)),
        flat_error=max(float(np.abs(a - b).max(initial=0)) for a, b in zip(before[:2], after[:2], strict=True)),
        holdout_error=largest,
        holdout_mean=mean,
    )


def _part(samples: Samples) -> Samples:
    """Rows evenly apart, as many as have MOST_PIXELS together."""
    height, width = samples.window.shape
    stride = max(1, -(-height * width // MOST_PIXELS))
    if stride == 1:
        return samples
    rows = np.arange(stride // 2, height, stride)
    chosen = np.zeros(samples.window.shape, np.bool_)
    chosen[rows] = True
    kept = samples.kept(chosen.reshape(-1)[samples.pixels])
    counts = np.diff(kept.offsets).reshape(height, width)[rows]
    offsets = np.concatenate([[0], np.cumsum(counts.reshape(-1))]).astype(np.int64)
    return replace(kept, offsets=offsets, window=Window.of_size(width, len(rows)))


def _usual(samples: Samples) -> list[Limits]:
    fronts = samples.depth[:, 0][np.isfinite(samples.depth[:, 0])]
    low, high = np.quantile(fronts, (0.05, 0.95)) if len(fronts) else (0.0, 1.0)
    reach = max(float(high - low), 1e-6)
    return [*((0.0, most) for most in MOSTS), *((float(f"{share * reach:.3g}"), 0) for share in SHARES)]
