"""The rows, mattes, steps, frames, findings and files of a parcel as plain tables."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from prism.ledger.document import Ledger
from prism.ledger.operators import OPERATORS
from prism.ledger.rows import Row
from prism.ledger.wording import named
from prism.mattes.document import Matte
from prism.text import cell

_ROW_HEAD = (
    "number", "depth", "id", "kind", "operator", "source", "on", "amount", "matte", "other settings", "comment",
)  # fmt: skip
_NOT_TRIMS = ("id", "kind", "operator", "source", "on", "solo", "amount", "matte", "rows", "comment", "name")


@dataclass(frozen=True, slots=True)
class Table:
    """name: of its file. title: of its page. head: of the columns; lines are as long."""

    name: str
    title: str
    head: tuple[str, ...]
    lines: tuple[tuple[str, ...], ...]

    @property
    def as_csv(self) -> str:
        """With commas, quoted where needed (RFC 4180)."""
        text = io.StringIO()
        writer = csv.writer(text, lineterminator="\r\n")
        writer.writerows([[cell(each) for each in line] for line in (self.head, *self.lines)])
        return text.getvalue()


def tables_of(ledger: Ledger, record: Mapping[str, Any]) -> tuple[Table, ...]:
    """All tables of a parcel. record: of the delivery, as `prism.delivery.record.whole_record` has it."""
    frames: Sequence[Mapping[str, Any]] = record["frames"]
    return (
        Table(
            "rows", "Rows, from the first to the last",
            _ROW_HEAD,
            tuple(_rows(ledger.rows, 0, "")),
        ),
        Table(
            "operators", "Operators of the rows", ("operator", "family", "formula", "light above 1"),
            tuple(
                (key, each.family, each.formula, each.above_one)
                for key, each in OPERATORS.items()
                if key in {row.operator for row in ledger.walk()}
            ),
        ),
        Table("mattes", "Mattes", ("id", "settings"), tuple((matte.id, _settings(matte)) for matte in ledger.mattes)),
        Table(
            "steps", "Steps of the finish, in their order",
            ("number", "id", "step", "works on", "on", "amount", "matte", "settings"),
            tuple(
                (str(number), step.id, step.title, step.domain, _yes(step.enabled), _text(step.amount),
                 step.matte or "", ", ".join(step.in_words()))
                for number, step in enumerate((step.at(frames[0]["frame"]) for step in ledger.finish), start=1)
            ) if frames else (),
        ),
        Table(
            "balance", "Balance of every frame: the untrimmed rows against what was rendered",
            ("frame", "balanced", "pixels apart", "largest difference", "why not compared"),
            tuple(_balance(frame) for frame in frames),
        ),
        Table(
            "findings", "What is known against the files", ("frame", "finding"),
            tuple((str(frame["frame"]), text) for frame in frames for text in frame["findings"]),
        ),
        Table(
            "sources", "Files that the frames were made from", ("frame", "file", "bytes", "sha256"),
            tuple(
                (str(frame["frame"]), file["file"], str(file["bytes"]), file["sha256"])
                for frame in frames
                for file in frame["sources"]
            ),
        ),
    )  # fmt: skip


def _rows(rows: Sequence[Row], depth: int, lead: str) -> Iterator[tuple[str, ...]]:
    for number, row in enumerate(rows, start=1):
        yield (
            f"{lead}{number}", str(depth), row.id, str(row.model_dump()["kind"]), row.operator,
            row.source_taken or named(row),
            _yes(row.on), _text(row.amount), row.matte or "", _settings(row), row.comment,
        )  # fmt: skip
        yield from _rows(row.inner, depth + 1, f"{lead}{number}.")


def _settings(value: Row | Matte) -> str:
    """What differs from the usual, as JSON."""
    given = value.model_dump(mode="json", exclude_defaults=True)
    return json.dumps({name: each for name, each in given.items() if name not in _NOT_TRIMS}, ensure_ascii=False)


def _balance(frame: Mapping[str, Any]) -> tuple[str, ...]:
    balance = frame["balance"]
    said = {True: "yes", False: "no", None: "not compared"}[balance["balanced"]]
    return str(frame["frame"]), said, str(balance["wrong"]), f"{balance['largest']:.6g}", balance["why"]


def _yes(on: bool) -> str:
    return "yes" if on else "no"


def _text(value: Any) -> str:
    return f"{value:g}" if isinstance(value, int | float) else json.dumps(value.model_dump(mode="json"))
