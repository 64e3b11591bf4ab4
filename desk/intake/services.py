"""Bringing a folder of files in as an element, and listing what is in it."""

from __future__ import annotations

from dataclasses import dataclass

from desk.shots.models import Element, Shot
from desk.shots.services import files_of, sequences_of
from desk.shots.storage import allowed_folder
from prism.combine.sources import Source, find_sources
from prism.errors import BadArgument, PrismError, UnreadableFile
from prism.naming.frames import format_frames
from prism.naming.sequences import sequences_below


@dataclass(frozen=True)
class Inventory:
    """An element as found on disk now. fault: why its passes cannot be listed, if so."""

    element: Element
    sequences: list[tuple[str, str, int]]  # name, frames, bytes
    gaps: str
    passes: list[Source]
    size: str
    fault: PrismError | None


def bring_in(shot: Shot, folder: str, name: str = "") -> Element:
    """Register a folder of the production as an element. Its first frame is opened to see that it can be read.

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
    if shot.elements.filter(name=name).exists():
        raise BadArgument(f"This shot has an element {name} already.", where="name", advice="Choose another name.")
    element = Element(shot=shot, name=name, folder=str(path))
    find_sources(files_of(element, sequences[0].frames[0]))
    element.save()
    return element


def inventory(element: Element) -> Inventory:
    """What lies in the element's folder. Never raises for the state of the files: the fault is part of the answer."""
    try:
        sequences = sequences_of(element)
        frames = {frame for sequence in sequences for frame in sequence.frames}
        rows = [
            (
                f"{sequence.head}####{sequence.suffix}",
                format_frames(sequence.frames),
                sum(path.stat().st_size for _, path in sequence.files),
            )
            for sequence in sequences
        ]
        if not frames:
            raise UnreadableFile("No frames are left in this folder.", where=element.folder)
        sources = find_sources(files_of(element, min(frames)))
    except PrismError as fault:
        return Inventory(element, [], "", [], "", fault)
    missing = sorted(set(element.shot.frames) - frames)
    return Inventory(element, rows, format_frames(missing), list(sources), str(sources.display_window), None)
