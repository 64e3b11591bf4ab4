"""A pass taken into a ledger: where its row goes and how it joins follows from what the pass is."""

from __future__ import annotations

from dataclasses import dataclass

from prism.combine.ledger import Ledger
from prism.combine.rows import PassRow
from prism.elements.pixels import Source
from prism.passes.kinds import LIT, Role


@dataclass(frozen=True, slots=True)
class Added:
    """A ledger with one more row. remark: what a person should know about how it was taken in; often nothing."""

    ledger: Ledger
    row: PassRow
    remark: str = ""


def with_pass(ledger: Ledger, source: Source) -> Added:
    """Take in a pass.

    Light that is not in the sum yet is part of the rebuild and goes to the other parts; all else is a change laid on top: light
    again adds, an occlusion or shadow scales. A base colour covers all that stands above it, so it goes first, switched off; so is
    what measures and is no light. Common practice, no source.
    """
    role = source.kind.role if source.kind is not None else None
    row = PassRow(id=free_id(ledger, source.key.rpartition("/")[2]), source=source.key, uses_alpha=role not in LIT)
    light = role in LIT and all(source.key != other.source for other in ledger.passes)
    if light:  # after the last part
        return _placed(ledger, row, 1 + max((i for i, other in enumerate(ledger.rows) if other.in_balance), default=-1))
    row = row.replace(in_balance=False)
    foot = len(ledger.rows)
    if role is Role.COVER:
        remark = (
            f"{source.title} covers what stands above it, so it was put first, and is switched off. "
            "Switch it on where raw light multiplies it."
        )
        return _placed(ledger, row.replace(operator="over", on=False), 0, remark)
    if source.is_data:
        remark = (
            f"{source.title} measures and is no light: as a row it would only disturb the sum, so it is switched off."
        )
        return _placed(ledger, row.replace(on=False), foot, remark)
    if role is Role.SCALE:
        return _placed(ledger, row.replace(operator="multiply"), foot)
    if role in LIT:
        return _placed(ledger, row, foot, f"{source.title} is in the sum already; it was added once more, as a change.")
    if role is Role.WHOLE:
        return _placed(
            ledger, row.replace(on=False), foot,
            f"{source.title} is the whole picture, which the rows sum to already: it is switched off.",
        )  # fmt: skip
    return _placed(ledger, row, foot, f"Nothing says what {source.title} is; it was added as light.")


def free_id(ledger: Ledger, wanted: str) -> str:
    """An id that no row has yet: the wanted one, or that with a number."""
    taken = {row.id for row in ledger.walk()}
    wanted = wanted[:72]
    numbered = (f"{wanted}-{number}" for number in range(2, len(taken) + 3))
    return wanted if wanted not in taken else next(name for name in numbered if name not in taken)


def _placed(ledger: Ledger, row: PassRow, at: int, remark: str = "") -> Added:
    return Added(ledger.replace(rows=(*ledger.rows[:at], row, *ledger.rows[at:])), row, remark)
