"""Why a ledger does not land on the rendered beauty: each likely cause is tried by evaluating the ledger without it.

Nothing is taken for linear: a cause is a changed ledger, or a changed source, and what counts is how much of the residue is gone then.
They are tried on the pixels that are wrong and on as many that are right, which a cause must leave right.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import CHROMATICITIES, SPACES, conversion_between, decode_srgb, encode_srgb
from prism.combine.evaluate import evaluate
from prism.combine.ledger import Ledger
from prism.combine.picked import Change, Picked, mapped
from prism.combine.rows import PassRow
from prism.elements.pixels import Frame, Pixels, Source
from prism.errors import PrismError
from prism.passes.kinds import LIT

MOST_PICKED = 8192  # wrong pixels looked at, and as many right ones
EXPLAINED = 0.95  # share of the residue that one cause must explain
PART = 0.1  # share from which a cause may be one of several
BETTER = 0.02  # share by which a later cause must beat an earlier one
OF_THE_LEDGER = ("missing", "doubled", "total_and_parts")
MOST_FIRST = 6  # causes of other kinds that are tried with a second one
BLOCK = 8  # pixels over which light that was moved by scaling evens out
REACH = 2  # pixels by which a pass may be shifted
NEAR_FRAMES = (-1, 1, -2, 2)
UNIT_HALF = 2.0**-11


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A likely reason. cause: one of CAUSES. key: the pass or row. share: of the residue that it explains, 0..1.

    action: what to do to the key, as insert, remove or an operator to set; note if there is nothing to do in the ledger.
    """

    cause: str
    key: str
    text: str
    share: float
    action: str = "note"


CAUSES = (
    "missing", "doubled", "gain", "encoded", "straight_alpha", "clamped", "wrong_operator", "wrong_frame", "shifted",
    "other_size", "colour_space", "lossy", "not_finite", "total_and_parts", "several",
)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class _Trial:
    """A world in which one cause is put right."""

    suggestion: Suggestion
    ledger: Ledger
    frame: Picked


@dataclass(frozen=True, slots=True, eq=False)
class Residue:
    """What is wrong, on picked pixels: rendered and the bound of rounding, (4, 1, N) each; channels: how many of them count."""

    rendered: NDArray[np.float32]
    bound: NDArray[np.float32]
    channels: int

    def excess(self, rebuilt: NDArray[np.float32], slack: NDArray | float = 0.0) -> float:
        """Light beyond rounding, all together; what is not finite is left to another cause."""
        with np.errstate(invalid="ignore", over="ignore"):
            apart = np.abs(rebuilt - self.rendered)[: self.channels]
            apart = np.where(apart > (self.bound + slack)[: self.channels], apart, 0)
        return float(np.nan_to_num(apart, nan=0, posinf=0).sum(dtype=np.float64))


def pick(wrong: NDArray[np.bool_], *, seed: int = 1) -> NDArray[np.int64]:
    """Numbers of wrong pixels and as many right ones, at most MOST_PICKED of each."""
    rng = np.random.default_rng(seed)
    places = []
    for chosen in (np.flatnonzero(wrong), np.flatnonzero(~wrong)):
        size = min(MOST_PICKED, chosen.size)
        places.append(np.sort(rng.choice(chosen, size, replace=False)) if size < chosen.size else chosen)
    return np.concatenate(places)


def find_causes(
    ledger: Ledger, frame: Frame, places: NDArray[np.int64], residue: Residue, *, most: int = 2
) -> list[Suggestion]:
    """Likely reasons, the likeliest first. ledger: untrimmed. most: 1 not to look for two at once, which takes long. Empty only if there is no residue on the pixels picked."""
    finder = _Finder(ledger, Picked(frame, places), frame, residue)
    return finder.suggestions(pairs=most > 1)


class _Finder:
    def __init__(self, ledger: Ledger, picked: Picked, frame: Frame, residue: Residue) -> None:
        self._ledger = ledger
        self._picked = picked
        self._frame = frame
        self._residue = residue
        self._rebuilt = evaluate(ledger, picked)
        self._before = residue.excess(self._rebuilt)

    def suggestions(self, *, pairs: bool) -> list[Suggestion]:
        """All that explain it; several together where none does alone; and if nothing does, what is missing and where."""
        found = list(self._not_finite())
        if self._before == 0:
            return found
        tried = [replace(t, suggestion=replace(t.suggestion, share=self._share(t))) for t in self._trials()]
        whole = [trial.suggestion for trial in tried if trial.suggestion.share >= EXPLAINED]
        whole += [] if whole else [s for s in self._by_frames() if s.share >= EXPLAINED]
        whole += list(self._of_files())
        if whole:
            return [*found, *_ranked(whole)]
        return [*found, *((pairs and self._pairs(tried)) or self._unexplained(tried))]

    def _share(self, trial: _Trial) -> float:
        try:
            rebuilt = evaluate(trial.ledger, trial.frame)
        except PrismError:
            return 0.0
        with np.errstate(invalid="ignore", over="ignore"):
            slack = np.float32(4 * UNIT_HALF) * np.abs(rebuilt - self._rebuilt)  # rounding of what was changed
        return max(0.0, 1 - self._residue.excess(rebuilt, np.nan_to_num(slack)) / self._before)

    def _trials(self, ledger: Ledger | None = None, picked: Picked | None = None) -> Iterator[_Trial]:
        ledger, picked = ledger or self._ledger, picked or self._picked
        for make in (self._totals, self._doubled, self._missing, self._operators, self._values, self._shifts):
            yield from make(ledger, picked)

    # ---- The ledger is wrong ----

    def _missing(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        used = {row.source for row in ledger.passes}
        denoised = picked.source(ledger.beauty).denoised
        for source in picked:
            if source.key not in used and _adds_light(source) and source.denoised == denoised and not source.aside:
                row = PassRow(id=f"({source.key})"[:80], source=source.key, uses_alpha=False)
                said = Suggestion(
                    "missing", source.key, f"{source.title} is missing: adding it closes the gap.", 0, "insert"
                )
                yield _Trial(said, ledger.replace(rows=(*ledger.rows, row)), picked)

    def _doubled(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        """The later of two rows first: the earlier may be the one that was worked on."""
        for row in reversed(ledger.passes):
            title = picked.source(row.source).title
            said = Suggestion(
                "doubled", row.id, f"{title} is in the beauty already: without row {row.id} it balances.", 0, "remove"
            )
            yield _Trial(said, ledger.without(row.id), picked)

    def _totals(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        rows = {picked.source(row.source).kind.key: row for row in ledger.passes if picked.source(row.source).kind}
        for row in list(rows.values()):
            parts = [part for part in picked.source(row.source).kind.total_of if part in rows]
            if parts:
                title = picked.source(row.source).title
                text = (
                    f"{title} is the total of {', '.join(parts)}, which are in the sum as well: leave it out, or them."
                )
                yield _Trial(Suggestion("total_and_parts", row.id, text, 0, "remove"), ledger.without(row.id), picked)

    def _operators(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        for row in ledger.passes:
            title = picked.source(row.source).title
            for other in ("multiply", "add", "over", "subtract"):
                if other != row.operator:
                    reason = {"multiply": "is a pass on white", "add": "holds light"}.get(other, "joins in another way")
                    said = Suggestion(
                        "wrong_operator", row.id, f"{title} {reason}: its operator should be {other}.", 0, other
                    )
                    yield _Trial(said, ledger.with_setting(row.id, "operator", other), picked)

    # ---- A pass is wrong ----

    def _values(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        for key, title in self._sources(ledger, picked):
            for cause, text, change in (
                *self._curves(title), *self._alphas(key, title, ledger, picked), *self._spaces(title),
                *self._gains(key, title, ledger, picked), *self._clamps(key, title, ledger, picked),
            ):  # fmt: skip
                yield _Trial(Suggestion(cause, key, text, 0), ledger, picked.with_change(key, change))

    @staticmethod
    def _sources(ledger: Ledger, picked: Picked) -> list[tuple[str, str]]:
        return [(key, picked.source(key).title) for key in dict.fromkeys(row.source for row in ledger.passes)]

    @staticmethod
    def _curves(title: str) -> Iterator[tuple[str, str, Change]]:
        yield "encoded", f"{title} has a display curve baked in: it should be linear.", mapped(decode_srgb)
        yield "encoded", f"{title} was made linear twice: it is darker than its light.", mapped(encode_srgb)

    @staticmethod
    def _alphas(key: str, title: str, ledger: Ledger, picked: Picked) -> Iterator[tuple[str, str, Change]]:
        own = picked.pixels(key).alpha
        alpha = own if own is not None else picked.pixels(ledger.beauty).alpha
        if alpha is None:
            return
        cover = alpha.astype(np.float32)
        straight = f"{title} is straight and was taken for premultiplied: multiply it by its alpha."
        yield "straight_alpha", straight, mapped(lambda colour: colour * cover)
        twice = f"{title} was multiplied by its alpha twice: it is premultiplied already."
        safe = np.where(cover > 0, cover, 1)
        yield "straight_alpha", twice, mapped(lambda colour: colour / safe)

    @staticmethod
    def _spaces(title: str) -> Iterator[tuple[str, str, Change]]:
        for one in SPACES:
            for other in SPACES:
                if one != other:
                    matrix = conversion_between(CHROMATICITIES[one], CHROMATICITIES[other]).astype(np.float32)
                    text = f"{title} is in {SPACES[one]} and was taken for {SPACES[other]}."
                    yield "colour_space", text, mapped(lambda colour, by=matrix: np.tensordot(by, colour, 1))

    def _gains(self, key: str, title: str, ledger: Ledger, picked: Picked) -> Iterator[tuple[str, str, Change]]:
        colour = np.stack(picked.pixels(key).planes).astype(np.float32)
        wanted = self._wanted(key, colour, ledger, picked)
        use = np.isfinite(wanted) & np.isfinite(colour) & (np.abs(colour) > 0)
        if not use.any():
            return
        gain = float(np.median(wanted[use] / colour[use]))
        if np.isfinite(gain) and abs(gain - 1) > 1e-3 and abs(gain) > 1e-3:
            text = f"{title} is {1 / gain:.4g} times as bright as it is in the beauty."
            yield "gain", text, mapped(lambda light: light * np.float32(gain))

    def _clamps(self, key: str, title: str, ledger: Ledger, picked: Picked) -> Iterator[tuple[str, str, Change]]:
        """What it lacks lies where it is at its largest value, and nowhere else."""
        colour = np.stack(picked.pixels(key).planes).astype(np.float32)
        top = float(np.nanmax(colour, initial=0))
        at_top = colour >= top * np.float32(1 - 2 * UNIT_HALF)
        if top <= 0 or at_top.sum() < 2:
            return
        wanted = self._wanted(key, colour, ledger, picked)
        filled = np.where(at_top & (wanted > colour), wanted, colour)
        yield "clamped", f"{title} is cut off at {top:.4g}: its light above that is lost.", mapped(lambda _: filled)

    def _wanted(self, key: str, colour: NDArray, ledger: Ledger, picked: Picked) -> NDArray[np.float32]:
        """What the source would have to be for the sum to be right, were it the only wrong one and everything about it linear."""
        rebuilt = evaluate(ledger, picked)
        brighter = evaluate(ledger, picked.with_change(key, mapped(lambda light: light + 1)))
        with np.errstate(all="ignore"):
            slope = brighter[:3] - rebuilt[:3]
            return np.where(np.abs(slope) > 1e-6, colour + (self._residue.rendered[:3] - rebuilt[:3]) / slope, colour)

    def _shifts(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        around = [(x, y) for x in range(-REACH, REACH + 1) for y in range(-REACH, REACH + 1) if (x, y) != (0, 0)]
        for key, title in self._sources(ledger, picked):
            for x, y in around:
                text = f"{title} is shifted: it lies {_where(x, 'right', 'left')}{_where(y, 'below', 'above')}of its place."
                yield _Trial(Suggestion("shifted", key, text, 0), ledger, picked.with_shift(key, x, y))

    # ---- What files and other frames say ----

    def _by_frames(self) -> Iterator[Suggestion]:
        """Reading other frames takes its time, so they are only asked when nothing else explains it."""
        for offset in NEAR_FRAMES:
            try:
                other = self._frame.at(self._frame.number + offset)
            except PrismError:
                continue
            for key, title in self._sources(self._ledger, self._picked):
                if key not in other or other.shape() != self._frame.shape():
                    continue
                changed = self._picked.with_change(key, lambda _, at=other, k=key: self._picked.of(at).pixels(k))
                text = f"{title} is of another frame: that of {other.number} fits frame {self._frame.number}."
                trial = _Trial(Suggestion("wrong_frame", key, text, 0), self._ledger, changed)
                yield replace(trial.suggestion, share=self._share(trial))

    def _of_files(self) -> Iterator[Suggestion]:
        """Files that hold but approximations: other size, lossy, or few bits. They explain small differences anywhere."""
        keys = [*dict.fromkeys((*(row.source for row in self._ledger.passes), self._ledger.beauty))]
        for source in map(self._picked.source, keys):
            if source.scaled:
                text = (
                    f"{source.title} has another size than the picture and was scaled to it: its values are in between."
                )
                yield Suggestion("other_size", source.key, text, self._softened())
            if source.lossy:
                text = f"{source.title} is stored with lossy {source.lossy}: its values are approximations."
                yield Suggestion("lossy", source.key, text, self._approximate(source.key, 0.1))
            if source.bits and source.bits <= 16:
                text = f"{source.title} has {source.bits} bits a channel: its values are rounded to steps."
                yield Suggestion("lossy", source.key, text, self._approximate(source.key, 8 * 2.0**-source.bits))

    def _approximate(self, key: str, part: float) -> float:
        """Share of the residue within that part of the largest value of a source."""
        planes = self._picked.pixels(key).planes
        slack = np.float32(part * max(float(np.nanmax(np.abs(plane), initial=0)) for plane in planes))
        return max(0.0, 1 - self._residue.excess(self._rebuilt, slack) / self._before)

    def _softened(self) -> float:
        """Share of the residue that is gone in a smaller picture: scaling moves light about but keeps it."""
        apart = []
        for step in (1, BLOCK):
            gap = evaluate(self._ledger, self._frame, step=step)[:3] - np.stack(
                self._frame.pixels(self._ledger.beauty, step=step).planes
            )
            apart.append(float(np.abs(np.nan_to_num(gap, nan=0, posinf=0, neginf=0)).mean(dtype=np.float64)))
        return max(0.0, 1 - apart[1] / apart[0]) if apart[0] else 0.0

    def _not_finite(self) -> Iterator[Suggestion]:
        for key in dict.fromkeys((*(row.source for row in self._ledger.passes), self._ledger.beauty)):
            planes = self._frame.pixels(key).planes
            count = int((~np.isfinite(np.stack(planes))).any(axis=0).sum())
            if count:
                title = self._frame.source(key).title
                text = f"{title} holds no number, or infinity, in {count} pixel{'s' if count > 1 else ''}: render them again."
                yield Suggestion("not_finite", key, text, 1.0)

    # ---- Two at once, or nothing ----

    def _pairs(self, tried: Sequence[_Trial]) -> list[Suggestion]:
        """The two causes that together explain it best: one of the ledger, or of those that explain much alone, and any other."""
        by_share = sorted(tried, key=lambda trial: -trial.suggestion.share)
        firsts = [trial for trial in tried if trial.suggestion.cause in OF_THE_LEDGER]
        firsts += [t for t in by_share if t.suggestion.share >= PART and t.suggestion.cause not in OF_THE_LEDGER][
            :MOST_FIRST
        ]
        pairs = []
        for first in firsts:
            for second in self._trials(first.ledger, first.frame):
                share = self._share(second)
                if share >= EXPLAINED:
                    rest = max(0.0, share - first.suggestion.share)
                    pairs.append((share, first.suggestion, replace(second.suggestion, share=rest)))
        if not pairs:
            return []
        share, one, other = max(pairs, key=lambda pair: pair[0])
        text = f"Two things are wrong. {one.text} And: {other.text}"
        return [Suggestion("several", one.key, text, share), one, other]

    def _unexplained(self, tried: Sequence[_Trial]) -> list[Suggestion]:
        """How much is left, and which pass it looks like."""
        with np.errstate(invalid="ignore"):
            gap = np.nan_to_num((self._residue.rendered - self._rebuilt)[:3], nan=0, posinf=0, neginf=0)
        rendered = np.nan_to_num(self._residue.rendered[:3], nan=0, posinf=0, neginf=0)
        amount = gap.sum(dtype=np.float64) / max(np.abs(rendered).sum(dtype=np.float64), 1e-30)
        alike = max(
            ((_likeness(gap, self._picked.pixels(source.key)), source) for source in self._picked if _adds_light(source)),
            key=lambda pair: pair[0], default=(0.0, None),
        )  # fmt: skip
        near = f" It lies where {alike[1].title} does." if alike[1] is not None and alike[0] > 0.2 else ""
        what = "lacks light that no pass holds" if amount > 0 else "holds more light than was rendered"
        text = f"The sum {what}: {abs(amount):.2%} of the rendered light in the wrong pixels.{near}"
        partly = [t.suggestion for t in tried if t.suggestion.share >= 0.5]
        key = alike[1].key if near else ""
        return [Suggestion("missing" if amount > 0 else "doubled", key, text, 0.0), *_ranked(partly)[:2]]


def _ranked(suggestions: Sequence[Suggestion]) -> list[Suggestion]:
    """By the share they explain, in steps; the order in which they were tried decides within one, being that of likelihood."""
    return sorted(suggestions, key=lambda suggestion: -round(suggestion.share / BETTER))


def _where(by: int, positive: str, negative: str) -> str:
    return f"{abs(by)} px {positive if by > 0 else negative} " if by else ""


def _likeness(gap: NDArray, pixels: Pixels) -> float:
    colour = np.nan_to_num(np.stack(pixels.planes).astype(np.float32), nan=0, posinf=0, neginf=0).ravel()
    both = np.linalg.norm(gap) * np.linalg.norm(colour)
    return float(abs(gap.ravel() @ colour) / both) if both else 0.0


def _adds_light(source: Source) -> bool:
    return source.kind is not None and source.kind.role in LIT
