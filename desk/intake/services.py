"""Bringing a folder of files in as an element, and listing what is in it."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from django.db import IntegrityError, transaction

from desk.shots.models import Element, Shot
from desk.shots.services import sequences_of, sources_of
from desk.shots.storage import allowed_folder, kept_inside
from prism.combine.sources import Source
from prism.errors import BadArgument, PrismError, UnreadableFile
from prism.intake.found import found_file
from prism.naming.frames import format_frames
from prism.naming.sequences import sequences_below
from prism.text import printable


@dataclass(frozen=True)
class Inventory:
    """An element as found on disk now. fault: why its passes cannot be listed, if so."""

    element: Element
    sequences: list[tuple[str, str, int]]  # name, frames, bytes
    gaps: str
    passes: list[Source]
    size: str
    fault: PrismError | None
    broken: tuple[PrismError, ...] = ()  # files of its first frame that were left out


def bring_in(shot: Shot, folder: str, name: str = "") -> Element:
    """Register a folder of the production as an element. Its first frame is opened to see that some of it can be read.

    Raises UnreadableFile, BadArgument or SizeMismatch; then nothing is changed.
    """
    path = allowed_folder(folder.strip(), shot.production)
    sequences = sequences_below(path)
    if not sequences:
        raise UnreadableFile(
            "There is no EXR sequence in this folder.",
            where=str(path),
            advice="Choose a folder with name.FRAME.exr files.",
        )
    name = name.strip() or path.name
    taken = BadArgument(f"This shot has an element {name} already.", where="name", advice="Choose another name.")
    if shot.elements.filter(name=name).exists():
        raise taken
    element = Element(shot=shot, name=name, folder=str(path))
    sources_of(element, sequences[0].frames[0])
    try:
        with transaction.atomic():
            element.save()
    except IntegrityError:  # since a moment
        raise taken from None
    return element


def inventory(element: Element) -> Inventory:
    """What lies in the element's folder. Never raises for the state of the files: the fault is part of the answer."""
    try:
        sequences = sequences_of(element)
        frames = {frame for sequence in sequences for frame in sequence.frames}
        rows = [
            (
                printable(f"{sequence.head}####{sequence.suffix}"),
                format_frames(sequence.frames),
                sum(path.stat().st_size for _, path in sequence.files),
            )
            for sequence in sequences
        ]
        if not frames:
            raise UnreadableFile("No frames are left in this folder.", where=element.folder)
        sources = sources_of(element, min(frames))
    except PrismError as fault:
        return Inventory(element, [], "", [], "", fault)
    missing = sorted(set(element.shot.frames) - frames)
    return Inventory(
        element, rows, format_frames(missing), list(sources), str(sources.display_window), None, sources.faults
    )


def set_aside(shot: Shot, text: str) -> Path:
    """Hide a file of the shot that cannot be read, under a name beside it that no station looks at. Returns that name.

    Raises BadArgument for a file that is sound, UnreadableFile for one that is no file of the shot's elements.
    """
    path = next((file for file in _files(shot) if printable(file) == text), None)
    if path is None:
        raise UnreadableFile("This is no file of the shot's elements.", where=text[:200])
    found = found_file(kept_inside(path, shot.production))
    if found is not None and not found.fault:
        raise BadArgument("This file can be read to its last pixel; it stays.", where=path.name)
    hidden = path.with_name(f".{path.name}.{secrets.token_hex(2)}.aside")
    path.rename(hidden)
    return hidden


def _files(shot: Shot) -> Iterator[Path]:
    """Of all elements whose folder is there."""
    for element in shot.elements.all():
        with suppress(UnreadableFile):
            yield from (path for sequence in sequences_of(element) for _, path in sequence.files)
