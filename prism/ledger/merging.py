"""Two changes of one ledger joined: what only one of two people changed is taken from them, and what both did is
named."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from prism.errors import PrismError
from prism.ledger.document import Ledger
from prism.ledger.wording import named

_ABSENT: Any = object()
_Rows = dict[str, dict[str, Any]]  # by id, without what is in them
_Order = dict[str, list[str]]  # by the id of the group, "" for the ledger's own level


@dataclass(frozen=True, slots=True)
class Merged:
    """ledger: with the changes of both; None if some meet. meeting: what both changed, each in its own way, in
    words."""

    ledger: Ledger | None
    meeting: tuple[str, ...]


def merge(base: Ledger, mine: Ledger, theirs: Ledger) -> Merged:
    """Join two ledgers that both go on from a third, field by field of every row, matte and finishing step.

    A row that one removed and the other changed meets itself, and so do rows that both put into another order.
    """
    versions = [ledger.as_json() for ledger in (base, mine, theirs)]
    names = {row.id: named(row) for ledger in (base, theirs, mine) for row in ledger.walk()}
    meeting: list[str] = []
    flat = [_flattened(document.pop("rows")) for document in versions]
    rows = _entries([rows for rows, _ in flat], meeting, lambda key: names[key])
    mattes = [document.pop("mattes") for document in versions]
    kept = _entries([{m["id"]: m for m in each} for each in mattes], meeting, lambda key: f"matte {key}")
    steps = [document.pop("finish") for document in versions]
    finish = _entries([{s["id"]: s for s in each} for each in steps], meeting, lambda key: f"finishing step {key}")
    top = _fields(versions, meeting, "the ledger")
    order = _ordered([order for _, order in flat], rows, meeting, "rows")
    matte_order = _ordered([{"": [m["id"] for m in each]} for each in mattes], kept, meeting, "mattes")
    finish_order = _ordered([{"": [s["id"] for s in each]} for each in steps], finish, meeting, "finishing steps")
    if meeting:
        return Merged(None, tuple(dict.fromkeys(meeting)))
    document = top | {
        "rows": list(_nested(rows, order, "")),
        "mattes": [kept[key] for key in matte_order.get("", ())],
        "finish": [finish[key] for key in finish_order.get("", ())],
    }
    try:
        return Merged(Ledger.from_json(document, where="ledger"), ())
    except PrismError as error:  # such as a row that one added on a matte that the other removed
        return Merged(None, (error.what,))


def _flattened(rows: list[dict[str, Any]]) -> tuple[_Rows, _Order]:
    found: _Rows = {}
    order: _Order = {}

    def walk(rows: list[dict[str, Any]], group: str) -> None:
        order[group] = [row["id"] for row in rows]
        for row in rows:
            found[row["id"]] = {name: value for name, value in row.items() if name != "rows"}
            if "rows" in row:
                walk(row["rows"], row["id"])

    walk(rows, "")
    return found, order


def _entries(versions: Sequence[Mapping[str, dict]], meeting: list[str], name) -> dict[str, dict]:
    """Rows or mattes by id: taken from whoever changed, added or removed them."""
    base, mine, theirs = versions
    merged: dict[str, dict] = {}
    for key in dict.fromkeys((*mine, *theirs)):
        old, own, other = (each.get(key, _ABSENT) for each in (base, mine, theirs))
        if own is _ABSENT or other is _ABSENT:
            there = own if other is _ABSENT else other
            if old is _ABSENT:
                merged[key] = there
            elif there != old:
                meeting.append(f"{name(key)} removed by one and changed by the other")
        elif old is _ABSENT and own != other:
            meeting.append(f"{name(key)} added twice")
        else:
            merged[key] = _fields([{} if old is _ABSENT else old, own, other], meeting, name(key))
    return merged


def _fields(versions: Sequence[Mapping[str, Any]], meeting: list[str], name: str) -> dict[str, Any]:
    base, mine, theirs = versions
    merged = {}
    for field in dict.fromkeys((*mine, *theirs)):
        old, own, other = (each.get(field, _ABSENT) for each in (base, mine, theirs))
        merged[field] = other if own == old else own
        if own not in (old, other) and other != old:
            meeting.append(f"{name} {field.replace('_', ' ')}")
    return merged


def _ordered(orders: list[_Order], kept: Mapping[str, Any], meeting: list[str], what: str) -> _Order:
    """Where everything lies: as whoever moved something has it, with what the other added behind what it followed
    there."""
    base, mine, theirs = ({place: pair for place, pair in _places(order)} for order in orders)
    common = set(base) & set(mine) & set(theirs)
    shapes = [_shape(order, common) for order in orders]
    moved = [shape != shapes[0] for shape in shapes[1:]]
    if all(moved) and shapes[1] != shapes[2]:
        meeting.append(f"the order of {what}")
        return {}
    lead, other = (orders[1], orders[2]) if moved[0] or not moved[1] else (orders[2], orders[1])
    result = {group: [key for key in keys if key in kept] for group, keys in lead.items()}
    placed = {key for keys in result.values() for key in keys}
    for group, keys in other.items():
        before = None
        for key in keys:
            if key in kept and key not in placed:
                into = result.setdefault(group, [])
                into.insert(0 if before is None else into.index(before) + 1 if before in into else len(into), key)
                placed.add(key)
            before = key
    return result


def _places(order: _Order) -> Iterator[tuple[str, str]]:
    for group, keys in order.items():
        for key in keys:
            yield key, group


def _shape(order: _Order, common: set[str]) -> dict[str, list[str]]:
    shape = {group: [key for key in keys if key in common] for group, keys in order.items()}
    return {group: keys for group, keys in shape.items() if keys}


def _nested(rows: _Rows, order: _Order, group: str) -> Iterator[dict[str, Any]]:
    for key in order.get(group, ()):
        row = rows[key]
        yield row | {"rows": list(_nested(rows, order, key))} if row["kind"] == "group" else row
