"""Rows as text: taken out of a ledger, and laid into another."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from prism.ledger.document import Ledger
from prism.ledger.matching import matched
from prism.ledger.rows import Row, walk
from prism.mattes.document import renamed, within
from prism.sources.pixels import Frame


def copied(ledger: Ledger, keys: Sequence[str]) -> dict[str, Any]:
    """Rows and the mattes that they use, as a document of its own: a ledger's, so that another program reads it as
    well."""
    rows = tuple(ledger.row(key) for key in keys)
    needed = within(ledger.mattes, {row.matte for row in walk(rows) if row.matte})
    return Ledger(
        name="copied", space=ledger.space, beauty=ledger.beauty, alpha=None, mattes=needed, rows=rows
    ).as_json()


def with_copied(ledger: Ledger, data: Any, frame: Frame, after: str = "") -> tuple[Ledger, str]:
    """A ledger with the rows of a copied one, below the row `after` or at the foot; and a remark on what they ask for.

    Sources are found as `matched` has it, ids that are taken get a number, and mattes come with their rows. A row that
    asks for what is not here is switched off, so that the picture stays. Raises BadDocument if the data is no ledger,
    or does not fit.
    """
    other = Ledger.from_json(data, where="what was copied")
    other = other.with_sources({name: key for name, key in matched(other, frame).items() if key})
    lost = _asking_in_vain(other, frame)
    mattes, named = {}, {matte.id for matte in ledger.mattes}
    for matte in other.mattes:
        mattes[matte.id] = free(matte.id, named)
        named.add(mattes[matte.id])
    taken = {row.id for row in ledger.walk()}

    def fresh(row: Row) -> Row:
        name = free(row.id, taken)
        taken.add(name)
        on = row.on and row.id not in lost
        own = row.with_inner(tuple(map(fresh, row.inner)))
        return own.replace(id=name, matte=mattes.get(row.matte or ""), in_balance=False, on=on)

    added = tuple(map(fresh, other.rows))
    brought = tuple(renamed(matte, mattes) for matte in other.mattes)
    at = next((place + 1 for place, row in enumerate(ledger.rows) if row.id == after), len(ledger.rows))
    made = ledger.replace(mattes=(*ledger.mattes, *brought), rows=(*ledger.rows[:at], *added, *ledger.rows[at:]))
    count = sum(1 for _ in walk(added))
    off = f" Switched off, since what they ask for is not here: {', '.join(sorted(lost))}." if lost else ""
    return made, f"{count} row{'' if count == 1 else 's'} pasted, as changes on top.{off}"


def _asking_in_vain(other: Ledger, frame: Frame) -> set[str]:
    """Rows whose source, or a source of whose matte, is not there."""

    def is_there(source: str) -> bool:
        return source in frame or frame.clip(source) is not None

    blind = {matte.id for matte in other.mattes if not all(s in frame for s in _needed(other, matte.id))}
    rows = other.walk()
    return {row.id for row in rows if row.matte in blind or not all(map(is_there, row.all_sources))}


def _needed(other: Ledger, matte: str) -> list[str]:
    return [source for each in within(other.mattes, {matte}) for source in each.sources]


def free(wanted: str, taken: Collection[str]) -> str:
    """The wanted name, or that with a number, whichever is not taken."""
    numbered = (f"{wanted[:72]}-{number}" for number in range(2, len(taken) + 3))
    return wanted if wanted not in taken else next(name for name in numbered if name not in taken)
