"""The balance: does the untrimmed ledger land on the rendered beauty, and if not, why.

A renderer's components add up to its beauty (common practice, no source). Stored as half, each is rounded by up to
2^-11 of itself, so the sum may be off by 2^-11 (sum of |components| + |beauty|) and no more (IEEE 754 binary16).
A larger residue means a pass is missing, doubled, or joined by the wrong operator.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.combine.evaluate import BAND_PIXELS, Stale, evaluate, never
from prism.combine.first import require_beauty
from prism.combine.ledger import Ledger
from prism.combine.program import compile_ledger
from prism.elements.identify import DENOISED
from prism.elements.pixels import Frame, Pixels, Source
from prism.passes.kinds import LIT
from prism.pixels.stats import Difference, compare

HALF_ROUNDING = 2.0**-11  # largest relative error of rounding to half
FLOAT_ROUNDING = 2.0**-22  # float32, with room for the order of summation
SMALLEST_HALF_STEP = 2.0**-25  # half of the smallest subnormal half
EXPLAINED = 0.999  # share of pixels a suggestion must put right


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A likely reason for a residue."""

    action: str  # insert a source, remove a row, let a row add or multiply; or note
    key: str  # the source or row to do it to
    text: str


@dataclass(frozen=True, slots=True)
class Balance:
    """Rebuilt against rendered, over R, G and B.

    beyond: pixels further apart than rounding of the stored passes can explain. balanced: there are none.
    """

    difference: Difference
    x: int  # of the worst pixel in the picture, counted from the display window's left
    y: int
    beyond: int
    rounding: str  # half or float: the coarsest type among the passes
    rebuilt_mean: float
    rendered_mean: float
    suggestions: tuple[Suggestion, ...]

    @property
    def balanced(self) -> bool:
        """Whether rounding explains every pixel."""
        return self.beyond == 0

    def as_json(self) -> dict:
        """All fields and `balanced`, for JSON."""
        return {**asdict(self), "balanced": self.balanced}


def balance(ledger: Ledger, sources: Frame, *, is_stale: Stale = never) -> Balance:
    """Hold the untrimmed ledger against the rendered beauty at full size. Raises NoBeauty, UnknownSource, Superseded."""
    if ledger.beauty not in sources:
        require_beauty(sources, denoised=ledger.beauty.endswith(DENOISED))
    plain = ledger.untrimmed()
    sources.read([ledger.beauty, *compile_ledger(plain, sources.number).sources])
    rebuilt = evaluate(plain, sources, is_stale=is_stale)[:3]
    rendered = _rgb(sources.pixels(ledger.beauty))
    allowed = _allowed(plain, sources, rendered)
    beyond = _beyond(rebuilt, rendered, allowed)
    difference = compare(rebuilt, rendered)
    window, display = sources.window, sources.display_window
    return Balance(
        difference=difference,
        x=difference.x + window.x0 - display.x0,
        y=difference.y + window.y0 - display.y0,
        beyond=int(beyond.sum()),
        rounding="half" if _uses_half(plain, sources) else "float",
        rebuilt_mean=float(rebuilt.mean(dtype=np.float64)),
        rendered_mean=float(rendered.mean(dtype=np.float64)),
        suggestions=tuple(_suggestions(plain, sources, rebuilt, rendered, allowed)) if beyond.any() else (),
    )


def difference_picture(ledger: Ledger, sources: Frame, *, step: int = 1) -> NDArray[np.float32]:
    """|untrimmed - rendered| as float32 (4, H, W) with alpha 1."""
    picture = evaluate(ledger.untrimmed(), sources, step=step)
    picture[:3] = np.abs(picture[:3] - _rgb(sources.pixels(ledger.beauty, step=step)))
    picture[3] = 1
    return picture


def _rgb(pixels: Pixels) -> NDArray[np.float32]:
    return np.stack(pixels.planes).astype(np.float32)


def _uses_half(ledger: Ledger, sources: Frame) -> bool:
    keys = {ledger.beauty, *(row.source for row in ledger.passes)}
    return any(sources.pixels(key).planes[0].dtype == np.float16 for key in keys)


def _allowed(ledger: Ledger, sources: Frame, rendered: NDArray) -> NDArray[np.float32]:
    """Largest difference that rounding explains, per channel and pixel."""
    allowed = np.zeros_like(rendered)
    terms = [sources.pixels(key) for key in (ledger.beauty, *(row.source for row in ledger.passes))]

    def work(first: int, end: int) -> None:
        for term in terms:
            half = term.planes[0].dtype == np.float16
            for channel, plane in enumerate(term.planes):
                part = np.abs(plane[first:end].astype(np.float32))
                allowed[channel, first:end] += part * (HALF_ROUNDING if half else FLOAT_ROUNDING)
                allowed[channel, first:end] += SMALLEST_HALF_STEP if half else 0
            allowed[:, first:end] += np.float32(1e-37)

    run_bands(work, rendered.shape[1], max(1, BAND_PIXELS // rendered.shape[2]))
    return allowed


def _beyond(rebuilt: NDArray, rendered: NDArray, allowed: NDArray) -> NDArray[np.bool_]:
    """(H, W): pixels where any channel is further apart than allowed, or not finite on one side only."""
    with np.errstate(invalid="ignore"):
        close = np.abs(rebuilt - rendered) <= allowed
    same = (rebuilt == rendered) | (np.isnan(rebuilt) & np.isnan(rendered))
    return ~(close | same).all(axis=0)


def _suggestions(ledger: Ledger, sources: Frame, rebuilt, rendered, allowed):
    """Try the single changes that would put nearly all pixels right; in the order of how often they are the reason."""

    def explains(candidate: NDArray, source: Pixels) -> bool:
        slack = allowed + np.abs(_rgb(source)) * HALF_ROUNDING * 2
        wrong = _beyond(candidate, rendered, slack)
        return wrong.mean() <= 1 - EXPLAINED

    used = {row.source for row in ledger.passes}
    denoised = sources.source(ledger.beauty).denoised
    lossy = {sources.source(key).lossy for key in (*used, ledger.beauty) if sources.source(key).lossy}
    for compression in sorted(lossy):
        yield Suggestion("note", "", f"Passes are stored with lossy {compression}: their values are approximations.")
    for source in sources:
        if source.key not in used and _adds_light(source) and source.denoised == denoised and not source.aside:
            pixels = sources.pixels(source.key)
            if explains(rebuilt + _rgb(pixels), pixels):
                yield Suggestion("insert", source.key, f"{source.title} is missing: adding it closes the gap.")
    for row in ledger.passes:
        title = sources.source(row.source).title
        pixels = sources.pixels(row.source)
        if row.operator == "add" and explains(_minus(rebuilt, _rgb(pixels)), pixels):
            yield Suggestion("remove", row.id, f"{title} is in the beauty already: without row {row.id} it balances.")
        else:
            other = "multiply" if row.operator == "add" else "add"
            changed = ledger.with_setting(row.id, "operator", other)
            if explains(evaluate(changed, sources)[:3], pixels):
                reason = "is a pass on white" if other == "multiply" else "holds light"
                yield Suggestion(other, row.id, f"{title} {reason}: its row should {other}.")


def _minus(first: NDArray, second: NDArray) -> NDArray:
    """Infinity less infinity is not a number, and nothing to be warned of."""
    with np.errstate(invalid="ignore"):
        return first - second


def _adds_light(source: Source) -> bool:
    return source.kind is not None and source.kind.role in LIT
