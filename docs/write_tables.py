"""Writes the tables of fields in the pages of formats, as the documents declare them: default, what it takes, unit.

A page marks where a table stands: `<!-- fields of finish glow -->` up to `<!-- end -->`. Run
`python -m docs.write_tables` when a test says that a page is stale. Fields that all kinds of a page share stand in a
table of their own, written by hand with their meaning.
"""

from __future__ import annotations

import json
import re
import types
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from annotated_types import Ge, Gt, Le, Lt, MaxLen
from pydantic import BaseModel
from pydantic_core import PydanticUndefined

from prism.delivery.encodings.table import ENCODINGS
from prism.documents import kind_of
from prism.fields import Shown
from prism.finish.base import FinishStep
from prism.finish.steps import STEPS
from prism.keyed import Keyed, Within
from prism.ledger.kinds.base import LedgerRow
from prism.ledger.rows import ROWS
from prism.mattes import parts
from prism.sheets.boards.elements import ELEMENTS, BoardElement

DOCS = Path(__file__).parent
_MARKED = re.compile(r"(<!-- fields of (\w+) (\w+) -->\n).*?(<!-- end -->)", re.DOTALL)
KINDS: Mapping[str, Mapping[str, type[BaseModel]]] = {
    "finish": {kind_of(step): step for step in STEPS},
    "row": {kind_of(row): row for row in ROWS},
    "part": dict(zip(parts.KINDS, parts.PARTS, strict=True)),
    "encoding": ENCODINGS,
    "element": ELEMENTS,
}
"""By the word in a marker: the kinds there are."""
LONGEST_SOURCE = 200  # characters of `SourceName`, which no other text has
PAGES = {
    "finish": "finish-format.md",
    "row": "ledger-format.md",
    "part": "ledger-format.md",
    "encoding": "delivery-format.md",
    "element": "board-format.md",
}
COMMON: Mapping[str, type[BaseModel]] = {
    "finish": FinishStep,
    "row": LedgerRow,
    "part": parts.PARTS[0].__base__,
    "element": BoardElement,
}


def table(family: str, kind: str) -> str:
    """The fields of one kind; a sentence where it has no fields of its own."""
    document = KINDS[family][kind]
    document.model_rebuild()  # else what rows in a group may be is named only after the first ledger was read
    shared = COMMON[family].model_fields if family in COMMON else {}
    own = {
        name: field
        for name, field in document.model_fields.items()
        if name != "kind" and (name not in shared or repr(field) != repr(shared[name]))
    }
    if not own:
        return "It has no fields of its own.\n"
    lines = ["| field | default | takes | unit |", "| --- | --- | --- | --- |"]
    lines += [f"| `{name}` | {_default(field)} | {_takes(field)} | {_unit(field)} |" for name, field in own.items()]
    return "\n".join(lines) + "\n"


def _default(field: Any) -> str:
    value = field.get_default(call_default_factory=True)
    if value is PydanticUndefined:
        return "needed"
    value = value.model_dump(mode="json") if isinstance(value, BaseModel) else value
    return f"`{json.dumps(value, ensure_ascii=False, default=str)}`"


def _unit(field: Any) -> str:
    shown = next((each for each in field.metadata if isinstance(each, Shown)), None)
    return shown.unit if shown is not None else ""


def _takes(field: Any) -> str:
    return _of_type(field.annotation, tuple(field.metadata))


def _of_type(kind: Any, metadata: tuple[Any, ...]) -> str:
    if get_origin(kind) is Annotated:
        kind, *more = get_args(kind)
        metadata = (*metadata, *more)
    branches = get_args(kind) if get_origin(kind) in (Union, types.UnionType) else ()
    if type(None) in branches:
        (other,) = [each for each in branches if each is not type(None)]
        return f"{_of_type(other, metadata)}, or null"
    if any(branch is Keyed or Keyed in get_args(branch) for branch in branches):
        return f"number{_range(metadata)}, or keys"
    if get_origin(kind) is Literal:
        return ", ".join(f"`{json.dumps(word)}`" for word in get_args(kind))
    if get_origin(kind) is tuple:
        items = get_args(kind)
        if items[-1] is Ellipsis:
            return f"list of {_many(_of_type(items[0], ()))}"
        return f"{len(items)} of: {_of_type(items[0], metadata)}"
    if kind in (int, float):
        return f"{'whole number' if kind is int else 'number'}{_range(metadata)}"
    if kind is str:
        longest = next((each.max_length for each in metadata if isinstance(each, MaxLen)), None)
        if longest == LONGEST_SOURCE:
            return "a source"
        return f"text, up to {longest} characters" if longest else "text"
    return "`true` or `false`" if kind is bool else "see below"


def _many(one: str) -> str:
    return {"see below": "entries, see below", "text": "texts"}.get(one, one)


def _range(metadata: tuple[Any, ...]) -> str:
    for each in metadata:
        if isinstance(each, Within):
            return f", {_plain(each.low)} to {_plain(each.high)}"
    least = next((each.ge if isinstance(each, Ge) else each.gt for each in metadata if isinstance(each, Ge | Gt)), None)
    most = next((each.le if isinstance(each, Le) else each.lt for each in metadata if isinstance(each, Le | Lt)), None)
    if least is None and most is None:
        return ""
    return f", {'any' if least is None else _plain(least)} to {'any' if most is None else _plain(most)}"


def _plain(number: Any) -> str:
    return str(int(number)) if float(number).is_integer() else f"{number:g}"


def written(page: str) -> str:
    """The text of a page with its tables as the documents are now."""
    return _MARKED.sub(lambda found: found[1] + table(found[2], found[3]) + found[4], (DOCS / page).read_text())


def marked() -> set[tuple[str, str]]:
    """(family, kind) of all tables that pages have."""
    return {
        (family, kind)
        for page in set(PAGES.values())
        for _, family, kind, _ in _MARKED.findall((DOCS / page).read_text())
    }


if __name__ == "__main__":
    for name in sorted(set(PAGES.values())):
        (DOCS / name).write_text(written(name))
