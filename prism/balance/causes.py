"""Why a ledger does not land on the rendered beauty: each likely cause is put right, and what is then left is measured.

Nothing is taken for an explanation because it looks like one: a cause is a changed ledger, or a changed source, and
what counts is how much of the residue is gone then. They are tried on the pixels that are wrong and on as many that are
right, which a cause must leave right. Rows and what they should land on are tried alike. What has lost its values, and
so cannot be put right, is tried the other way round: what should be there, spoilt in that way, must be what is stored.
Work is counted, never timed. If nothing explains the residue, that is said, and so is what was not tried.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from prism.balance.alignment import (
    Tile,
    frame_trials,
    lies_along,
    likely_shifts,
    of_another_picture,
    other_frames,
    place_trials,
    shifted_words,
    softened,
)
from prism.balance.filtered import filter_between
from prism.balance.lost import BELOW_NOTHING, black_of, enlarged_by, negative_share
from prism.balance.pairs import Delta, by_what_is_left, likely_pairs
from prism.balance.picked import Change, Picked
from prism.balance.steps import steps_of
from prism.balance.trials import UNIT_HALF, Judged, value_trials
from prism.balance.work import Work
from prism.balance.world import Residue, World, finite
from prism.errors import PrismError
from prism.judging.finding import ERROR, Finding
from prism.ledger.document import Ledger
from prism.ledger.rows import GroupRow, PassRow, walk
from prism.passes.kinds import LIT, Role
from prism.sources.pixels import Frame, Pixels, Source, kind_key, parts_of

MOST_PICKED = 2048  # wrong pixels looked at, and as many right ones
FEW = 8  # pixels that fit any cause, and so none
EXPLAINED = 0.95  # share of the residue that one cause must explain
FILTERED = 0.97  # share that a filter must explain, which has many taps to fit
PART = 0.1  # share from which a cause may be one of several
BETTER = 0.01  # share by which a later cause must beat an earlier one
PROMISING = 0.9  # share by difference from which a cause is tried by evaluating the ledger
EVENS_OUT = 0.65  # share of the residue over blocks from which it is lost detail
CLEARLY = 0.05  # by which the likeness of a source must lead to be named for it
LIKE_ANOTHER = 0.9  # likeness in values from which a source is of another picture
MOST_PLACED = 8  # sources whose place and filter are looked at closely
MOST_FRAMED = 3  # sources whose other frames are read
MOST_FIRST = 4  # causes that are tried with a second one found anew
ONLY_ADDS = 0.98  # share of the residue that must be missing light for a pass to be missing
OF_THE_LEDGER = ("missing", "doubled", "total_and_parts", "wrong_operator")
STEEP = ("encoded", "straight_alpha", "outside_coverage", "colour_space")  # causes that make rounding larger
PAIRED = {"direct": "indirect", "indirect": "direct"}  # halves of a component


CAUSES = (
    "missing", "doubled", "gain", "encoded", "straight_alpha", "clamped", "wrong_operator", "wrong_frame", "shifted",
    "other_size", "colour_space", "lossy", "not_finite", "total_and_parts", "several", "mirrored", "swapped", "offset",
    "outside_coverage", "quantised", "soft_edges", "one_pixel", "black", "absent", "copy",
    "unexplained",
)  # fmt: skip


def _cause(code: str, key: str, what: str, share: float, repair: Mapping[str, str] | None = None) -> Finding:
    """A likely reason, by one of CAUSES. key: of the pass or row. repair: the edit of the ledger that mends it."""
    return Finding(code, ERROR, what, key=key, share=share, repair=dict(repair or {}))


@dataclass(frozen=True, slots=True, eq=False)
class _Trial:
    """A world in which one cause is put right. gap: what the sum lacks there, (4, 1, N). judged: pixels that it can be
    judged on, (1, N); all if None."""

    suggestion: Finding
    ledger: Ledger
    frame: Picked
    gap: NDArray[np.float32]
    judged: NDArray[np.bool_] | None = None


def pick(wrong: NDArray[np.bool_], *, seed: int = 1) -> NDArray[np.int64]:
    """(N,): numbers of pixels that are wrong in a mask (H, W) and as many right ones, at most MOST_PICKED of each."""
    rng = np.random.default_rng(seed)
    places = []
    for chosen in (np.flatnonzero(wrong), np.flatnonzero(~wrong)):
        size = min(MOST_PICKED, chosen.size)
        places.append(np.sort(rng.choice(chosen, size, replace=False)) if size < chosen.size else chosen)
    return np.concatenate(places)


def find_causes(
    ledger: Ledger, frame: Frame, residue: Residue, *, most: int = 2, work: Work | None = None
) -> list[Finding]:
    """Likely reasons, the likeliest first. ledger: untrimmed. most: 1 not to look for two at once, which takes long.
    work: how much may be tried; it tells afterwards what was left out. Empty only if there is no residue on the pixels
    picked."""
    return _Search(World(ledger, Picked(frame, residue.places), residue), frame, work or Work()).suggestions(
        pairs=most > 1
    )


class _Search:
    def __init__(self, world: World, frame: Frame, work: Work) -> None:
        self._world = world
        self._frame = frame
        self._work = work
        self._reference = set(world.ledger.rendered.sources)
        elements = {row.source.rpartition("/")[0] for row in world.ledger.passes}
        self._own = [source for source in world.picked if source.key.rpartition("/")[0] in elements]

    def suggestions(self, *, pairs: bool) -> list[Finding]:
        """All that explain it; several together where none does alone; and if nothing does, that."""
        world = self._world
        found = list(self._not_finite()) if world.residue.strange else []
        if not world.before.any():
            return found
        if world.residue.count <= FEW:
            return [*found, self._slight() or self._few()]
        tried = list(self._trials(world))
        looks = (lambda: tried, self._placed, self._of_files, self._lost, self._copies, self._filtered, self._framed)
        for look in looks:
            looked = [trial.suggestion if isinstance(trial, _Trial) else trial for trial in look()]
            whole = [suggestion for suggestion in looked if suggestion.share >= EXPLAINED]
            if whole:
                return [*found, *_ranked(whole)]
        if pairs:
            both = self._pairs(tried)
            if both:
                return [*found, *both]
        else:
            self._work.leave("two causes at once")
        likely = self._absent() or self._softened() or self._other_picture()
        return [*found, *([likely] if likely else []), *self._unexplained(tried, likely)]

    # ---- What can be put right ----

    def _trials(self, world: World) -> Iterator[_Trial]:
        for make in (self._totals, self._doubled, self._missing, self._operators, self._values):
            yield from make(world)

    def _of_rows(self, world: World, suggestion: Finding, ledger: Ledger) -> Iterator[_Trial]:
        """A changed ledger: by difference, and evaluated where that promises something."""
        if not self._work.may("rows left out, added and joined otherwise"):
            return
        try:
            gap = world.gap_by_rows(ledger)
            if world.share(gap) >= PROMISING:
                gap = world.gap_in(ledger)
        except PrismError:
            return
        yield _Trial(replace(suggestion, share=world.share(gap)), ledger, world.picked, gap)

    def _missing(self, world: World) -> Iterator[_Trial]:
        """Also what nothing is known of, or is taken for data: it may hold just the light that is missing."""
        used = {row.source for row in world.ledger.passes} | self._reference
        denoised = world.picked.source(world.ledger.beauty).denoised
        for source in self._own:
            if source.key in used or source.denoised != denoised:
                continue
            row = PassRow(id=f"({source.key})"[:80], source=source.key, uses_alpha=False)
            text = f"{source.title} is missing: adding it closes the gap."
            if source.excluded:
                text = f"{source.key} is set aside, as another is taken for the same pass: adding it closes the gap."
            elif source.kind is not None and not _adds_light(source):
                taken = source.kind.title.lower()
                text = f"{source.title} holds the light that is missing, though it is taken for {taken}."
            said = _cause("missing", source.key, text, 0, {"insert": source.key})
            for trial in self._of_rows(world, said, _with_light(world.ledger, row)):
                plain = source.kind is None or (_adds_light(source) and not source.excluded)
                if plain or trial.suggestion.share >= EXPLAINED:
                    yield trial

    def _doubled(self, world: World) -> Iterator[_Trial]:
        """The later of two rows first: the earlier may be the one that was worked on."""
        for row in reversed(world.ledger.passes):
            text = (
                f"{world.picked.source(row.source).title} is in the beauty already: without row {row.id} it balances."
            )
            said = _cause("doubled", row.id, text, 0, {"remove": row.id})
            yield from self._of_rows(world, said, world.ledger.without(row.id))

    def _totals(self, world: World) -> Iterator[_Trial]:
        of_row = [(world.picked.source(row.source), row) for row in world.ledger.passes]
        rows = {source.kind.key: row for source, row in of_row if source.kind}
        for source, row in of_row:
            parts = [part for part in parts_of(source) if part in rows]
            if parts:
                parted = ", ".join(parts)
                text = f"{source.title} is the total of {parted}, which are in the sum as well: leave it out, or them."
                said = _cause("total_and_parts", row.id, text, 0, {"remove": row.id})
                yield from self._of_rows(world, said, world.ledger.without(row.id))

    def _operators(self, world: World) -> Iterator[_Trial]:
        for row in world.ledger.passes:
            title = world.picked.source(row.source).title
            for other in ("multiply", "add", "over", "subtract"):
                if other != row.operator:
                    reason = {"multiply": "is a pass on white", "add": "holds light"}.get(other, "joins in another way")
                    text = f"{title} {reason}: its operator should be {other}."
                    said = _cause("wrong_operator", row.id, text, 0, {"operator": other, "row": row.id})
                    yield from self._of_rows(world, said, world.ledger.with_row(row.replace(operator=other)))

    def _values(self, world: World) -> Iterator[_Trial]:
        for key, source in world.sources():
            for trial in value_trials(self._wanted(world, key, source)):
                if not self._work.may("what may have been done to the values of each pass"):
                    return
                said = _cause(trial.cause, key, trial.text, 0)
                yield self._changed(world, said, world.picked.with_change(key, trial.change), trial.judged)

    def _changed(self, world: World, said: Finding, frame: Picked, judged: NDArray[np.bool_] | None = None) -> _Trial:
        """A changed source: by difference, and evaluated where that promises something."""
        gap = world.gap_with(said.key, lambda _: frame.pixels(said.key))
        slack = self._slack(world, said, frame, gap)
        share = world.share(gap, judged=judged, slack=slack)
        if share >= PROMISING:
            gaps = (world.evaluated(said.key, change) for change in self._with_either_alpha(said.key, frame))
            share = max(world.share(each, judged=judged, slack=slack) for each in gaps)
        return _Trial(replace(said, share=share), world.ledger, frame, gap, judged)

    def _with_either_alpha(self, key: str, frame: Picked) -> Iterator[Change]:
        """A changed source, and the same with the alpha that is stored, which may be right as it is."""
        pixels, own = frame.pixels(key), self._world.picked.pixels(key).alpha
        yield lambda _: pixels
        alpha = pixels.alpha
        if own is not None and (alpha is None or not np.array_equal(own, alpha, equal_nan=True)):
            yield lambda _: Pixels(pixels.planes, own)

    def _slack(self, world: World, said: Finding, frame: Picked, gap: NDArray) -> NDArray[np.float32] | float:
        """Rounding that a change makes larger: a steep curve turns half a step into more of them."""
        if said.code not in STEEP or not self._is_half(said.key):
            return 0.0
        nudged = frame.with_nudge(said.key, np.float32(1 + UNIT_HALF))
        with np.errstate(invalid="ignore", over="ignore"):
            return np.nan_to_num(2 * np.abs(world.gap_with(said.key, lambda _: nudged.pixels(said.key)) - gap))

    def _is_half(self, key: str) -> bool:
        return self._world.picked.pixels(key).planes[0].dtype == np.float16

    def _wanted(self, world: World, key: str, source: Source) -> Judged:
        own = next((alpha for alpha in self._alphas(world, key) if alpha is not None), None)
        kind = kind_key(source)
        return Judged(
            title=source.title,
            stored=world.stored(key),
            light=world.light_wanted(key),
            noise=world.noise(key),
            alpha=None if own is None else own.astype(np.float32),
            wrong=world.residue.wrong,
            half=self._is_half(key),
            is_sky=kind == "background" or key in self._reference,
            is_rendered=key in self._reference,
        )

    def _alphas(self, world: World, key: str) -> Iterator[NDArray | None]:
        """The alphas that a source may be covered by: its own, that of its layer, that of the whole."""
        yield world.picked.pixels(key).alpha
        for group in world.ledger.rows:
            if not isinstance(group, GroupRow) or group.alpha is None:
                continue
            if any(row.source_taken == key for row in walk(group.inner)):
                yield world.picked.pixels(group.alpha).alpha
        yield world.picked.pixels(world.ledger.beauty).alpha

    # ---- Where sources lie ----

    @cached_property
    def _own_tile(self) -> Tile:
        return Tile(self._world, self._frame)

    def _placed(self, world: World | None = None) -> Iterator[_Trial]:
        world = world or self._world
        yield from self._edges(world)
        tile = self._own_tile if world is self._world else Tile(world, self._frame)
        for key, source in world.sources():
            if not self._work.may("where each pass lies"):
                return
            shifts = likely_shifts(*tile.pair(key))
            for trial in place_trials(key, source.title, world.picked, shifts):
                if not self._work.may("where each pass lies"):
                    return
                yield self._changed(world, _cause(trial.cause, key, trial.text, 0), trial.frame, trial.judged)

    def _edges(self, world: World) -> Iterator[_Trial]:
        """A cause of layers that lie over one another: a pixel's alpha does not say which part of it is covered."""
        over = [row for row in world.ledger.rows if isinstance(row, GroupRow) and row.operator == "over" and row.alpha]
        if not over:
            return
        soft = np.zeros(world.before.shape[1:], bool)
        for row in over:
            alpha = world.picked.pixels(row.alpha or "").alpha
            soft |= (alpha > 0) & (alpha < 1) if alpha is not None else False
        total = float(world.before.sum(dtype=np.float64))
        share = float(np.where(soft, world.before, 0).sum(dtype=np.float64)) / total
        text = (
            f"{', '.join(row.name or row.id for row in over)} goes over what is behind, so soft edges differ a little: "
            "for an exact sum, make the layers holdouts of each other."
        )
        yield _Trial(_cause("soft_edges", over[0].id, text, share), world.ledger, world.picked, world.gap)

    def _suspects(self) -> list[tuple[str, Source]]:
        """Sources that would hold light and nothing below it, were they the wrong one: those that lie most where the
        residue does first."""
        world = self._world
        size = np.abs(world.gap[:3])
        fair = [
            (key, source)
            for key, source in world.sources()
            if negative_share(world.light_wanted(key)[:, 0]) <= BELOW_NOTHING and world.slope(key) is not None
        ]
        return sorted(fair, key=lambda pair: -_likeness(size, world.picked.pixels(pair[0])))

    def _close(self) -> list[tuple[str, Source]]:
        """The ones that are looked at closely."""
        suspects = self._suspects()
        most = len(suspects) if self._work.thorough else MOST_PLACED
        if len(suspects) > most:
            self._work.leave(f"parts of a pixel and blurs of any but the {most} likeliest passes")
        return suspects[:most]

    def _filtered(self) -> Iterator[Finding]:
        """Moved by parts of a pixel, or blurred, before it was stored."""
        tile = self._own_tile
        for key, source in self._close():
            stored, wanted = tile.stored(key), tile.wanted(key)
            for start in ((0, 0), *likely_shifts(*tile.pair(key))[:1]):
                if not self._work.may("parts of a pixel and blurs", 10):
                    return
                found = filter_between(stored, wanted, tile.noise(key), start)
                if found is None or found.share < FILTERED:
                    continue
                if found.moves:
                    yield _cause("shifted", key, f"{source.title} {shifted_words(found.x, found.y)}.", found.share)
                elif found.blurs:
                    text = f"{source.title} has lost its fine detail: it was blurred or scaled before it was stored."
                    yield _cause("other_size", key, text, found.share)

    def _framed(self) -> Iterator[_Trial | Finding]:
        """The same pass of another frame, where that is there."""
        suspects, world = self._suspects(), self._world
        most = len(suspects) if self._work.thorough else MOST_FRAMED
        reach = self._work.frames
        offsets = sorted((sign * by for by in range(1, reach + 1) for sign in (-1, 1)), key=abs)
        if len(suspects) > most:
            self._work.leave(f"other frames of any but the {most} likeliest passes")
        for key, source in suspects[:most]:
            if not self._work.may("other frames", 10 * len(offsets)):
                return
            sign = -1 if key in self._reference else 1
            frames = other_frames(self._frame, key, offsets)
            if len(frames) == len(offsets):
                self._work.leave(f"frames further than {reach} away")
            for trial in frame_trials(world.ledger, frames, world.picked, key, source.title, sign * world.gap[:3]):
                said = _cause(trial.cause, key, trial.text, trial.share or 0)
                yield said if trial.share else self._changed(world, said, trial.frame)

    # ---- What is lost ----

    def _lost(self) -> Iterator[Finding]:
        """Black where it should hold light, and enlarged by repeating pixels."""
        tile = self._own_tile
        for key, source in self._world.sources():
            if not self._work.may("black and enlarged passes", 2):
                return
            black = black_of(self._world, self._frame, key)
            if black is not None:
                yield _cause("black", key, f"{source.title} {black.text}.", 1.0)
            by = enlarged_by(*tile.pair(key))
            if by > 1:
                text = f"{source.title} was enlarged {by:.2g} times by repeating pixels: render it in full size."
                yield _cause("other_size", key, text, EXPLAINED)

    def _of_files(self) -> Iterator[Finding]:
        """Sources that hold but approximations: lossy files, and few steps. They explain small differences anywhere."""
        for key, source in self._world.sources():
            if source.lossy:
                text = f"{source.title} is stored with lossy {source.lossy}: its values are approximations."
                yield _cause("lossy", key, text, self._approximate(key, 0.1))
            if source.bits and source.bits <= 16:
                text = f"{source.title} has {source.bits} bits a channel: its values are rounded to steps."
                yield _cause("quantised", key, text, self._approximate(key, 8 * 2.0**-source.bits))
                continue
            for steps in steps_of(self._world.stored(key), half=self._is_half(key)):
                text = f"{source.title} {steps.text}."
                above = steps.top & (self._world.light_wanted(key) > self._world.stored(key))
                slack = np.where(above, np.float32(np.inf), steps.slack)
                yield _cause("quantised", key, text, self._within(key, slack))

    def _copies(self) -> Iterator[Finding]:
        """Passes that hold the very pixels of another: one of the two was written over."""
        rows = [(key, source) for key, source in self._world.sources() if key not in self._reference]
        for place, (key, source) in enumerate(rows):
            stored = self._world.stored(key)
            for other, twin in rows[:place]:
                if np.ptp(stored) > 0 and np.array_equal(stored, self._world.stored(other), equal_nan=True):
                    text = f"{source.title} holds the same pixels as {twin.title}: one of them is a copy of the other."
                    yield _cause("copy", key, text, EXPLAINED)

    def _approximate(self, key: str, part: float) -> float:
        """Share of the residue within that part of the largest value of a source."""
        planes = self._world.picked.pixels(key).planes
        return self._within(key, np.float32(part * max(float(np.nanmax(np.abs(p), initial=0)) for p in planes)))

    def _within(self, key: str, slack: NDArray | np.float32) -> float:
        """Share of the residue within a slack of the values of a source."""
        slope = self._world.slope(key)
        full = np.zeros_like(self._world.gap)
        with np.errstate(invalid="ignore"):
            full[:3] = slack if slope is None else np.nan_to_num(slack * np.abs(slope), nan=0, posinf=np.inf)
        return self._world.share(self._world.gap, slack=full)

    def _softened(self) -> Finding | None:
        """The source that lacks most of its fine detail, if the residue is what detail is made of: as much above as
        below."""
        tile = self._own_tile
        alike = sorted((pair[1].scaled, lies_along(tile, pair[0]), pair[0]) for pair in self._close())[::-1]
        if not alike:
            return None
        scaled, likeness, key = alike[0]
        share = softened(key, tile)
        clear = scaled or len(alike) < 2 or likeness > alike[1][1] + CLEARLY
        if share < EVENS_OUT or not clear:
            return None
        title = self._world.picked.source(key).title
        if scaled:
            text = f"{title} has another size than the picture and was scaled to it: its values are in between."
        else:
            text = f"{title} seems to have lost its fine detail: it was scaled or blurred before it was stored."
        return _cause("other_size", key, text, share)

    def _other_picture(self) -> Finding | None:
        """The source that holds the light it should, elsewhere."""
        tile = self._own_tile
        alike = [(of_another_picture(tile.stored(key), tile.filled(key)), key, source) for key, source in self._close()]
        likeness, key, source = max(alike, key=lambda entry: entry[0], default=(0.0, "", None))
        if source is None or likeness < LIKE_ANOTHER:
            return None
        text = (
            f"{source.title} seems to be of another picture: it holds about the light it should, in other places. "
            "Look for another frame, camera or version."
        )
        return _cause("wrong_frame", key, text, min(likeness, EXPLAINED - BETTER))

    def _absent(self) -> Finding | None:
        """Light that no pass holds: everything that is off is missing, in all channels."""
        gap = finite(self._world.gap[:3])
        off = np.where(self._world.before[:3] > 0, gap, 0)
        total = float(np.abs(off).sum(dtype=np.float64))
        if not total or float(np.maximum(off, 0).sum(dtype=np.float64)) < ONLY_ADDS * total:
            return None
        kinds = {source.kind.key for source in self._own if source.kind is not None and source.kind.role is Role.LIGHT}
        halves = []
        for kind in sorted(kinds):
            stem, _, half = kind.rpartition("_")
            if half in PAIRED and f"{stem}_{PAIRED[half]}" not in kinds and stem not in kinds:
                halves.append(f"{stem}_{PAIRED[half]}")
        looks = f" There is no {' or '.join(halves)}." if halves else ""
        text = (
            f"A pass is missing from the files: {self._amount()}, only in places where light is missing, and no pass "
            f"that is there holds it.{looks}"
        )
        return _cause("absent", halves[0] if len(halves) == 1 else "", text, EXPLAINED - BETTER)

    def _not_finite(self) -> Iterator[Finding]:
        for key, source in self._world.sources():
            pixels = self._frame.pixels(key)
            alpha = () if pixels.alpha is None else (pixels.alpha,)
            for planes, what in ((pixels.planes, ""), (alpha, "The alpha of ")):
                if not planes:
                    continue
                count = int((~np.isfinite(np.stack(planes))).any(axis=0).sum())
                if count:
                    text = (
                        f"{what}{source.title} is NaN or infinite in {count} "
                        f"pixel{'s' if count > 1 else ''}: render them again."
                    )
                    yield _cause("not_finite", key, text, 1.0)

    # ---- Two at once, or nothing ----

    def _pairs(self, tried: Sequence[_Trial]) -> list[Finding]:
        """The two causes that together explain it best: of all that were tried, and beside the likeliest, anything."""
        pairs = list(self._known_pairs(tried)) or list(self._new_pairs(tried))
        if not pairs:
            return []
        share, one, other = max(pairs, key=lambda pair: pair[0])
        text = f"Two things are wrong. {one.what} And: {other.what}"
        return [_cause("several", one.key, text, share), one, other]

    def _known_pairs(self, tried: Sequence[_Trial]) -> Iterator[tuple[float, Finding, Finding]]:
        """Two that were tried alone: what they change adds up, as long as they change different sources."""
        world = self._world
        usable = [t for t in tried if t.judged is None and np.isfinite(t.gap[:3]).all()]
        deltas = [
            Delta((t.suggestion.code in OF_THE_LEDGER, t.suggestion.key), t.gap[:3] - world.gap[:3]) for t in usable
        ]
        for first, second in likely_pairs(world.gap[:3], world.residue.bound[:3], deltas):
            if not self._work.may("two causes at once"):
                return
            one, other = usable[first], usable[second]
            share = world.share(one.gap + other.gap - world.gap)
            if share >= EXPLAINED:
                rest = max(0.0, share - one.suggestion.share)
                yield share, one.suggestion, replace(other.suggestion, share=rest)

    def _new_pairs(self, tried: Sequence[_Trial]) -> Iterator[tuple[float, Finding, Finding]]:
        """What may be wrong besides one of the likeliest, found anew once that is put right."""
        most = MOST_FIRST * (10 if self._work.thorough else 1)
        of_ledger = [t for t in tried if t.suggestion.code in OF_THE_LEDGER]
        least = [of_ledger[at] for at in self._leaving_least(of_ledger)[:most]]
        of_ledger = [*least, *sorted(of_ledger, key=lambda trial: -trial.suggestion.share)[:most]]
        others = [t for t in tried if t.suggestion.share >= PART and t.suggestion.code not in OF_THE_LEDGER]
        others.sort(key=lambda trial: -trial.suggestion.share)
        if len(others) > most // 2 or not self._work.thorough:
            self._work.leave("two causes at once beside any but the likeliest rows and passes")
        for first in dict.fromkeys((*of_ledger, *others[: most // 2])):
            if not self._work.may("two causes at once"):
                return
            world = self._world.with_ledger(first.ledger, first.frame, first.suggestion.key)
            seconds = [*self._values(world)]
            if first.suggestion.code in OF_THE_LEDGER:
                seconds += self._placed(world)
            else:
                seconds += (t for make in (self._doubled, self._missing, self._operators) for t in make(world))
            for second in seconds:
                share = self._world.share(second.gap, judged=second.judged)
                if share >= EXPLAINED and second.suggestion.share >= EXPLAINED:
                    rest = max(0.0, share - first.suggestion.share)
                    yield share, first.suggestion, replace(second.suggestion, share=rest)

    def _leaving_least(self, firsts: Sequence[_Trial]) -> list[int]:
        """Numbers of trials, those first beside which the brightness of one source would leave least."""
        world = self._world
        slopes = ((world.slope(key), world.stored(key)) for key, _ in world.sources())
        ways = [slope * stored for slope, stored in slopes if slope is not None]
        return by_what_is_left([trial.gap[:3] for trial in firsts], ways, world.gap[:3], world.residue.bound[:3])

    def _slight(self) -> Finding | None:
        """A pass that is a very little brighter or darker: most pixels hide that within rounding, but not in sum."""
        world = self._world
        weight = 1 / np.maximum(world.residue.bound[:3], 1e-30)
        gap = finite(world.gap[:3]) * weight
        before = float((gap.astype(np.float64) ** 2).sum())
        best = None
        for key, source in world.sources():
            slope = world.slope(key)
            if slope is None:
                continue
            way = (slope * finite(world.stored(key)) * weight).astype(np.float64)
            power = float((way**2).sum())
            factor = -float((way * gap).sum()) / power if power else 0.0
            left = float(((gap + factor * way) ** 2).sum())
            small = (np.abs(gap + factor * way) <= 1).all()
            if small and left < before / 2 and (best is None or left < best[0]):
                best = left, key, source.title, 1 + factor
        if best is None:
            return None
        _, key, title, factor = best
        where = "as the sum of the rows" if key in self._reference else "as it is in the beauty"
        return _cause("gain", key, f"{title} is {1 / factor:.6g} times as bright {where}.", EXPLAINED)

    def _few(self) -> Finding:
        """A handful of pixels fits any cause, so none is named."""
        count = self._world.residue.count
        width = self._frame.shape()[1]
        rows, columns = np.divmod(self._world.residue.places[:count], width)
        window, display = self._frame.window, self._frame.display_window
        x, y = int(columns[0]) + window.x0 - display.x0, int(rows[0]) + window.y0 - display.y0
        what = "One pixel" if count == 1 else f"{count} pixels, one of them"
        text = f"{what} at x {x} y {y} {'is' if count == 1 else 'are'} further off than rounding explains; no other is."
        return _cause("one_pixel", "", text, 1.0)

    def _amount(self) -> str:
        """How much light is off, in words with a scale."""
        gap = finite(self._world.gap[:3]).astype(np.float64)
        rendered = self._world.rendered[:3]
        wrong = np.broadcast_to(self._world.residue.wrong, gap.shape)
        whole = float(np.abs(finite(rendered)[wrong]).sum(dtype=np.float64))
        return light_words(float(gap[wrong].sum()), whole)

    def _unexplained(self, tried: Sequence[_Trial], likely: Finding | None) -> list[Finding]:
        """How much it is, and which pass it looks like; what explains a part of it follows."""
        if likely is not None:
            return []
        gap = finite(self._world.gap[:3])
        lit = [source for source in self._own if _adds_light(source)]
        alike = [(_likeness(gap, self._world.picked.pixels(source.key)), source) for source in lit]
        likeness, nearest = max(alike, key=lambda pair: pair[0], default=(0.0, None))
        near = nearest is not None and likeness > 0.2
        where = f" It lies where {nearest.title} does." if nearest is not None and near else ""
        text = f"No cause that was tried explains it: in the wrong pixels, {self._amount()}.{where}"
        partly = [
            replace(t.suggestion, what=f"It would explain {t.suggestion.share:.0%} of it: {t.suggestion.what}")
            for t in tried
            if t.suggestion.share >= 0.5 and t.suggestion.code in OF_THE_LEDGER
        ]
        return [
            _cause("unexplained", nearest.key if nearest is not None and near else "", text, 0.0),
            *_ranked(partly)[:1],
        ]


def light_words(less: float, whole: float) -> str:
    """How much less light (more, if below 0) than a whole there is, in a scale that can be read."""
    if whole <= 0:
        return "there is light where none was rendered" if less < 0 else "the rows hold no light"
    part, what = abs(less) / whole, "less" if less > 0 else "more"
    if part < 0.0005:
        return "there is as much light as was rendered, but not in the same places"
    if part > 10:
        return f"the rows hold more than {10 if part < 100 else 100} times the light that was rendered"
    return f"the rows hold {part:.1%} {what} light than was rendered"


def _with_light(ledger: Ledger, row: PassRow) -> Ledger:
    """In the group of its layer, or at the foot."""
    element = row.source.rpartition("/")[0]
    for group in ledger.rows:
        if isinstance(group, GroupRow) and group.alpha is not None and group.alpha.rpartition("/")[0] == element:
            return ledger.with_row(group.replace(rows=(*group.rows, row)))
    return ledger.replace(rows=(*ledger.rows, row))


def _ranked(suggestions: Sequence[Finding]) -> list[Finding]:
    """By the share they explain, in steps; the order in which they were tried decides within one, being that of
    likelihood."""
    return sorted(suggestions, key=lambda suggestion: -round(suggestion.share / BETTER))


def _likeness(gap: NDArray, pixels: Pixels) -> float:
    colour = finite(np.stack(pixels.planes).astype(np.float32)).ravel()
    both = np.linalg.norm(gap) * np.linalg.norm(colour)
    return float(abs(gap.ravel() @ colour) / both) if both else 0.0


def _adds_light(source: Source) -> bool:
    return source.kind is not None and source.kind.role in LIT
