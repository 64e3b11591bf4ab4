"""A ledger of one shot laid on the passes of another: what is found by its role and name, and what is not."""

from __future__ import annotations

from dataclasses import dataclass

from prism.ledger.dimmers import light_of
from prism.ledger.document import Ledger
from prism.ledger.matching import matched
from prism.ledger.rows import walk
from prism.passes.kinds import LIT
from prism.sources.pixels import Frame, Source, parts_of


@dataclass(frozen=True, slots=True)
class AppliedTemplate:
    """ledger: with the sources that were found. missing: (row, step, matte or `start`, the source it asked for).
    left_over: passes of light that nothing of the ledger takes."""

    ledger: Ledger
    missing: tuple[tuple[str, str], ...]
    left_over: tuple[str, ...]


def apply_template(template: Ledger, frame: Frame, *, chosen: dict[str, str] | None = None) -> AppliedTemplate:
    """Lay a ledger on a frame. chosen: sources of it that a person put in place of those that were not found.

    Sources are found as `matched` has it. What is not found keeps the name it had, so that nothing is guessed. Layers
    that are not there are left out of what the sum should land on.
    """
    picked = {name: key for name, key in (chosen or {}).items() if key in frame}
    found = matched(template, frame) | picked
    ledger = _landing(template.with_sources({name: match for name, match in found.items() if match}), frame)
    missing = [(row.id, source) for row in ledger.walk() for source in row.all_sources if not _is_there(source, frame)]
    missing += [(step.id, source) for step in ledger.finish for source in step.sources if source not in frame]
    missing += [(m.id, source) for m in ledger.mattes for source in m.sources if source not in frame]
    missing += [("start", name) for name in {ledger.beauty, ledger.alpha or ledger.beauty} if name not in frame]
    return AppliedTemplate(ledger, tuple(missing), _left_over(ledger, frame))


def _landing(ledger: Ledger, frame: Frame) -> Ledger:
    """With a reference of only those layers that are there."""
    if not ledger.reference:
        return ledger
    there = tuple(row for row in ledger.reference if all(s in frame for r in walk((row,)) for s in r.all_sources))
    sources = [source for row in walk(there) for source in row.all_sources]
    beauty = ledger.beauty if ledger.beauty in sources else next(iter(sources), ledger.beauty)
    return ledger.replace(reference=there, beauty=beauty)


def _is_there(source: str, frame: Frame) -> bool:
    """Also where a still or sequence holds it that is no pass of this frame."""
    return source in frame or frame.clip(source) is not None


def _left_over(ledger: Ledger, frame: Frame) -> tuple[str, ...]:
    """Light of the kind that the ledger is made of, which it does not take."""
    used = [frame.source(row.source) for row in ledger.passes if row.source in frame]
    roles = {source.kind.role for source in used if source.kind is not None and source.kind.role in LIT}
    cleaned = {source.denoised for source in used}
    elements = {source.key.rpartition("/")[0] for source in used}
    taken = {source.key for source in used} | {total for source in used for total in parts_of(source)}
    return tuple(
        source.key
        for source in frame
        if source.kind is not None and source.kind.role in roles and source.denoised in cleaned
        and source.key.rpartition("/")[0] in elements
        and source.key not in taken and not source.excluded and not (parts_of(source) and _has_parts(source, used))
    )  # fmt: skip


def _has_parts(total: Source, used: list[Source]) -> bool:
    """Whether the ledger takes the parts of a total, of the same light."""
    light = light_of(total.key, total.kind)
    parts = {s.kind.key for s in used if s.kind is not None and light_of(s.key, s.kind) == light}
    return all(part in parts for part in parts_of(total))
