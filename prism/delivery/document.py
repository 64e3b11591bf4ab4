"""The delivery document: what goes out of a shot, under which names, in which formats. docs/delivery-format.md
describes it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from prism.delivery.encodings.base import DELIVERY_FIELDS, SUBJECT_TITLES, Order
from prism.delivery.encodings.table import AnyEncoding
from prism.documents import Document
from prism.errors import BadArgument
from prism.ledger.document import Ledger
from prism.naming.patterns import FIELDS, parse_pattern
from prism.naming.safety import word_fault
from prism.sources.pixels import Frame


class Item(Order):
    """One thing that goes out, and how it is written."""

    encoding: AnyEncoding

    @model_validator(mode="after")
    def _suits(self) -> Self:
        if self.subject not in self.encoding.subjects:
            suiting = ", ".join(SUBJECT_TITLES[each] for each in self.encoding.subjects)
            raise ValueError(f"{self.encoding.title} cannot hold {SUBJECT_TITLES[self.subject]}; it holds {suiting}")
        return self

    @property
    def name_pattern(self) -> str:
        """The pattern of names of its files."""
        return self.pattern or self.encoding.name_pattern(self)

    @property
    def in_words(self) -> str:
        """What it is and how it is written."""
        how = self.encoding.in_words(self)
        return how if self.subject == "files" else f"{SUBJECT_TITLES[self.subject]}; {how}"


class Delivery(Document):
    """items: what is written. The rest is for a delivery that is run by itself: ledger and folders, from the document's
    own folder, frames, where it goes, and values for the fields of names. finish: laid on the ledger in place of its
    own."""

    format: Literal["eager-prism.delivery"] = "eager-prism.delivery"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=80)] = "delivery"
    items: Annotated[tuple[Item, ...], Field(max_length=200)] = ()
    ledger: Annotated[str, Field(max_length=1000)] = ""
    finish: Annotated[str, Field(max_length=1000)] = ""
    folders: Annotated[tuple[str, ...], Field(max_length=100)] = ()
    frames: Annotated[str, Field(max_length=10_000)] = ""
    out: Annotated[str, Field(max_length=1000)] = ""
    rate: Annotated[float, Field(gt=0, le=1000)] = 24.0
    fields: Mapping[str, str | int] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _names_are_sound(self) -> Self:
        twice = [name for name, count in Counter(item.id.lower() for item in self.items).items() if count > 1]
        if twice:
            raise ValueError(f"Two items are called {twice[0]}")
        strange = sorted(set(self.fields) - set(FIELDS) - {"ledger"} | {"frame", "pass", "suffix"} & set(self.fields))
        if strange:
            raise ValueError(f"The field {strange[0]} cannot be given a value here")
        for field, value in self.fields.items():
            fault = word_fault(value) if isinstance(value, str) else ""
            if fault:
                raise ValueError(f"The value of the field {field} is no name: {fault}")
        return self

    @classmethod
    def from_json(cls, data: Any, *, where: str = "") -> Self:
        """Read it like any document; a fault of an item names that by its id."""
        try:
            return cls.model_validate(data)
        except ValidationError as error:
            raise cls._bad(error, ", ".join(filter(None, (where, _item_of(data, error))))) from error

    @property
    def enabled(self) -> tuple[Item, ...]:
        """The items that are written."""
        return tuple(item for item in self.items if item.enabled)


def require(delivery: Delivery, ledger: Ledger, sources: Frame) -> None:
    """Raises BadArgument, naming the item, for what could not be written of a frame; nothing is written."""
    if not delivery.enabled:
        raise BadArgument("Nothing was chosen to be written.", where="items", advice="Add an item, or turn one on.")
    for item in delivery.enabled:
        try:
            _require_pattern(item)
            item.encoding.require(item, ledger, sources)
        except BadArgument as error:
            where = ", ".join(filter(None, (f"item {item.id}", error.where)))
            raise BadArgument(error.what, where=where, advice=error.advice) from error


def _require_pattern(item: Item) -> None:
    pattern = parse_pattern(item.name_pattern, more=DELIVERY_FIELDS)
    if item.encoding.per_frame and "frame" not in pattern.fields:
        raise BadArgument(
            "Without a frame number every frame would overwrite the one before.", where=pattern.text,
            advice="Write {frame:04} into it.",
        )  # fmt: skip


def _item_of(data: Any, error: ValidationError) -> str:
    place = error.errors()[0]["loc"]
    if len(place) < 2 or place[0] != "items" or not isinstance(place[1], int):
        return ""
    item = data["items"][place[1]]
    named = isinstance(item, dict) and isinstance(item.get("id"), str)
    return f"item {item['id']}" if named else f"item {place[1] + 1}"
