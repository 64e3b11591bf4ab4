"""The rows of a ledger: the table of their kinds, and what is asked of many rows at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from prism.fields import settings_of
from prism.ledger.kinds.backgrounds import BackgroundRow
from prism.ledger.kinds.base import NEUTRAL, Label, LedgerRow
from prism.ledger.kinds.depth import CardRow, DeepRow
from prism.ledger.kinds.fog import FogRow
from prism.ledger.kinds.holders import KINDS, LEAVES, DepthRow, GroupRow, Row
from prism.ledger.kinds.overlays import OverlayRow
from prism.ledger.kinds.passes import PassRow
from prism.ledger.trims import Trims

ROWS: tuple[type[LedgerRow], ...] = (*LEAVES, GroupRow, DepthRow)
"""All kinds there are."""


def walk(rows: tuple[Row, ...]) -> Iterator[Row]:
    """Every row, a group before what is in it."""
    for row in rows:
        yield row
        yield from walk(row.inner)


def changed(rows: tuple[Row, ...], change: Callable[[Row], Row]) -> tuple[Row, ...]:
    """Every row put through `change`, those in groups first."""
    return tuple(change(row.with_inner(changed(row.inner, change)) if row.inner else row) for row in rows)


def rebuilding(rows: tuple[Row, ...]) -> tuple[Row, ...]:
    """The rows that are part of the rebuild, all on and without trims."""
    return tuple(row.neutral() for row in rows if row.in_balance)


def kinds_for_page() -> dict[str, dict[str, Any]]:
    """By kind: a row with nothing changed, its settings (its own first, then those of all rows, then trims), and how it
    is called."""
    return {
        kind: {
            "blank": _blank(row).model_dump(mode="json"),
            "settings": sorted(settings_of(row), key=_depth),
            "label": {"by": row.label.by, "words": dict(row.label.words), "otherwise": row.label.otherwise},
            "meaning": row.meaning,
            "hasPlace": row.has_place,
            "hasOwnFrames": row.has_own_frames,
            "takenAs": row.taken_as,
            "ordersByDepth": row is DepthRow,
            "measures": row.channel_by and {"by": row.channel_by[0], "channels": dict(row.channel_by[1])},
        }
        for kind, row in zip(KINDS, ROWS, strict=True)
    }


def _depth(setting: dict[str, Any]) -> int:
    """How many of the documents that a row builds upon have a setting."""
    return sum(setting["field"] in document.model_fields for document in (LedgerRow, Trims))


def _blank(row: type[LedgerRow]) -> LedgerRow:
    needed = {name: "pass" for name, field in row.model_fields.items() if field.is_required()}
    return row(**needed)


__all__ = [
    "KINDS",
    "NEUTRAL",
    "ROWS",
    "BackgroundRow",
    "CardRow",
    "DeepRow",
    "DepthRow",
    "FogRow",
    "GroupRow",
    "Label",
    "LedgerRow",
    "OverlayRow",
    "PassRow",
    "Row",
    "changed",
    "kinds_for_page",
    "rebuilding",
    "walk",
]
