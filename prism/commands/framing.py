"""Which frames a verb works on, and a ledger laid on them."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from prism.elements import disk
from prism.elements.element import Element
from prism.elements.gathering import gather
from prism.elements.identify import version_of
from prism.elements.vocabulary import NEUTRAL
from prism.errors import BadArgument, UnreadableFile
from prism.finish.document import Finish
from prism.ledger.document import Ledger
from prism.ledger.finishing import with_finish
from prism.ledger.table import elements_of as elements_listed
from prism.naming.frames import format_frames, parse_frames
from prism.sources.frame import OpenFrame
from prism.sources.opening import find_sources, open_frames


def ledger_on(ledger: Ledger, sources: OpenFrame) -> Ledger:
    """A ledger on what was opened. If it knows its elements by other names, they are found by the words in these
    (`layer camera`, or what an element is called without its version); else its first is the first of them, and its
    only other one the only other."""
    for name in [name for name in ledger.elements if name not in sources.elements]:
        alike = [other for other in sources.elements if _telling(other) == _telling(name)]
        if alike:
            ledger = ledger.moved(name, max(alike))
    strange = [name for name in ledger.elements if name not in sources.elements]
    bare = any("/" not in source for source in ledger.sources)  # which are of the main element already
    taken = (*ledger.elements, *(sources.elements[:1] if bare else ()))
    free = [name for name in sources.elements if name not in taken]
    if strange and free and strange[0] == ledger.elements[0]:
        ledger = ledger.moved(strange.pop(0), free.pop(0))
    if len(strange) == len(free) == 1:
        ledger = ledger.moved(strange[0], free[0])
    return ledger


def _telling(name: str) -> frozenset[str]:
    words = (word.lower() for word in name.split(" "))
    return frozenset(word for word in words if word not in NEUTRAL and version_of(word) is None)


def frames_of(args: argparse.Namespace, ledger: Ledger | None = None) -> Iterator[OpenFrame]:
    """The files named, as one frame; or every frame asked for of what lies in folders, of which the first with a beauty
    leads.

    ledger: what lies in the folders is taken as its table has it, before all else.
    """
    paths: list[Path] = args.files
    if not all(path.is_dir() for path in paths):
        if args.frames:
            raise BadArgument(
                "Frames are of a folder.", where="--frames", advice="Name the folder instead of its files."
            )
        yield find_sources(paths)
        return
    elements = elements_for(ledger, paths)
    yield from opened_at(elements, args.frames)


def opened_at(elements: Sequence[Element], frames: str | None) -> Iterator[OpenFrame]:
    """Elements at every frame asked for, or at all frames of the first. Raises BadArgument for a frame that is not
    there."""
    there = list(elements[0].frames)
    wanted = parse_frames(frames) if frames else there
    if there:
        require_there(wanted, there)
    for frame in wanted or [0]:
        yield open_frames(elements, frame)


def elements_for(ledger: Ledger | None, paths: Sequence[Path]) -> list[Element]:
    """What lies in folders: as a ledger's table has it before all else, then by the rules of Intake, that with a beauty
    first."""
    listed = [element for path in paths for element in elements_listed(ledger, path)] if ledger else []
    used = {files.sequence for element in listed for files in element.sequences}
    names = {element.name for element in listed}
    others = [element for path in paths for element in _elements(path)]
    others = [
        element
        for element in others
        if element.name not in names and any(files.sequence not in used for files in element.sequences)
    ]
    return [*listed, *_main_first(others)] if listed else _main_first(others)


def _elements(folder: Path) -> list[Element]:
    found = gather(disk.scan(folder).sequences, root=folder).elements
    if not found:
        raise UnreadableFile("There are no pictures here.", where=str(folder), advice="Name a folder of passes.")
    return [*found] if len(found) > 1 else [found[0].replace(name=folder.resolve().name or found[0].name)]


def _main_first(elements: list[Element]) -> list[Element]:
    """The element with a beauty leads."""
    return sorted(elements, key=lambda element: all(pass_.key != "beauty" for pass_ in element.passes))


def opener(
    ledger: Ledger, finish: Finish | None, folders: Sequence[Path]
) -> tuple[Callable[[int], tuple[Ledger, OpenFrame]], tuple[int, ...]]:
    """How the files of a frame are opened with the ledger laid on them, and which frames there are."""
    elements = elements_for(ledger, folders)

    def opened(number: int) -> tuple[Ledger, OpenFrame]:
        sources = open_frames(elements, number)
        laid = ledger_on(ledger, sources)
        return (with_finish(laid, finish, sources).ledger if finish else laid), sources

    return opened, elements[0].frames


def require_there(wanted: Sequence[int], there: Sequence[int]) -> None:
    """Raises BadArgument, naming them, for frames that are not there."""
    missing = sorted(set(wanted) - set(there))
    if missing:
        raise BadArgument(
            f"Not there: {format_frames(missing)}.", where="--frames", advice=f"There are {format_frames(there)}."
        )
