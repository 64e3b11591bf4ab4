"""What names, numbers and times of files tell, without opening one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise
from statistics import median

from prism.elements import disk
from prism.elements.element import Element, Files
from prism.elements.gathering import Fault
from prism.intake.finding import Finding, Wanted, count_of, files_of, paths_of
from prism.naming.frames import format_frames
from prism.passes.judging import ERROR, NOTE, WARNING
from prism.text import printable

OLDER_SECONDS = 600  # between a file and the next younger one, to say that it was left from before


def findings_on_disk(
    element: Element, sequences: Sequence[disk.Sequence], wanted: Wanted = Wanted()
) -> Iterator[Finding]:
    """What names, numbers and times tell, without opening a file."""
    there = {(s.folder, s.head, s.padding, s.suffix): s for s in sequences}
    whole = set(element.frames)
    nowhere = sorted(set(wanted.frames) - whole)
    if nowhere and whole:
        yield Finding(
            "missing", ERROR, f"No pass has {count_of(nowhere)} of the shot's range: {format_frames(nowhere)}.",
            "Render them, or copy them here.", frames=tuple(nowhere),
        )  # fmt: skip
    for files in files_of(element):
        if files.is_still:
            continue
        own = set(files.numbers)
        name = printable(files.pattern)
        gaps = sorted(set(range(min(own), max(own) + 1)) - own) if own else []
        gaps = [] if own and _is_stepped(files.numbers) else gaps
        absent = sorted(whole - own - set(gaps))
        if gaps:
            yield _missing(files, name, gaps, "within its range")
        if absent:
            yield _missing(files, name, absent, "that other passes have")
        beyond = sorted(own - set(wanted.frames)) if wanted.frames else []
        if beyond:
            yield Finding(
                "extra",
                NOTE,
                f"{name} has {count_of(beyond)} outside the shot's range: {format_frames(beyond)}.",
                "They can be looked at; widen the range in Plan if they belong to the shot.",
                files=paths_of(files, beyond),
                frames=tuple(beyond),
            )
        sequence = there.get(files.sequence)
        if sequence is not None:
            yield from _older(sequence, name)


def findings_of_scan(scanned: disk.Scan, faults: Iterable[Fault]) -> Iterator[Finding]:
    """Of all that lies in a folder: files that cannot be read, numbers in two paddings."""
    for fault in faults:
        paths = tuple(str(fault.sequence.path(frame)) for frame in list(fault.sequence.files)[:1000])
        yield Finding(
            "unreadable", ERROR, f"{printable(fault.sequence.pattern)}: {fault.error.what}",
            fault.error.advice or "Render or copy it again.", files=paths, frames=fault.sequence.frames,
        )  # fmt: skip
    by_name: dict[tuple, list[disk.Sequence]] = defaultdict(list)
    for sequence in scanned.sequences:
        if not sequence.is_still:
            by_name[sequence.folder, sequence.head, sequence.suffix].append(sequence)
    for same in by_name.values():
        common = sorted(set.intersection(*(set(s.frames) for s in same))) if len(same) > 1 else []
        if common:
            names = " and ".join(printable(sequence.pattern) for sequence in same)
            paths = tuple(str(sequence.path(frame)) for sequence in same for frame in common)
            yield Finding(
                "doubled", WARNING, f"{count_of(common)} {'are' if len(common) > 1 else 'is'} there twice, as {names}.",
                "The one with the wider padding is used; remove the other, or leave it out by a rule.",
                files=paths, frames=tuple(common), action="ignore",
            )  # fmt: skip


def findings_of_versions(elements: Sequence[Element]) -> Iterator[Finding]:
    """Images that are there in several versions."""
    by_image: dict[tuple, list[Element]] = defaultdict(list)
    for element in elements:
        if element.number is not None:
            bare = element.name.removesuffix(f" v{element.number:03}")
            by_image[bare, element.layer, element.camera].append(element)
    for (bare, *_), same in by_image.items():
        if len(same) > 1:
            newest = max(same, key=lambda element: element.number)
            versions = ", ".join(f"v{element.number:03}" for element in sorted(same, key=lambda e: e.number))
            yield Finding(
                "version", NOTE, f"{bare} is there as {versions}; {newest.name} is the newest.",
                "Each version is an element of its own; choose in Rebuild which to use.",
            )  # fmt: skip


def _is_stepped(numbers: Sequence[int]) -> bool:
    """Every n-th frame, as first looks are rendered: at least three, all equally far apart."""
    gaps = {b - a for a, b in pairwise(numbers)}
    return len(numbers) > 2 and len(gaps) == 1 and gaps != {1}


def _missing(files: Files, name: str, numbers: Sequence[int], which: str) -> Finding:
    return Finding(
        "missing", ERROR, f"{name} lacks {count_of(numbers)} {which}: {format_frames(numbers)}.",
        "Render them, or copy them here.", files=paths_of(files, numbers), frames=tuple(numbers),
    )  # fmt: skip


def _older(sequence: disk.Sequence, name: str) -> Iterator[Finding]:
    """Files from before a long pause, where most are from after it."""
    times = sorted((facts.modified / 1e9, frame) for frame, facts in sequence.files.items())
    if len(times) < 3:
        return
    pauses = [(b[0] - a[0], place) for place, (a, b) in enumerate(pairwise(times), start=1)]
    longest, place = max(pauses)
    usual = median(pause for pause, _ in pauses)
    if longest < max(OLDER_SECONDS, 10 * usual) or place > len(times) / 2:
        return
    old = tuple(sorted(frame for _, frame in times[:place]))
    yield Finding(
        "older",
        WARNING,
        f"{name}: {count_of(old)} {'are' if len(old) > 1 else 'is'} older than the others: {format_frames(old)}.",
        "Were they left from an earlier render? Compare them with their neighbours.",
        files=tuple(str(sequence.path(frame)) for frame in old),
        frames=old,
    )
