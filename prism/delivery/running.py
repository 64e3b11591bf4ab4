"""A delivery run by itself: frame after frame, each decoded while the one before is written, then what is made of all
of them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from prism.delivery.deliver import deliver_all
from prism.delivery.document import Delivery, require
from prism.delivery.encodings.base import Closing, Destination
from prism.delivery.ledger_frame import LedgerFrame
from prism.delivery.parcel.checking import OF_RECORDS
from prism.delivery.record import (
    FOLDER,
    WHOLE,
    already_there,
    begin,
    closed_before,
    closing_fingerprint,
    end,
    fingerprint_of,
    frame_record,
    intact_files,
    of_file,
    require_unclosed,
    save,
    save_closing,
    was_begun,
    whole_record,
)
from prism.errors import BadArgument, UnwritableFile
from prism.formats.digests import list_of
from prism.formats.safe import replacing
from prism.ledger.document import Ledger
from prism.sheets.boards.render import Load, missing
from prism.sources.frame import OpenFrame

Opened = tuple[Ledger, OpenFrame]
AT_ONCE = 2  # frames


@dataclass(slots=True)
class Report:
    """files: that are there now. skipped: frames that were there already. remarks: each once."""

    files: list[Path] = field(default_factory=list)
    skipped: list[int] = field(default_factory=list)
    remarks: dict[str, None] = field(default_factory=dict)


def run(
    delivery: Delivery,
    numbers: Sequence[int],
    opened: Callable[[int], Opened],
    place: Destination,
    *,
    author: str = "",
    pictures: Load = missing,
) -> Report:
    """Write all of a delivery below `place`. Frames that were written just so before are left as they are; files that
    are there from something else are never written over. opened: the ledger and the files of a frame.

    Raises BadArgument before anything is written, UnwritableFile, and what evaluation and writers raise; what is
    written by then stays, and is found again the next time.
    """
    if not numbers:
        raise BadArgument("No frames were asked for.", where="frames")
    ledger, sources = opened(numbers[0])
    require(delivery, ledger, sources)
    report = Report()
    for number, record in _added(delivery, numbers, opened, place):
        report.files += [place.root / file["file"] for file in record["files"]]
        report.skipped += [number] if record.get("skipped") else []
        for file in record["files"]:
            report.remarks |= dict.fromkeys(file["remarks"])
    for file in close(delivery, ledger, place, opened, author=author, pictures=pictures):
        report.files.append(place.root / file["file"])
        report.remarks |= dict.fromkeys(file["remarks"])
    return report


def add(delivery: Delivery, made: LedgerFrame, place: Destination, *, findings: Sequence[str] = ()) -> dict[str, Any]:
    """Write a frame with its record; the record, with `skipped` if it was there already. Raises UnwritableFile for
    files that are there from something else."""
    made_from = fingerprint_of(delivery, made.ledger, made.sources)
    record = already_there(place.root, made.number, made_from)
    if record is not None:
        return record | {"skipped": True}
    return written_anew(delivery, made, place, made_from=made_from, findings=findings)


def written_anew(
    delivery: Delivery,
    made: LedgerFrame,
    place: Destination,
    *,
    made_from: str,
    findings: Sequence[str] = (),
    said: Sequence[str] = (),
) -> dict[str, Any]:
    """Write a frame that is not there yet, with its record. made_from: the fingerprint of what it is made from.
    said: remarks on all of its files. Files of an attempt from the same that broke off are written again; raises
    UnwritableFile for any other."""
    if not was_begun(place.root, made.number, made_from):
        require_free(delivery, made, place, ours=intact_files(place.root, made.number, made_from))
        begin(place.root, made.number, made_from)
    written = deliver_all(delivery, made, place)
    record = frame_record(made, written, place, made_from=made_from, findings=findings)
    more = [*said, *made.verdict.remarks(made.number)]
    record["files"] = [file | {"remarks": [*file["remarks"], *more]} for file in record["files"]]
    end(place.root, made.number, record)
    return record


def require_free(delivery: Delivery, made: LedgerFrame, place: Destination, *, ours: Collection[Path] = ()) -> None:
    """Nothing is written over: raises UnwritableFile for a file that is there, unless it is one of `ours`, which come
    out as they are."""
    names = [
        path
        for item in delivery.enabled
        for path in item.encoding.paths(item, place, made.number, made.ledger, made.sources)
    ]
    twice = next((path for path in names if names.count(path) > 1), None)
    if twice is not None:
        raise BadArgument(
            f"Two items would be written to {twice.name}.", where="pattern", advice="Give one of them another name."
        )
    taken = next((path for path in names if path.exists() and path not in ours), None)
    if taken is not None:
        raise UnwritableFile(
            "This file is there already, and was made from something else.", where=str(taken),
            advice="Choose another folder, or another version.",
        )  # fmt: skip


def close(
    delivery: Delivery,
    ledger: Ledger,
    place: Destination,
    opened: Callable[[int], Opened],
    *,
    author: str = "",
    plan: dict[str, Any] | None = None,
    is_stale: Callable[[], bool] = lambda: False,
    on_progress: Callable[[float], object] = lambda share: None,
    pictures: Load = missing,
) -> list[dict[str, Any]]:
    """Write what is made of all frames, and the record of the whole; its files, see `record.of_file`. What was closed
    just so before is left as it is. Raises as `run`."""
    record = whole_record(delivery, ledger, place, author=author, plan=plan)
    if not record["frames"]:
        raise BadArgument("No frame has been written.", where=str(place.root))
    _, sources = opened(record["frames"][0]["frame"])
    ordered = [each for each in record["frames"] if each["frame"] in place.frames]  # others may share the folder
    files = _by_item(ordered, place.root)

    def made(number: int) -> LedgerFrame:
        return LedgerFrame(*opened(number))

    closers = [item for item in delivery.enabled if item.encoding.closes]
    for count, item in enumerate(closers):
        made_from = closing_fingerprint(item, delivery.rate, ordered)
        entries = closed_before(place.root, item, made_from)
        if entries is None:
            require_unclosed(item, place, made_from)
            closing = Closing(
                place=place, rate=delivery.rate, made=made, written=files, record=record | {"frames": ordered},
                pixel_aspect=sources.pixel_aspect, is_stale=is_stale, pictures=pictures,
                on_progress=partial(_part_of_progress, on_progress, count, len(closers)),
            )  # fmt: skip
            save_closing(place.root, item, made_from, None)  # whatever appears from now on is ours
            entries = [of_file(item.id, each, place.root) for each in item.encoding.close(item, closing)]
            save_closing(place.root, item, made_from, entries)
        files.setdefault(item.id, []).extend(place.root / entry["file"] for entry in entries)
        record["files"] += entries
    save(place.root / WHOLE, record)
    _seal_records(place.root)
    return record["files"]


def _seal_records(root: Path) -> None:
    """Checksums of the records, which are written last: by them a parcel that holds its own tells a changed bit."""
    below = (path for path in (root / FOLDER).rglob("*") if path.is_file() and not path.name.startswith("."))
    names = [WHOLE, *(path.relative_to(root).as_posix() for path in below if path.suffix != ".begun")]
    with replacing(root / OF_RECORDS) as temporary:
        temporary.write_text(list_of(root, names), encoding="utf-8", newline="")


def _part_of_progress(on_progress: Callable[[float], object], place: int, count: int, share: float) -> None:
    """The progress of several things that are made one after another."""
    on_progress((place + share) / count)


def _by_item(frames: Sequence[dict[str, Any]], root: Path) -> dict[str, list[Path]]:
    found: dict[str, list[Path]] = {}
    for record in frames:
        for file in record["files"]:
            found.setdefault(file["item"], []).append(root / file["file"])
    return found


def _added(
    delivery: Delivery, numbers: Sequence[int], opened: Callable[[int], Opened], place: Destination
) -> Iterator[tuple[int, dict[str, Any]]]:
    """Frames in their order, several under way at once: while one is hashed or read back, which one core does, another
    is decoded or summed."""

    def work(number: int) -> tuple[int, dict[str, Any]]:
        return number, add(delivery, LedgerFrame(*opened(number)), place)

    with ThreadPoolExecutor(AT_ONCE) as workers:
        waiting = [workers.submit(copy_context().run, work, number) for number in numbers[:AT_ONCE]]
        try:
            for following in [*numbers[AT_ONCE:], *[None] * min(AT_ONCE, len(numbers))]:
                done = waiting.pop(0).result()
                if following is not None:
                    waiting.append(workers.submit(copy_context().run, work, following))
                yield done
        finally:
            for each in waiting:
                each.cancel()
