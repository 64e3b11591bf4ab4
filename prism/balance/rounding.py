"""How far rounding alone can take a sum of stored passes from the stored whole.

A value stored as half is off by up to 2^-11 of itself, as float32 by 2^-24 (IEEE 754), and by more where a renderer
summed it from many samples: errors of n terms that are as often up as down come to about the square root of n (Higham,
section 2.8). A sum of n float terms in any order by up to n 2^-24 of their magnitudes together (Higham, "Accuracy and
Stability of Numerical Algorithms", section 4.2). The bounds are carried through the rows like the values: what is
multiplied has its error multiplied.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.combine.behind import frame_behind
from prism.combine.in_depth import group_of, laid_in_depth, merged_samples
from prism.combine.program import Program
from prism.deep.operations import rounding_bound as rounding_bound_of
from prism.ledger.steps import Behind, Card, Deep, Depths, Flat, Gradient, Haze, Placed, Step, Stored, Sum
from prism.sources.pixels import Frame, Pixels
from prism.sources.store import CachedArray

UNIT_HALF, UNIT_FLOAT = 2.0**-11, 2.0**-24
UNIT_SUMMED = (
    2.0**-16
)  # of a float pass that was itself summed from up to 2^16 samples: the square root of that, in units
SMALLEST_HALF, SMALLEST_FLOAT = 2.0**-25, 2.0**-150  # half of the smallest subnormal: what values near 0 are off by
BAND_ROWS = 32
STEEP = 2  # no blend mode made for display values multiplies an error by more, but where it leaps


@dataclass(frozen=True, slots=True, eq=False)
class _Term:
    """Bounds of magnitude and error, (4, h, w) each. has_alpha: whether the fourth plane counts."""

    size: NDArray[np.float32]
    error: NDArray[np.float32]
    has_alpha: bool


def rounding_bound(program: Program, reference: Program, sources: Frame) -> NDArray[np.float32]:
    """(4, H, W): the largest differences of R, G, B and A between the pictures of two programs that rounding
    explains."""
    bound = np.empty((4, *sources.shape()), np.float32)
    count = 1 + len(program.sources) + len(reference.sources)

    def work(first: int, end: int) -> None:
        rows = slice(first, end)
        with np.errstate(invalid="ignore", over="ignore"):
            total, rendered = (_summed(each, sources, rows) for each in (program, reference))
            sums = np.float32(count * UNIT_FLOAT) * (total.size + rendered.size)
            bound[:, rows] = total.error + rendered.error + sums

    run_bands(work, bound.shape[1], BAND_ROWS)
    return bound


def _summed(program: Program, sources: Frame, rows: slice) -> _Term:
    total = _start(program.alpha, sources, rows)
    for step in program.steps:
        total = _joined(total, _term(step, sources, rows), step)
    return total


def _start(source: str | None, sources: Frame, rows: slice) -> _Term:
    """Black with the alpha of a source; with none, nothing."""
    shape = (4, rows.stop - rows.start, sources.shape()[1])
    size, error = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    if source is not None:
        alpha = sources.pixels(source).alpha
        size[3] = 1 if alpha is None else np.abs(alpha[rows])
        error[3] = 0 if alpha is None else _error(alpha[rows])
    return _Term(size, error, has_alpha=True)


def _error(plane: NDArray) -> NDArray[np.float32]:
    return _error_of(np.abs(plane.astype(np.float32)), plane.dtype)


def _error_of(size: NDArray[np.float32], stored: np.dtype) -> NDArray[np.float32]:
    """The rounding error of magnitudes that were stored as a type."""
    unit, smallest = (UNIT_HALF, SMALLEST_HALF) if stored == np.float16 else (UNIT_SUMMED, SMALLEST_FLOAT)
    return size * np.float32(unit) + np.float32(smallest)


def _stored(pixels: Pixels, rows: slice, *, uses_alpha: bool) -> _Term:
    alpha = pixels.alpha if uses_alpha else None
    planes = [plane[rows] for plane in pixels.planes]
    size = np.zeros((4, *planes[0].shape), np.float32)
    for out, plane in zip(size, planes if alpha is None else [*planes, alpha[rows]], strict=False):
        np.abs(plane, out=out)
    return _Term(size, _error_of(size, planes[0].dtype), has_alpha=alpha is not None)


def _term(step: Step, sources: Frame, rows: slice) -> _Term:
    of_content: Any = _TERMS.get(type(step.content))
    term = _of_depths(step, sources, rows) if _is_deep(step) else of_content(step.content, sources, rows)
    if any(isinstance(factor, Haze) for factor in step.factors):
        return _Term(term.size, term.error + term.size * np.float32(UNIT_HALF), term.has_alpha)
    return term


def _of_pass(stored: Stored, sources: Frame, rows: slice) -> _Term:
    return _stored(sources.pixels(stored.source), rows, uses_alpha=stored.uses_alpha)


def _of_sum(total: Sum, sources: Frame, rows: slice) -> _Term:
    begun = _start(total.alpha, sources, rows)
    reached = _Term(begun.size, begun.error, has_alpha=total.alpha is not None)
    for step in total.steps:
        term = _term(step, sources, rows)
        joined = term if step.grounds else _joined(reached, term, step)
        reached = _Term(joined.size, joined.error, reached.has_alpha or term.has_alpha)
    return reached


def _of_placed(placed: Placed, sources: Frame, rows: slice) -> _Term:
    return _anywhere(sources, placed, sources, rows)


def _of_behind(behind: Behind, sources: Frame, rows: slice) -> _Term:
    """The bound of a picture that is filtered into its place: nothing where it does not show."""
    picture = frame_behind(behind, sources)
    if picture is None:
        nothing = np.zeros((4, rows.stop - rows.start, sources.shape()[1]), np.float32)
        return _Term(nothing, nothing, has_alpha=True)
    term = _anywhere(picture, behind, sources, rows)
    term.size[3] = 1
    return _Term(term.size, term.error, has_alpha=True)


def _anywhere(picture: Frame, content: Placed | Behind, sources: Frame, rows: slice) -> _Term:
    """The bound of a pass that may lie elsewhere: the bounds of its largest values, on some rows of the frame."""
    pixels = picture.pixels(content.source)
    alpha = pixels.alpha if content.uses_alpha else None
    planes = pixels.planes if alpha is None else (*pixels.planes, alpha)
    size, error = np.zeros((2, 4, rows.stop - rows.start, sources.shape()[1]), np.float32)
    for place, plane in enumerate(planes):
        # Once for all bands: they would each look at the whole picture.
        largest = picture.cached(("largest", content.source, place), partial(_largest, plane)).array
        size[place], error[place] = np.abs(largest.astype(np.float32)), _error(largest)
    return _Term(size, error, alpha is not None)


def _largest(plane: NDArray) -> CachedArray:
    return CachedArray(np.maximum(plane.max(), -plane.min()).reshape(1).astype(plane.dtype))


def _is_deep(step: Step) -> bool:
    return isinstance(step.content, Deep | Card | Depths)


def _of_depths(step: Step, sources: Frame, rows: slice) -> _Term:
    """The bound of samples over each other: every number of each is a float."""
    laid = sources.cached(("laid in depth", step), lambda: laid_in_depth(group_of(step), sources, 1))
    term = _stored(laid, rows, uses_alpha=True)
    return _Term(term.size, term.error + _of_samples(step, sources)[:, rows], term.has_alpha)


def _of_samples(step: Step, sources: Frame) -> NDArray[np.float32]:
    """(4, H, W), once for all bands of rows."""
    samples = merged_samples(group_of(step), sources)
    made = sources.cached(("rounding", step), lambda: CachedArray(rounding_bound_of(samples, UNIT_SUMMED)))
    return made.array


def _of_colours(made: Flat | Gradient, sources: Frame, rows: slice) -> _Term:
    """The bound of colours that stand in the ledger, which are exact."""
    second = made.second if isinstance(made, Gradient) else (0.0, 0.0, 0.0)
    colour = [max(pair) for pair in zip(made.colour, second, strict=True)]
    shape = (4, rows.stop - rows.start, sources.shape()[1])
    size = np.broadcast_to(np.array([*colour, 1], np.float32)[:, np.newaxis, np.newaxis], shape)
    return _Term(size, size * np.float32(UNIT_FLOAT), has_alpha=True)


_TERMS = {
    Stored: _of_pass, Placed: _of_placed, Flat: _of_colours, Gradient: _of_colours, Behind: _of_behind, Sum: _of_sum,
}  # fmt: skip


def _joined(total: _Term, source: _Term, step: Step) -> _Term:
    key, family = step.operator.key, step.operator.family
    b, e, s, f = total.size, total.error, source.size, source.error
    if key == "add":
        return _Term(b + s, e + f, total.has_alpha)
    if family == "cover":
        return _covered(total, source, step)
    if key in ("minimum", "maximum", "subtract"):
        return _Term(b + s, e + f, total.has_alpha)
    if key in ("multiply", "shade"):
        size, error = b * s, e * s + b * f
        if source.has_alpha:  # it adds where the result does not cover
            size, error = size + s + b, error + f + e
        else:
            size[3], error[3] = b[3], e[3]
        return _Term(size, error, total.has_alpha)
    if key == "divide":
        part: NDArray[np.float32] = np.maximum(s, np.float32(1e-12))
        quotient = np.divide(b, part, dtype=np.float32)
        return _Term(quotient, np.divide(e + quotient * f, part, dtype=np.float32), total.has_alpha)
    return _Term(b + s, np.float32(STEEP) * (e + f), total.has_alpha)


def _covered(total: _Term, source: _Term, step: Step) -> _Term:
    """F A + G B, each with the error of its own and of the factor before it; what is covered wholly takes no part."""
    f0, f1, g0, g1 = map(np.float32, step.operator.factors)
    b, e, s, f = total.size, total.error, source.size, source.error
    covers = np.float32(0 if step.operator.key == "add" else 1)
    a, of_a = (s[3], f[3]) if source.has_alpha else (covers, np.float32(0))
    front, back = np.abs(f0 + f1 * b[3]), np.abs(1 - (g0 + g1 * a))
    size = _times(front, s) + _times(back, b)
    # Opaque is stored exactly; anything less is off by its rounding, and lets through so much more or less of what
    # lies below.
    of_back = np.where(a < 1, np.abs(g1) * of_a, np.float32(0))
    error = _times(front, f) + _times(back, e) + _times(np.abs(f1) * e[3], s) + _times(of_back, b)
    return _Term(size, error, total.has_alpha)


def _times(factor: NDArray | np.float32, value: NDArray[np.float32]) -> NDArray[np.float32]:
    """A factor of 0 leaves nothing, of infinity either."""
    return np.where(factor == 0, np.float32(0), factor * value)
