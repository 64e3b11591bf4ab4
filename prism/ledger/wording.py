"""What differs between two ledgers, in words that a lead reads."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from prism.curves import Curve
from prism.documents import kind_of
from prism.fields import unit_of
from prism.finish.base import FinishStep
from prism.keyed import Keyed
from prism.ledger.document import Ledger
from prism.ledger.rows import Row, walk

_SILENT = ("id", "kind", "rows", "folded")
_WORDS = {
    "on": ("on", "off"),
    "enabled": ("on", "off"),
    "solo": ("soloed", "not soloed"),
    "in_balance": ("in the balance", "not in the balance"),
}


def changes(before: Ledger, after: Ledger) -> list[str]:
    """One short line for each difference, in the order of the newer ledger's rows; none if they give the same."""
    return list(_changes(before, after))


def _changes(before: Ledger, after: Ledger) -> Iterator[str]:
    old, new = ({row.id: row for row in ledger.walk()} for ledger in (before, after))
    for key, row in new.items():
        if key not in old:
            yield f"{named(row)} added"
        else:
            yield from _fields(old[key], row)
    for key, row in old.items():
        if key not in new:
            yield f"{named(row)} removed"
    if _order(before, old, new) != _order(after, old, new):
        yield "rows in another order"
    yield from _mattes(before, after)
    yield from _finish(before, after)
    if (before.beauty, before.alpha, before.reference) != (after.beauty, after.alpha, after.reference):
        yield "applied to other files" if before.elements != after.elements else "starts or lands elsewhere"


def _mattes(before: Ledger, after: Ledger) -> Iterator[str]:
    old, new = ({matte.id: matte for matte in ledger.mattes} for ledger in (before, after))
    for key, matte in new.items():
        if old.get(key) != matte:
            yield f"matte {key} {'changed' if key in old else 'added'}"
    for key in old:
        if key not in new:
            yield f"matte {key} removed"


def _finish(before: Ledger, after: Ledger) -> Iterator[str]:
    old, new = ({step.id: step for step in ledger.finish} for ledger in (before, after))
    for key, step in new.items():
        if key not in old:
            yield f"finish: {named(step)} added"
        else:
            yield from (f"finish: {line}" for line in _fields(old[key], step))
    for key, step in old.items():
        if key not in new:
            yield f"finish: {named(step)} removed"
    orders = [[key for key in steps if key in old and key in new] for steps in (old, new)]
    if orders[0] != orders[1]:
        yield "finish: steps in another order"


def _order(ledger: Ledger, *known: dict[str, Row]) -> list[tuple[str, str]]:
    """The rows that both ledgers have, each with its group."""
    places = [("", row.id) for row in ledger.rows]
    places += [(row.id, inner.id) for row in walk(ledger.rows) for inner in row.inner]
    return [(group, row) for group, row in places if all(row in rows for rows in known)]


def _fields(before: Row | FinishStep, after: Row | FinishStep) -> Iterator[str]:
    """What differs between a row, or a step of the finish, and what it was before."""
    if type(before) is not type(after):
        yield f"{named(after)} is now a {kind_of(type(after))}"
        return
    for field in type(after).model_fields:
        old, new = getattr(before, field), getattr(after, field)
        if old == new or field in _SILENT:
            continue
        if field in _WORDS and isinstance(new, bool):
            yield f"{named(after)} {_WORDS[field][0 if new else 1]}"
        elif field == "curves" or isinstance(new, Curve):
            yield f"{named(after)} curve changed"
        elif field == "comment":
            yield f"{named(after)} commented"
        else:
            unit = unit_of(type(after), field)
            yield f"{named(after)} {field.replace('_', ' ')} {_said(old, unit)} → {_said(new, unit)}"


def named(row: Row | FinishStep) -> str:
    """What a row is called in a sentence: the name that a person gave it, else its id."""
    return getattr(row, "name", "") or row.id


def _said(value: Any, unit: str) -> str:
    if isinstance(value, Keyed):
        return f"{len(value.keys)} keys"
    if isinstance(value, tuple):
        return ", ".join(_said(part, "") for part in value)
    if isinstance(value, bool) or value is None:
        return {True: "yes", False: "no", None: "none"}[value]
    return f"{value:g}{unit}" if isinstance(value, int | float) else str(value)
