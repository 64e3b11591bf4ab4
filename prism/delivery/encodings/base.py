"""What all encodings have: where files go, what was written, and the three things each of them does."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field

from prism.colour.developing import Colour, colour_of
from prism.colour.view import ViewTransform
from prism.delivery.ledger_frame import LedgerFrame
from prism.documents import Value
from prism.errors import BadArgument
from prism.formats.safe import below
from prism.ledger.document import Ledger
from prism.limits import Stale, never
from prism.naming.patterns import Value as FieldValue
from prism.naming.patterns import parse_pattern, require_portable
from prism.sheets.boards.render import Load, missing
from prism.sources.pixels import Frame

SubjectKind = Literal["finished", "rebuilt", "passes", "mattes", "cryptomatte", "deep", "files"]
SUBJECT_TITLES: Mapping[str, str] = {
    "finished": "finished picture",
    "rebuilt": "rebuilt picture, without the finish",
    "passes": "passes as they are",
    "mattes": "mattes",
    "cryptomatte": "Cryptomatte, kept",
    "deep": "deep passes, kept",
    "files": "what the other items wrote",
}
PICTURES: tuple[SubjectKind, ...] = ("finished", "rebuilt")
DELIVERY_FIELDS = ("ledger", "item")
"""Fields of names besides those of the plan."""
Names = Annotated[tuple[str, ...], Field(max_length=500)]
View = Literal["srgb", "film"]
Hex = Annotated[str, Field(pattern=r"^#[0-9A-Fa-f]{6}$")]
Side = Annotated[int, Field(ge=0, le=32_768)]


Word = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]*$", max_length=40)]


class Order(Value):
    """What an encoding is told of an item that goes out. subject: what. names: which passes or mattes, `*` for all; a
    still holds one. pattern: of its files; the usual one of the encoding if empty. enabled: whether it is written."""

    id: Word
    subject: SubjectKind = "finished"
    names: Names = ()
    pattern: Annotated[str, Field(max_length=400)] = ""
    enabled: bool = True

    @property
    def name_pattern(self) -> str:
        """The pattern of names of its files."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class Destination:
    """Where a delivery goes. fields: values of the fields of names, without frame, pass, item and suffix. frames: all
    that are ordered, in their order. ordered: the day that movies show, one for all frames whenever they are
    written."""

    root: Path
    fields: Mapping[str, FieldValue] = field(default_factory=dict)
    frames: Sequence[int] = ()
    ordered: date = field(default_factory=date.today)

    def path(self, item: Order, suffix: str, *, frame: int | None = None, what: str = "") -> Path:
        """The path of one file. frame: None for a file of all frames. what: stands for {pass}. Raises BadArgument for
        a name that a system cannot hold, UnwritableFile if a link leads out of the root."""
        values = {**self.fields, "item": item.id, "pass": what or item.id, "suffix": suffix}
        pattern = parse_pattern(item.name_pattern, more=DELIVERY_FIELDS)
        relative = pattern.expand(values if frame is None else values | {"frame": frame})
        require_portable(relative, f"names of {item.id}")
        return below(self.root, relative)

    def share_at(self, number: int) -> float:
        """How far a frame lies in the delivery: 0 at its first, 1 at its last."""
        return self.frames.index(number) / max(1, len(self.frames) - 1)


@dataclass(frozen=True, slots=True)
class Written:
    """A file that is there, whole, and was read back. remarks: what it cost, for the artist."""

    path: Path
    remarks: tuple[str, ...] = ()

    @property
    def bytes(self) -> int:
        """On disk."""
        return self.path.stat().st_size


@dataclass(frozen=True, slots=True, kw_only=True)
class Closing:
    """What an item that is made of all frames needs at the end. made: opens a frame once more. written: files of every
    item, by its id. record: of the whole, for what has to carry it. on_progress: told the share that is done.
    pictures: loads those of boards."""

    place: Destination
    rate: float
    made: Callable[[int], LedgerFrame]
    written: Mapping[str, Sequence[Path]]
    record: Mapping[str, Any]
    pixel_aspect: float = 1.0
    is_stale: Stale = never
    on_progress: Callable[[float], object] = lambda share: None
    pictures: Load = missing

    @property
    def frames(self) -> Sequence[int]:
        """All that are ordered."""
        return self.place.frames


class Encoding(Value):
    """One way to write. `require` is asked before anything is written, `add` once for each frame, on any machine and
    more than once if a worker dies, `close` once when all frames are there. Fields are those of the JSON document."""

    title: ClassVar[str]
    meaning: ClassVar[str]
    subjects: ClassVar[tuple[SubjectKind, ...]]
    per_frame: ClassVar[bool] = True  # whether its name is that of one frame
    closes: ClassVar[bool] = False
    pictured: ClassVar[bool] = True  # whether what it writes is something to look at
    usual_name: ClassVar[str] = "{item}/{shot}_{ledger}_v{version:03}_{item}.{frame:04}.{suffix}"

    @property
    def suffix(self) -> str:
        """The suffix of its files, without a dot."""
        raise NotImplementedError

    def in_words(self, item: Order) -> str:
        """How it is written, for the list."""
        raise NotImplementedError

    def name_pattern(self, item: Order) -> str:
        """The pattern of names of its files, if the item has none of its own."""
        return self.usual_name

    def require(self, item: Order, ledger: Ledger, sources: Frame) -> None:
        """Raises BadArgument for what cannot be written, before anything is."""

    def paths(self, item: Order, place: Destination, frame: int, ledger: Ledger, sources: Frame) -> list[Path]:
        """The files that `add` will write."""
        return [place.path(item, self.suffix, frame=frame)] if self.per_frame else []

    def closing_paths(self, item: Order, place: Destination) -> list[Path]:
        """The files that `close` will write, or the folder of them."""
        return [place.path(item, self.suffix)] if self.closes else []

    def add(self, item: Order, made: LedgerFrame, place: Destination) -> list[Written]:
        """Write what it has of one frame."""
        return []

    def close(self, item: Order, closing: Closing) -> list[Written]:
        """Write what it has of all frames together."""
        return []

    def previewed(self) -> Self:
        """The encoding by which it is looked at before anything is delivered: itself, or what shows the same sooner."""
        return self


def require_one_name(names: Sequence[str], what: str) -> None:
    """Raises BadArgument unless just one of several is meant."""
    if len(names) != 1 or "*" in names:
        raise BadArgument(f"A still holds one of the {what}.", where="names", advice="Name one, or write OpenEXR.")


def transform_of(view: str, ledger: Ledger) -> ViewTransform:
    """A view of what a ledger makes."""
    return ViewTransform(ledger.space, view)


def ground_of(text: str) -> Colour:
    """A colour that a picture lies over; black without one."""
    return colour_of(text) if text else (0.0, 0.0, 0.0)
