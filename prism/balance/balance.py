"""The balance: does the untrimmed ledger land on the rendered beauty, and if not, why.

A renderer's components add up to its beauty (common practice, no source), but for rounding; a residue beyond that means
a pass is missing, doubled, joined by the wrong operator, or wrong itself.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from prism.balance.causes import find_causes, pick
from prism.balance.picked import Picked
from prism.balance.rounding import SMALLEST_FLOAT, UNIT_HALF, UNIT_SUMMED, rounding_bound
from prism.balance.work import Work
from prism.balance.world import Residue
from prism.combine.evaluate import evaluate, run
from prism.combine.program import Program, compile_ledger
from prism.elements.identify import DENOISED
from prism.judging.finding import Finding
from prism.ledger.document import Ledger
from prism.ledger.first import require_beauty
from prism.limits import Stale, never
from prism.pixels.picture import Picture
from prism.pixels.stats import Difference, compare, held_against
from prism.sources.pixels import Frame

NEARLY_ROUNDINGS = 4.0  # times what rounding explains, up to which a pixel is nearly right
NEARLY_SHARE = 1e-3  # of the pixels that may be off so
NEARLY_FEW = 4


@dataclass(frozen=True, slots=True)
class Balance:
    """Rebuilt against rendered, over R, G and B, and over alpha where the rendered beauty has one.

    beyond: pixels further apart than rounding of the stored passes can explain. not_finite: pixels that hold no number,
    or infinity, on either side, of which nothing can be said. wrong: pixels that are either. difference: of the colour.
    roundings: how many times what rounding explains the worst pixel is off. tried: how many causes; not_tried: those
    that were left out, in words.
    """

    difference: Difference
    x: int  # of the worst pixel in the picture, counted from the display window's left
    y: int
    beyond: int
    beyond_alpha: int  # of these, those whose alpha is apart
    not_finite: int
    wrong: int
    rounding: str  # half or float: the coarsest type among the passes
    rebuilt_mean: float
    rendered_mean: float
    suggestions: tuple[Finding, ...]
    pixels: int
    roundings: float
    tried: int
    not_tried: tuple[str, ...]

    @property
    def balanced(self) -> bool:
        """Whether every pixel is a number, and rounding explains it."""
        return self.beyond == 0 and self.not_finite == 0

    @property
    def nearly(self) -> bool:
        """Whether it is not balanced, by a few roundings in few pixels: nothing is missing, something was computed a
        little otherwise."""
        few = self.wrong <= max(NEARLY_FEW, self.pixels * NEARLY_SHARE)
        return not self.balanced and not self.not_finite and few and self.roundings <= NEARLY_ROUNDINGS

    @property
    def verdict(self) -> str:
        """In words, the same wherever it is shown."""
        if self.balanced:
            return f"balanced within {self.rounding} rounding"
        if self.nearly:
            few = f"{self.wrong:,} of {self.pixels:,} pixels"
            return f"nearly balanced: {few} differ by up to {self.roundings:.2g} roundings"
        parts = []
        if self.beyond:
            alpha = f" ({self.beyond_alpha:,} in alpha)" if self.beyond_alpha else ""
            parts.append(
                f"{self.beyond:,} of {self.pixels:,} pixels differ by more than {self.rounding} rounding{alpha}"
            )
        if self.not_finite:
            parts.append(f"{self.not_finite:,} pixels are NaN or infinite")
        return f"not balanced: {'; '.join(parts)}"

    @property
    def stopped(self) -> str:
        """What the search for causes did not try, in words; empty if it tried all it knows."""
        if not self.not_tried:
            return ""
        return f"Stopped after {self.tried:,} trials; not tried: {'; '.join(self.not_tried)}."

    def as_json(self) -> dict:
        """All fields, `balanced`, and what is said of it, for JSON."""
        said = {"balanced": self.balanced, "nearly": self.nearly, "verdict": self.verdict, "stopped": self.stopped}
        return asdict(self) | said


def balance(
    ledger: Ledger, sources: Frame, *, causes: int = 2, thorough: bool = False, made: Picture | None = None,
    is_stale: Stale = never,
) -> Balance:  # fmt: skip
    """Hold the untrimmed ledger against the rendered beauty at full size. causes: how many at once are looked for; 0 to
    be told only whether it balances. thorough: to search on where a search that somebody waits for stops. made: the
    picture of the ledger as it is, if it was evaluated before.

    Raises NoBeauty, UnknownSource, BadArgument, Superseded.
    """
    if ledger.beauty not in sources:
        require_beauty(sources, denoised=ledger.beauty.endswith(DENOISED))
    plain = ledger.untrimmed()
    program, reference = (compile_ledger(each, sources.number) for each in (plain, ledger.rendered))
    sources.read([*reference.sources, *program.sources])
    rendered = run(reference, sources, is_stale=is_stale)
    if made is not None and program == compile_ledger(ledger, sources.number):
        rebuilt = made.rgba
    else:
        rebuilt = run(program, sources, is_stale=is_stale)
    count = 3 if reference.alpha and sources.pixels(reference.alpha).alpha is None else 4
    halves = all(sources.pixels(key).planes[0].dtype == np.float16 for key in reference.sources)
    # Most pixels lie within what storing the rendered picture alone may be off by, and need no bound of their own.
    held = held_against(rebuilt, rendered, share=UNIT_HALF if halves else UNIT_SUMMED, count=count)
    strange, difference = held.strange, held.difference
    beyond, roundings = _beyond(held.apart, rebuilt, rendered, program, reference, sources)
    wrong = np.any(beyond[:count], axis=0)
    work = Work.asked(thorough=thorough)
    suggestions = _suggestions(plain, sources, wrong | strange, int(strange.sum()), count, causes, work)
    window, display = sources.window, sources.display_window
    return Balance(
        difference=difference,
        x=difference.x + window.x0 - display.x0,
        y=difference.y + window.y0 - display.y0,
        beyond=int(wrong.sum()),
        beyond_alpha=int(beyond[3].sum()) if count == 4 else 0,
        not_finite=int(strange.sum()),
        wrong=int((wrong | strange).sum()),
        rounding="half" if _uses_half(reference.sources + program.sources, sources) else "float",
        rebuilt_mean=held.means[0],
        rendered_mean=held.means[1],
        suggestions=suggestions,
        pixels=wrong.size,
        roundings=float(roundings[wrong].max(initial=0)),
        tried=work.trials,
        not_tried=tuple(work.left),
    )


@dataclass(frozen=True, slots=True)
class Change:
    """What the ledger as it is makes of the picture: how far it is from the rendered beauty, and its mean."""

    difference: Difference
    mean: float

    def as_json(self) -> dict:
        """All fields, for JSON."""
        return asdict(self)


def change(ledger: Ledger, sources: Frame, *, is_stale: Stale = never) -> Change:
    """The ledger with its trims and changes against the rendered beauty. Raises as `balance`."""
    rebuilt = evaluate(ledger, sources, is_stale=is_stale)
    return Change(compare(rebuilt.rgba[:3], evaluate(ledger.rendered, sources).rgba[:3]), rebuilt.mean)


def difference_picture(ledger: Ledger, sources: Frame, *, step: int = 1) -> Picture:
    """|untrimmed - rendered| with alpha 1."""
    picture = evaluate(ledger.untrimmed(), sources, step=step)
    apart = np.abs(picture.rgba - evaluate(ledger.rendered, sources, step=step).rgba)
    apart[3] = 1
    return picture.with_rgba(apart)


def _suggestions(
    plain: Ledger, sources: Frame, wrong: NDArray, strange: int, count: int, causes: int, work: Work
) -> tuple[Finding, ...]:
    if not causes or not wrong.any():
        return ()
    places = pick(wrong)
    program, reference = (compile_ledger(each, sources.number) for each in (plain, plain.rendered))
    residue = Residue(
        bound=rounding_bound(program, reference, Picked(sources, places)),
        wrong=wrong.reshape(-1)[places][np.newaxis],
        channels=count,
        count=int(wrong.sum()),
        strange=strange,
        places=places,
    )
    return tuple(find_causes(plain, sources, residue, most=causes, work=work))


def _uses_half(keys: Collection[str], sources: Frame) -> bool:
    return any(sources.pixels(key).planes[0].dtype == np.float16 for key in keys if key in sources)


def _beyond(
    apart: NDArray[np.bool_], rebuilt: NDArray, rendered: NDArray, program: Program, reference: Program, sources: Frame
) -> tuple[NDArray[np.bool_], NDArray[np.float32]]:
    """(4, H, W): those of the values that are `apart` which rounding does not explain. And (H, W): how many times that,
    where they are."""
    roundings = np.zeros(rebuilt.shape[1:], np.float32)
    places = np.flatnonzero(apart.any(axis=0))
    if places.size:
        some = places.size < apart[0].size // 2
        bound = rounding_bound(program, reference, Picked(sources, places) if some else sources)
        index = np.unravel_index(places, apart.shape[1:]) if some else (slice(None), slice(None))
        bound = bound[:, 0] if some else bound
        with np.errstate(invalid="ignore"):
            gap = np.abs(rebuilt[:, *index] - rendered[:, *index])
            apart[:, *index] &= ~(gap <= bound)
            times = np.where(apart[:, *index], gap / np.maximum(bound, SMALLEST_FLOAT), 0)
        roundings[index] = np.nan_to_num(times, nan=0, posinf=np.inf).max(axis=0)
    return apart, roundings
