"""What is asked of frames, and the words in which findings name files and frames."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from prism.elements.element import Element, Files

NAMED = 3  # of what has the same fault, that a sentence names


@dataclass(frozen=True, slots=True)
class Expectation:
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
