"""Which frames a verb works on, and a ledger laid on them."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from pathlib import Path

from prism.colour.spaces import SPACES
from prism.combine.ledger import Ledger
from prism.elements import disk
from prism.elements.element import Element
from prism.elements.frame import OpenFrame
from prism.elements.gathering import gather
from prism.elements.opening import find_sources, open_frames
from prism.errors import BadArgument, UnreadableFile
from prism.naming.frames import format_frames, parse_frames


def ledger_on(path: Path, sources: OpenFrame) -> Ledger:
    """The ledger of a file. If it knows its elements by other names than those that were opened, its first is the first of them, and its
    only other one the only other."""
    ledger = Ledger.load(path)
    strange = [name for name in ledger.elements if name not in sources.elements]
    free = [name for name in sources.elements if name not in ledger.elements]
    if strange and free and strange[0] == ledger.elements[0]:
        ledger = ledger.moved(strange.pop(0), free.pop(0))
    if len(strange) == len(free) == 1:
        ledger = ledger.moved(strange[0], free[0])
    return ledger


def frames_of(args: argparse.Namespace) -> Iterator[OpenFrame]:
    """The files named, as one frame; or every frame asked for of what lies in folders, of which the first with a beauty leads."""
    paths: list[Path] = args.files
    if not all(path.is_dir() for path in paths):
        if args.frames:
            raise BadArgument(
                "Frames are of a folder.", where="--frames", advice="Name the folder instead of its files."
            )
        yield find_sources(paths)
        return
    elements = _main_first([element for path in paths for element in _elements(path)])
    there = list(elements[0].frames)
    wanted = parse_frames(args.frames) if args.frames else there
    missing = sorted(set(wanted) - set(there))
    if there and missing:
        raise BadArgument(
            f"Not there: {format_frames(missing)}.", where="--frames", advice=f"There are {format_frames(there)}."
        )
    for frame in wanted or [0]:
        yield open_frames(elements, frame)


def _elements(folder: Path) -> list[Element]:
    found = gather(disk.scan(folder).sequences, root=folder).elements
    if not found:
        raise UnreadableFile("No pictures lie here.", where=str(folder), advice="Name a folder of rendered files.")
    return found if len(found) > 1 else [found[0].replace(name=folder.resolve().name or found[0].name)]


def _main_first(elements: list[Element]) -> list[Element]:
    """The element with a beauty leads."""
    return sorted(elements, key=lambda element: all(held.key != "beauty" for held in element.passes))


def add_files(command: argparse.ArgumentParser) -> argparse.ArgumentParser:
    """The arguments that say which frames are meant."""
    command.add_argument(
        "files",
        nargs="+",
        type=Path,
        metavar="FILE",
        help="the files of one frame, or folders of sequences: of the passes, and of backgrounds",
    )
    command.add_argument("--frames", help="of a folder: a list such as 1001-1010x3 (default: all that are there)")
    command.add_argument(
        "--space", choices=list(SPACES), help="working space of the files (default: that of the ledger)"
    )
    return command
