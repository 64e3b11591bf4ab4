"""Why a ledger does not land on the rendered beauty: each likely cause is tried by evaluating the ledger without it.

Nothing is taken for linear: a cause is a changed ledger, or a changed source, and what counts is how much of the
residue is gone then. They are tried on the pixels that are wrong and on as many that are right, which a cause must
leave right. Rows and what they should land on are tried alike. If nothing explains the residue, that is said.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from prism.balance.picked import Change, Picked, mapped
from prism.balance.places import Tile, frame_trials, place_trials, softened
from prism.balance.trials import UNIT_HALF, Wanted, steps_of, value_trials
from prism.combine.evaluate import evaluate
from prism.elements.pixels import Frame, Pixels, Source
from prism.errors import PrismError
from prism.ledger.document import Ledger
from prism.ledger.rows import GroupRow, PassRow
from prism.passes.kinds import LIT

MOST_PICKED = 4096  # wrong pixels looked at, and as many right ones
FEW = 8  # pixels that fit any cause, and so none
EXPLAINED = 0.95  # share of the residue that one cause must explain
PART = 0.1  # share from which a cause may be one of several
BETTER = 0.01  # share by which a later cause must beat an earlier one
EVENS_OUT = 0.65  # share of the residue over blocks from which it is lost detail
PROMISING = 0.4  # share of what a source lacks that a change of its values must bring to be worth a trial
OF_THE_LEDGER = ("missing", "doubled", "total_and_parts")
MOST_FIRST = 6  # causes of other kinds that are tried with a second one
SECONDS = 1.6  # after which a search tries nothing more


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A likely reason. cause: one of CAUSES. key: the pass or row. share: of the residue that it explains, 0..1.

    action: what to do to the key, as insert, remove or an operator to set; note if there is nothing to do in the
    ledger.
    """

    cause: str
    key: str
    text: str
    share: float
    action: str = "note"


CAUSES = (
    "missing", "doubled", "gain", "encoded", "straight_alpha", "clamped", "wrong_operator", "wrong_frame", "shifted",
    "other_size", "colour_space", "lossy", "not_finite", "total_and_parts", "several", "mirrored", "swapped", "offset",
    "outside_coverage", "quantised", "soft_edges", "one_pixel", "unexplained",
)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class _Trial:
    """A world in which one cause is put right. judged: pixels that it can be judged on, (1, N); all if None."""

    suggestion: Suggestion
    ledger: Ledger
    frame: Picked
    judged: NDArray[np.bool_] | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Residue:
    """What is wrong, on picked pixels. bound: of rounding, (4, 1, N). wrong: (1, N). channels: how many of them count.
    count: pixels that are wrong in all. places: number of each pixel picked."""

    bound: NDArray[np.float32]
    wrong: NDArray[np.bool_]
    channels: int
    count: int
    places: NDArray[np.int64]

    def beyond(self, gap: NDArray[np.float32], slack: NDArray | float = 0.0) -> NDArray[np.float32]:
        """Light beyond rounding, (C, 1, N); what is not finite is left to another cause."""
        with np.errstate(invalid="ignore", over="ignore"):
            apart = np.abs(gap)[: self.channels]
            apart = np.where(apart > (self.bound + slack)[: self.channels], apart, 0)
        return np.nan_to_num(apart, nan=0, posinf=0)


def pick(wrong: NDArray[np.bool_], *, seed: int = 1) -> NDArray[np.int64]:
    """(N,): numbers of pixels that are wrong in a mask (H, W) and as many right ones, at most MOST_PICKED of each."""
    rng = np.random.default_rng(seed)
    places = []
    for chosen in (np.flatnonzero(wrong), np.flatnonzero(~wrong)):
        size = min(MOST_PICKED, chosen.size)
        places.append(np.sort(rng.choice(chosen, size, replace=False)) if size < chosen.size else chosen)
    return np.concatenate(places)


def find_causes(
    ledger: Ledger, frame: Frame, residue: Residue, *, most: int = 2, seconds: float | None = None
) -> list[Suggestion]:
    """Likely reasons, the likeliest first. ledger: untrimmed. most: 1 not to look for two at once, which takes long.
    seconds: after which the search ends with what was found; SECONDS if None. Empty only if there is no residue on the
    pixels picked."""
    finder = _Finder(
        ledger,
        Picked(frame, residue.places),
        frame,
        residue,
        time.monotonic() + (SECONDS if seconds is None else seconds),
    )
    return finder.suggestions(pairs=most > 1)


class _Finder:
    def __init__(self, ledger: Ledger, picked: Picked, frame: Frame, residue: Residue, deadline: float) -> None:
        self._ledger = ledger
        self._picked = picked
        self._frame = frame
        self._residue = residue
        self._deadline = deadline
        self._reference = set(ledger.rendered.sources)
        self._gap = self._gap_of(ledger, picked)
        self._before = residue.beyond(self._gap)
        elements = {row.source.rpartition("/")[0] for row in ledger.passes}
        self._own = [source for source in picked if source.key.rpartition("/")[0] in elements]

    def suggestions(self, *, pairs: bool) -> list[Suggestion]:
        """All that explain it; several together where none does alone; and if nothing does, that."""
        found = list(self._not_finite())
        if not self._before.any():
            return found
        if self._residue.count <= FEW:
            return [*found, self._few()]
        tried = [self._judged(trial) for trial in self._trials()]
        whole = [trial.suggestion for trial in tried if trial.suggestion.share >= EXPLAINED]
        if not whole:
            elsewhere = [self._judged(trial) for trial in self._elsewhere()]
            whole = [trial.suggestion for trial in elsewhere if trial.suggestion.share >= EXPLAINED]
            tried += elsewhere
        whole = whole or [s for s in self._of_files() if s.share >= EXPLAINED]
        if whole:
            return [*found, *_ranked(whole)]
        soft = self._softened()
        if soft is not None:
            return [*found, soft]
        return [*found, *((pairs and self._pairs(tried)) or self._unexplained(tried))]

    # ---- How much a cause explains ----

    def _gap_of(self, ledger: Ledger, picked: Picked) -> NDArray[np.float32]:
        with np.errstate(invalid="ignore", over="ignore"):
            return evaluate(ledger.rendered, picked).rgba - evaluate(ledger, picked).rgba

    def _judged(self, trial: _Trial) -> _Trial:
        return replace(trial, suggestion=replace(trial.suggestion, share=self._share(trial)))

    def _share(self, trial: _Trial) -> float:
        if trial.suggestion.share > 0:
            return trial.suggestion.share
        try:
            gap = self._gap_of(trial.ledger, trial.frame)
            slack = self._slack(trial, gap)
        except PrismError:
            return 0.0
        judged = slice(None) if trial.judged is None else np.broadcast_to(trial.judged, self._before.shape)
        before = float(self._before[judged].sum(dtype=np.float64))
        if before < self._before.sum(dtype=np.float64) / 4:
            return 0.0  # too little of it can be judged
        after = self._residue.beyond(gap, slack)[judged]
        if (after > 0).sum() > max(4, (self._before[judged] > 0).sum() / 4):
            return min(0.9, max(0.0, 1 - float(after.sum(dtype=np.float64)) / before))
        return max(0.0, 1 - float(after.sum(dtype=np.float64)) / before)

    def _slack(self, trial: _Trial, gap: NDArray) -> NDArray[np.float32] | float:
        """Rounding that a change makes larger: a steep curve turns half a step into more of them."""
        key = trial.suggestion.key
        if (
            trial.suggestion.cause not in ("encoded", "straight_alpha", "outside_coverage", "colour_space")
            or key not in trial.frame
        ):
            return 0.0
        nudged = trial.frame.with_nudge(key, np.float32(1 + UNIT_HALF))
        if not self._is_half(key):
            return 0.0
        with np.errstate(invalid="ignore", over="ignore"):
            return np.nan_to_num(2 * np.abs(self._gap_of(trial.ledger, nudged) - gap))

    def _is_half(self, key: str) -> bool:
        return self._picked.pixels(key).planes[0].dtype == np.float16

    # ---- What is tried ----

    def _trials(self, ledger: Ledger | None = None, picked: Picked | None = None) -> Iterator[_Trial]:
        ledger, picked = ledger or self._ledger, picked or self._picked
        for make in (self._totals, self._doubled, self._missing, self._operators, self._values):
            yield from make(ledger, picked)

    def _missing(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        """Also what nothing is known of: it may hold just the light that is missing."""
        used = {row.source for row in ledger.passes} | self._reference
        denoised = picked.source(ledger.beauty).denoised
        for source in self._own:
            if source.key in used or source.denoised != denoised or not (source.kind is None or _adds_light(source)):
                continue
            if source.excluded and source.kind is not None:
                continue
            row = PassRow(id=f"({source.key})"[:80], source=source.key, uses_alpha=False)
            text = f"{source.title} is missing: adding it closes the gap."
            said = Suggestion("missing", source.key, text, 0, "insert")
            yield _Trial(said, _with_light(ledger, row), picked)

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

    def _values(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        gap = self._gap if (ledger, picked) == (self._ledger, self._picked) else self._gap_of(ledger, picked)
        for key, source in self._sources(ledger):
            if time.monotonic() > self._deadline:
                return
            wanted = self._wanted(key, source, ledger, picked, gap)
            for trial in value_trials(wanted):
                if self._is_promising(wanted, trial.change, trial.judged):
                    said = Suggestion(trial.cause, key, trial.text, 0)
                    yield _Trial(said, ledger, picked.with_change(key, trial.change), trial.judged)

    def _sources(self, ledger: Ledger) -> list[tuple[str, Source]]:
        """Those of rows, then what they should land on."""
        keys = dict.fromkeys((*(row.source for row in ledger.passes), *ledger.rendered.sources))
        return [(key, self._picked.source(key)) for key in keys]

    def _wanted(self, key: str, source: Source, ledger: Ledger, picked: Picked, gap: NDArray) -> Wanted:
        pixels = picked.pixels(key)
        stored = np.stack(pixels.planes).astype(np.float32)
        own = pixels.alpha if pixels.alpha is not None else picked.pixels(ledger.beauty).alpha
        with np.errstate(all="ignore"):
            more = self._gap_of(ledger, picked.with_change(key, mapped(lambda light: light + 1)))
            slope = (more - gap)[:3]
            light = np.where(np.abs(slope) > 1e-6, stored - gap[:3] / slope, stored)
        kind = source.kind.key if source.kind is not None else ""
        return Wanted(
            title=source.title,
            stored=stored,
            light=light,
            alpha=None if own is None else own.astype(np.float32),
            wrong=self._residue.wrong,
            half=pixels.planes[0].dtype == np.float16,
            is_sky=kind == "background" or key in self._reference,
        )

    def _is_promising(self, wanted: Wanted, change: Change, judged: NDArray | None) -> bool:
        """Whether a change brings a source nearer to what it would have to be."""
        changed = np.stack(change(Pixels(tuple(wanted.stored), wanted.alpha)).planes)
        use = np.broadcast_to(wanted.wrong if judged is None else wanted.wrong & judged, wanted.stored.shape)
        with np.errstate(all="ignore"):
            before, after = (
                np.nan_to_num(np.abs(wanted.light - light))[use].sum() for light in (wanted.stored, changed)
            )
        return bool(after < (1 - PROMISING) * before) or not np.isfinite(wanted.light).all()

    def _elsewhere(self) -> Iterator[_Trial]:
        """Where sources lie, and of which frame they are."""
        yield from self._edges()
        yield from self._shifted(self._ledger, self._picked)
        for key, source in self._sources(self._ledger):
            if time.monotonic() > self._deadline:
                return
            sign = -1 if key in self._reference else 1
            for trial in frame_trials(self._ledger, self._frame, self._picked, key, source.title, sign * self._gap[:3]):
                said = Suggestion(trial.cause, key, trial.text, trial.share or 0)
                yield _Trial(said, self._ledger, trial.frame)

    def _shifted(self, ledger: Ledger, picked: Picked) -> Iterator[_Trial]:
        tile = self._tile(ledger)
        for key, source in self._sources(ledger):
            for trial in place_trials(key, source.title, picked, tile):
                if time.monotonic() > self._deadline:
                    return
                yield _Trial(Suggestion(trial.cause, key, trial.text, 0), ledger, trial.frame, trial.judged)

    def _tile(self, ledger: Ledger) -> Tile:
        return Tile.around(ledger, self._frame, self._residue.places[: int(self._residue.wrong.sum())])

    def _edges(self) -> Iterator[_Trial]:
        """Of layers that lie over one another: a pixel's alpha does not say which part of it is covered."""
        over = [row for row in self._ledger.rows if isinstance(row, GroupRow) and row.operator == "over" and row.alpha]
        if not over:
            return
        soft = np.zeros(self._before.shape[1:], bool)
        for row in over:
            alpha = self._picked.pixels(row.alpha).alpha
            soft |= (alpha > 0) & (alpha < 1) if alpha is not None else False
        total = float(self._before.sum(dtype=np.float64))
        share = float(np.where(soft, self._before, 0).sum(dtype=np.float64)) / total
        text = (
            f"{', '.join(row.name or row.id for row in over)} goes over what is behind, so soft edges differ a little: "
            "for an exact sum, make the layers holdouts of each other."
        )
        yield _Trial(Suggestion("soft_edges", over[0].id, text, share), self._ledger, self._picked)

    # ---- What files say ----

    def _of_files(self) -> Iterator[Suggestion]:
        """Sources that hold but approximations: lossy files, and few steps. They explain small differences anywhere."""
        for key, source in self._sources(self._ledger):
            if source.lossy:
                text = f"{source.title} is stored with lossy {source.lossy}: its values are approximations."
                yield Suggestion("lossy", key, text, self._approximate(key, 0.1))
            if source.bits and source.bits <= 16:
                text = f"{source.title} has {source.bits} bits a channel: its values are rounded to steps."
                yield Suggestion("quantised", key, text, self._approximate(key, 8 * 2.0**-source.bits))
                continue
            stored = np.stack(self._picked.pixels(key).planes).astype(np.float32)
            steps = steps_of(stored)
            if steps is not None:
                text = (
                    f"{source.title} has only {len(np.unique(stored[0]))} values in the pixels looked at: "
                    "it was rounded to steps, as 8 bits have them."
                )
                yield Suggestion(
                    "quantised", key, text, self._within(np.concatenate([steps, steps[:1]]), _cut_off(stored))
                )

    def _approximate(self, key: str, part: float) -> float:
        """Share of the residue within that part of the largest value of a source."""
        planes = self._picked.pixels(key).planes
        return self._within(np.float32(part * max(float(np.nanmax(np.abs(plane), initial=0)) for plane in planes)))

    def _within(self, slack: NDArray | np.float32, lost: NDArray | None = None) -> float:
        """Share of the residue within a slack. lost: pixels, (1, N), that tell nothing, being cut off."""
        judged = np.broadcast_to(True if lost is None else ~lost, self._before.shape)
        before = float(self._before[judged].sum(dtype=np.float64))
        after = float(self._residue.beyond(self._gap, slack)[judged].sum(dtype=np.float64))
        return max(0.0, 1 - after / before) if before else 0.0

    def _softened(self) -> Suggestion | None:
        """The source that lacks most of its fine detail, if the residue is what detail is made of: as much above as
        below."""
        size = np.abs(self._gap[:3])
        sources = self._sources(self._ledger)
        key, source = max(sources, key=lambda pair: (pair[1].scaled, _likeness(size, self._picked.pixels(pair[0]))))
        share = softened(key, self._tile(self._ledger))
        if share < EVENS_OUT:
            return None
        if source.scaled:
            text = f"{source.title} has another size than the picture and was scaled to it: its values are in between."
        else:
            text = f"{source.title} has lost its fine detail: it was scaled or blurred before it was stored."
        return Suggestion("other_size", key, text, share)

    def _not_finite(self) -> Iterator[Suggestion]:
        for key, source in self._sources(self._ledger):
            pixels = self._frame.pixels(key)
            for planes, what in ((pixels.planes, ""), ((pixels.alpha,), "The alpha of ")):
                if planes[0] is None:
                    continue
                count = int((~np.isfinite(np.stack(planes))).any(axis=0).sum())
                if count:
                    text = (
                        f"{what}{source.title} is NaN or infinite in {count} "
                        f"pixel{'s' if count > 1 else ''}: render them again."
                    )
                    yield Suggestion("not_finite", key, text, 1.0)

    # ---- Two at once, or nothing ----

    def _pairs(self, tried: Sequence[_Trial]) -> list[Suggestion]:
        """The two causes that together explain it best: one of the ledger, or of those that explain much alone, and any
        other."""
        by_share = sorted(tried, key=lambda trial: -trial.suggestion.share)
        firsts = [t for t in by_share if t.suggestion.share >= PART and t.suggestion.cause != "soft_edges"][:MOST_FIRST]
        firsts += [t for t in tried if t.suggestion.cause in OF_THE_LEDGER and t not in firsts]
        pairs = []
        for first in firsts:
            for second in self._seconds(first):
                if time.monotonic() > self._deadline:
                    break
                share = self._share(second)
                if share >= EXPLAINED:
                    rest = max(0.0, share - first.suggestion.share)
                    pairs.append((share, first.suggestion, replace(second.suggestion, share=rest)))
        if not pairs:
            return []
        share, one, other = max(pairs, key=lambda pair: pair[0])
        text = f"Two things are wrong. {one.text} And: {other.text}"
        return [Suggestion("several", one.key, text, share), one, other]

    def _seconds(self, first: _Trial) -> Iterator[_Trial]:
        """What may be wrong besides; where sources lie only beside a fault of the ledger, since that is found for
        sure."""
        yield from self._trials(first.ledger, first.frame)
        if first.suggestion.cause in OF_THE_LEDGER:
            yield from self._shifted(first.ledger, first.frame)

    def _few(self) -> Suggestion:
        """A handful of pixels fits any cause, so none is named."""
        width = self._frame.shape()[1]
        rows, columns = np.divmod(self._residue.places[: self._residue.count], width)
        window, display = self._frame.window, self._frame.display_window
        x, y = int(columns[0]) + window.x0 - display.x0, int(rows[0]) + window.y0 - display.y0
        what = "One pixel" if self._residue.count == 1 else f"{self._residue.count} pixels, one of them"
        return Suggestion(
            "one_pixel",
            "",
            f"{what} at x {x} y {y} {'is' if self._residue.count == 1 else 'are'} off, and all others are right.",
            1.0,
        )

    def _unexplained(self, tried: Sequence[_Trial]) -> list[Suggestion]:
        """How much it is, and which pass it looks like; what explains a part of it follows."""
        gap = np.nan_to_num(self._gap[:3], nan=0, posinf=0, neginf=0)
        rendered = np.nan_to_num(evaluate(self._ledger.rendered, self._picked).rgba[:3], nan=0, posinf=0, neginf=0)
        wrong = np.broadcast_to(self._residue.wrong, gap.shape)
        amount = gap[wrong].sum(dtype=np.float64) / max(np.abs(rendered[wrong]).sum(dtype=np.float64), 1e-30)
        alike = max(
            ((_likeness(gap, self._picked.pixels(source.key)), source) for source in self._own if _adds_light(source)),
            key=lambda pair: pair[0], default=(0.0, None),
        )  # fmt: skip
        near = f" It lies where {alike[1].title} does." if alike[1] is not None and alike[0] > 0.2 else ""
        what = "less" if amount > 0 else "more"
        text = (
            f"No cause that was tried explains it. The rows hold {abs(amount):.2%} {what} light than was "
            "rendered in the wrong "
            f"pixels, over all.{near}"
        )
        partly = [t.suggestion for t in tried if t.suggestion.share >= 0.5]
        return [Suggestion("unexplained", alike[1].key if near else "", text, 0.0), *_ranked(partly)[:2]]


def _cut_off(stored: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Pixels at the largest value of a channel, (1, N)."""
    return (stored >= np.nanmax(stored, axis=(1, 2), keepdims=True)).any(axis=0)


def _with_light(ledger: Ledger, row: PassRow) -> Ledger:
    """In the group of its layer, or at the foot."""
    element = row.source.rpartition("/")[0]
    for group in ledger.rows:
        if isinstance(group, GroupRow) and group.alpha is not None and group.alpha.rpartition("/")[0] == element:
            return ledger.with_row(group.replace(rows=(*group.rows, row)))
    return ledger.replace(rows=(*ledger.rows, row))


def _ranked(suggestions: Sequence[Suggestion]) -> list[Suggestion]:
    """By the share they explain, in steps; the order in which they were tried decides within one, being that of
    likelihood."""
    return sorted(suggestions, key=lambda suggestion: -round(suggestion.share / BETTER))


def _likeness(gap: NDArray, pixels: Pixels) -> float:
    colour = np.nan_to_num(np.stack(pixels.planes).astype(np.float32), nan=0, posinf=0, neginf=0).ravel()
    both = np.linalg.norm(gap) * np.linalg.norm(colour)
    return float(abs(gap.ravel() @ colour) / both) if both else 0.0


def _adds_light(source: Source) -> bool:
    return source.kind is not None and source.kind.role in LIT
