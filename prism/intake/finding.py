"""What a finding is: one fault of a pass or an element, with all frames that have it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from prism.elements.element import Element, Files
from prism.naming.frames import format_frames

NAMED = 3  # of what has the same fault, that a sentence names


@dataclass(frozen=True, slots=True)
class Finding:
    """One fault. key: of the pass, empty for the element. frames: those that have it, ascending; empty for stills and
    for what concerns no frame. place: a pixel to look at, from the picture's corner. action: what a page can do about
    it at once."""

    kind: str
    severity: str
    text: str
    advice: str = ""
    key: str = ""
    files: tuple[str, ...] = ()
    frames: tuple[int, ...] = ()
    place: tuple[int, int] | None = None
    action: str = ""

    def as_json(self) -> dict[str, Any]:
        """All fields, frames as a list of numbers."""
        frames = {"frames": list(self.frames), "frames_text": self.frames_text}
        return asdict(self) | frames | {"files": list(self.files)}

    @property
    def frames_text(self) -> str:
        """Its frames as runs, as in `1001-1003,1010`; empty where the sentence has them already."""
        runs = format_frames(self.frames)
        return "" if runs in self.text else runs

    @property
    def mark(self) -> str:
        """The same for the same fault of the same pass, whatever frames have it: by this it is accepted."""
        return f"{self.kind} {self.key}"


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a plan or a shot asks of frames. Empty: nothing is asked."""

    frames: tuple[int, ...] = ()
    space: str = ""


def files_of(element: Element) -> list[Files]:
    """Its sequences, each once."""
    return list({held.files.model_dump_json(): held.files for held in element.passes}.values())


def paths_of(files: Files, numbers: Iterable[int]) -> tuple[str, ...]:
    """The files of frames, as text."""
    return tuple(str(files.path(number)) for number in numbers)


def count_of(numbers: Sequence[int]) -> str:
    """`1 frame`, `3 frames`."""
    return f"{len(numbers)} frame{'s' * (len(numbers) > 1)}"


def listed(names: Sequence[str], *, comma: str = ",") -> str:
    """The first few of them in words. comma: another mark between names that have commas of their own."""
    more = [f"{len(names) - NAMED} more"] if len(names) > NAMED else []
    *all_but, last = [*names[:NAMED], *more]
    mark = comma if comma != "," else ""
    return f"{f'{comma} '.join(all_but)}{mark} and {last}" if all_but else last
