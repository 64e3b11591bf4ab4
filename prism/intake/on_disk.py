"""What names, numbers and times of files tell, without opening one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise
from statistics import median

from prism.elements import disk
from prism.elements.element import Element, Files
from prism.elements.gathering import Unread
from prism.intake.asked import Expectation, count_of, files_of, listed, paths_of
from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.naming.frames import format_frames
from prism.text import printable

OLDER_SECONDS = 600  # between a file and the next younger one, to say that it was left from before


def findings_on_disk(
    element: Element, sequences: Sequence[disk.Sequence], wanted: Expectation = Expectation()
) -> Iterator[Finding]:
    """What names, numbers and times tell, without opening a file. What several sequences lack or have alike is said
    once."""
    there = {(s.folder, s.head, s.padding, s.suffix): s for s in sequences}
    whole = set(element.frames)
    nowhere = sorted(set(wanted.frames) - whole)
    if nowhere and whole:
        yield Finding(
            "missing", ERROR, f"No pass has {count_of(nowhere)} of the shot's range: {format_frames(nowhere)}.",
            advice="Render them, or copy them here.", frames=tuple(nowhere),
        )  # fmt: skip
    alike: dict[tuple[str, tuple[int, ...]], list[Files]] = defaultdict(list)
    for files in files_of(element):
        if files.is_still:
            continue
        own = set(files.numbers)
        gaps = set(range(min(own), max(own) + 1)) - own - set(nowhere) if own else set()
        gaps = set() if own and _is_stepped(files.numbers) else gaps
        sequence = there.get(files.sequence)
        for kind, numbers in (
            ("within its range", gaps),
            ("that other passes have", whole - own - gaps),
            ("beyond", own - set(wanted.frames) if wanted.frames else ()),
            ("older", _older(sequence) if sequence is not None else ()),
        ):
            if numbers:
                alike[kind, tuple(sorted(numbers))].append(files)
    for (kind, numbers), same in alike.items():
        yield _of_sequences(kind, numbers, same, planned=element.planned)


def _of_sequences(kind: str, numbers: tuple[int, ...], same: Sequence[Files], *, planned: bool) -> Finding:
    names, many = listed([printable(files.pattern) for files in same]), len(same) > 1
    paths = tuple(path for files in same for path in paths_of(files, numbers))
    runs, are = format_frames(numbers), "are" if len(numbers) > 1 else "is"
    if kind == "beyond":
        return Finding(
            "extra", NOTE, f"{names} {'have' if many else 'has'} {count_of(numbers)} outside the shot's range: {runs}.",
            advice="They can be looked at; widen the range in Plan if they belong to the shot.",
            files=paths, frames=numbers,
        )  # fmt: skip
    if kind == "older":
        # A render of ours that was interrupted has a pause too, and its headers say which plan they are of.
        return Finding(
            "older", NOTE if planned else WARNING, f"{names}: {count_of(numbers)} {are} older than the others: {runs}.",
            advice="Were they left from an earlier render? Compare them with their neighbours.",
            files=paths, frames=numbers,
        )  # fmt: skip
    return Finding(
        "missing", ERROR, f"{names} {'lack' if many else 'lacks'} {count_of(numbers)} {kind}: {runs}.",
        advice="Render them, or copy them here.", files=paths, frames=numbers,
    )  # fmt: skip


def findings_of_scan(scanned: disk.Scan, unread: Iterable[Unread]) -> Iterator[Finding]:
    """The findings of all that lies in a folder: files that cannot be read, numbers in two paddings."""
    for fault in unread:
        paths = tuple(str(fault.sequence.path(frame)) for frame in list(fault.sequence.files)[:1000])
        yield Finding(
            "unreadable", ERROR, f"{printable(fault.sequence.pattern)}: {fault.error.what}",
            advice=fault.error.advice or "Render or copy it again.", files=paths, frames=fault.sequence.frames,
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
                advice="The one with the wider padding is used; remove the other, or leave it out by a rule.",
                files=paths, frames=tuple(common), repair={"rule": "ignore"},
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
            same = sorted(same, key=lambda element: element.number or 0)
            versions, newest = ", ".join(f"v{element.number:03}" for element in same), same[-1]
            yield Finding(
                "version", NOTE, f"{bare} is there as {versions}; {newest.name} is the newest.",
                advice="Each version is an element of its own; choose in Rebuild which to use.",
            )  # fmt: skip


def _is_stepped(numbers: Sequence[int]) -> bool:
    """Every n-th frame, as first looks are rendered: at least three, all equally far apart."""
    gaps = {b - a for a, b in pairwise(numbers)}
    return len(numbers) > 2 and len(gaps) == 1 and gaps != {1}


def _older(sequence: disk.Sequence) -> tuple[int, ...]:
    """Frames from before a long pause, where most are from after it."""
    times = sorted((facts.modified / 1e9, frame) for frame, facts in sequence.files.items())
    if len(times) < 3:
        return ()
    pauses = [(b[0] - a[0], place) for place, (a, b) in enumerate(pairwise(times), start=1)]
    longest, place = max(pauses)
    usual = median(pause for pause, _ in pauses)
    if longest < max(OLDER_SECONDS, 10 * usual) or place > len(times) / 2:
        return ()
    return tuple(frame for _, frame in times[:place] if frame is not None)
