"""Hand-off: deliveries are ordered here, and written by workers: a task for each frame, then one that closes."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from desk.elements.services import (
    document_of,
    elements_named,
    files_fingerprint,
    files_fingerprints,
    frames_on_disk,
    require_files,
    sources_of,
)
from desk.handoff.boards import loader, with_boards
from desk.handoff.models import Delivery, DeliveryPreset, Draft
from desk.intake.models import Judgement
from desk.jobs import engine
from desk.jobs.models import GOOD, OPEN, Job, State, Task
from desk.jobs.registry import Watch
from desk.plan.models import Plan
from desk.rebuild.models import Ledger, LedgerVersion
from desk.rebuild.services import keep_version, parse
from desk.shots.models import Production, Shot
from desk.shots.storage import kept_inside, shot_folder
from desk.web.paths import without_roots
from desk.web.saving import Outdated, at_once, locked
from prism.delivery.document import Delivery as Document
from prism.delivery.document import require
from prism.delivery.encodings.base import Destination
from prism.delivery.ledger_frame import LedgerFrame
from prism.delivery.presets import PRESETS
from prism.delivery.record import already_there, fingerprint_of, frame_path
from prism.delivery.running import close, written_anew
from prism.documents import kind_of
from prism.errors import BadArgument, UnknownSource, UnreadableFile
from prism.ledger.document import Ledger as LedgerDocument
from prism.limits import Stale
from prism.naming.frames import format_frames, parse_frames
from prism.sources.frame import OpenFrame

_NUMBER = re.compile(r"\d+")
SHOWN_FILES = 2
KIND, CLOSING = "hand-off", "hand-off closing"


def order(shot: Shot, ledger: Ledger, user, frames: str, document: Document) -> Delivery:
    """Keep a version of the ledger and queue its frames to be written as a document says.

    Raises BadArgument, with nothing queued, if a frame is not there, the list cannot be read, or an item cannot be
    written.
    """
    delivery = _begun(shot, ledger, user, frames, document)
    engine.top_up()
    return delivery


def names_before(shot: Shot, ledger: Ledger, user, frames: str, document: Document) -> dict[str, Any]:
    """What would be written if this were ordered now: the `folder`, from the storage root; for each of the `items` its
    id, `words`, `paths` below the folder of the first frame and of what is made of all, and `made_from`, which changes
    with all that its first frame is made from. Nothing is ordered. Raises BadArgument, as `order`."""
    with transaction.atomic():
        delivery, place, opened, sources = _tried(shot, ledger, user, frames, document)
        first = sources.number
        folder = str(place.root.relative_to(settings.STORAGE_ROOTS[0]))
        named = [
            {
                "item": item.id,
                "words": item.in_words,
                "made_from": fingerprint_of(delivery.parsed.replace(items=(item,)), opened, sources),
                "paths": [
                    path.relative_to(place.root).as_posix()
                    for path in (
                        *item.encoding.paths(item, place, first, opened, sources),
                        *item.encoding.closing_paths(item, place),
                    )
                ],
            }
            for item in delivery.parsed.enabled
        ]
        transaction.set_rollback(True)
    return {"folder": folder, "items": named}


def tried(
    shot: Shot, ledger: Ledger, user, frames: str, document: Document
) -> tuple[Document, Destination, LedgerDocument, OpenFrame]:
    """What would be written, where, and of what, with the first frame there is; nothing is ordered. Raises
    BadArgument, as `order`."""
    with transaction.atomic():
        delivery, place, opened, sources = _tried(shot, ledger, user, frames, document)
        parsed = delivery.parsed
        transaction.set_rollback(True)
    return parsed, place, opened, sources


def _tried(
    shot: Shot, ledger: Ledger, user, frames: str, document: Document
) -> tuple[Delivery, Destination, LedgerDocument, OpenFrame]:
    """A delivery as if it were ordered, to be rolled back."""
    delivery, _ = _ordered(shot, ledger, user, frames, document)
    place = place_of(delivery)
    first = next(number for number in place.frames if number in frames_on_disk(ledger.element))
    return delivery, place, *_opener(delivery)(first)


@at_once
def _begun(shot: Shot, ledger: Ledger, user, frames: str, document: Document) -> Delivery:
    """The delivery, under way."""
    delivery, fingerprints = _ordered(shot, ledger, user, frames, document)
    if delivery.pk is None:
        _require_names(delivery)
        _begin(shot, delivery, user, fingerprints)
    return delivery


def _require_names(delivery: Delivery) -> None:
    """Raises BadArgument or UnwritableFile for an item whose files could not have the names that they would get."""
    place = place_of(delivery)
    for item in delivery.parsed.enabled:
        place.path(item, item.encoding.suffix, frame=place.frames[0])


def _ordered(shot: Shot, ledger: Ledger, user, frames: str, document: Document) -> tuple[Delivery, dict[int, str]]:
    """The delivery, saved if it is under way already, and the fingerprints of the files of its frames."""
    numbers = parse_frames(frames)
    document = with_boards(shot, document)
    there = set(frames_on_disk(ledger.element))
    present = [number for number in numbers if number in there]
    _require_present(numbers, present, document)
    laid = parse(shot, ledger.document)
    elements = elements_named(shot, laid.elements, ledger.element)
    require_files(elements, *present)
    require(document, laid, sources_of(elements, present[0]))
    fingerprints = files_fingerprints(elements, present)
    locked(ledger)  # the same may be asked for twice at once
    version = keep_version(ledger, user)
    return _taking(version, ledger, document.replace(rate=shot.settings.rate), numbers, fingerprints), fingerprints


def _require_present(numbers: Sequence[int], present: Sequence[int], document: Document) -> None:
    """Frames that are not rendered can only be asked for by a movie that holds or marks them."""
    missing = sorted(set(numbers) - set(present))
    bridged = any(getattr(item.encoding, "gaps", "refuse") != "refuse" for item in document.enabled)
    if missing and not (bridged and present):
        raise BadArgument(
            f"Not rendered: {format_frames(missing)}.", where="frames",
            advice="Choose frames that are there, or a movie that holds or marks those that are missing.",
        )  # fmt: skip


def _begin(shot: Shot, delivery: Delivery, user, fingerprints: dict[int, str]) -> None:
    """The job of its frames, and the one that closes it. fingerprints: of the files of each frame."""
    version = delivery.version
    names = ", ".join(item.id for item in delivery.parsed.enabled)
    title = f"{version.ledger.name} {version.label}: {names}"[:200]
    tasks = (
        Task(number=number, title=f"{shot.code}, {number}", payload={"sources": made_from})
        for number, made_from in fingerprints.items()
    )
    delivery.job = engine.begin(KIND, shot, title, tasks, author=user, priority=1)  # somebody waits for it
    last = Task(number=0, title=f"{shot.code}, {version.ledger.name} {version.label} closed")
    delivery.closing = engine.begin(
        CLOSING, shot, f"{title}, closing"[:200], [last], author=user, priority=1, after=delivery.job
    )
    delivery.save()


def _taking(
    version: LedgerVersion, ledger: Ledger, document: Document, numbers: Sequence[int], fingerprints: dict[int, str]
) -> Delivery:
    """A delivery that is not saved yet, or the one that is under way for just the same. The same version written in
    another way, or from files that changed, gets a take and a folder of its own, so that no file is overwritten.
    fingerprints: of the files of each frame."""
    takes: dict[int, list[Delivery]] = defaultdict(list)
    for delivery in version.deliveries.select_related("job", "version__ledger"):
        takes[delivery.take].append(delivery)
    alike = [
        number
        for number, of_take in takes.items()
        if all(_agrees(each, ledger, document, numbers, fingerprints) for each in of_take)
    ]
    take = max(alike, default=max(takes, default=0) + 1)
    for delivery in takes[take]:
        if _made_from(delivery) == fingerprints and any(task.state in OPEN for task in delivery.tasks):
            return delivery
    label = f"{version.ledger.name}_{version.label}" + (f"_t{take}" if take > 1 else "")
    return Delivery(
        shot=ledger.shot, version=version, element=ledger.element, document=document.as_json(), take=take,
        folder=f"delivery/{label}", ordered=",".join(map(str, numbers)),
    )  # fmt: skip


def _agrees(
    delivery: Delivery, ledger: Ledger, document: Document, numbers: Sequence[int], fingerprints: dict[int, str]
) -> bool:
    """Whether files of both can lie in one folder: the same items, made from the same files where both have a frame,
    and of the same frames where something is made of all of them."""
    if delivery.element_id != ledger.element_id or Document.from_json(delivery.document).items != document.items:
        return False
    if any(item.encoding.closes for item in document.enabled) and list(numbers) != _numbers(delivery):
        return False
    before = _made_from(delivery)
    return all(before[number] == made_from for number, made_from in fingerprints.items() if number in before)


def _made_from(delivery: Delivery) -> dict[int, str]:
    return {number: payload.get("sources", "") for number, payload in delivery.frames.values_list("number", "payload")}


def _numbers(delivery: Delivery) -> list[int]:
    return parse_frames(delivery.ordered, most=None)


def try_again(delivery: Delivery) -> None:
    """Queue what failed or was cancelled; what is written stays."""
    engine.resume(delivery.job)
    if delivery.closing:
        engine.resume(delivery.closing)


def cancel(delivery: Delivery) -> None:
    """Stop within a moment; what is written stays, and a movie that is not whole leaves no file."""
    engine.cancel(delivery.job)
    if delivery.closing:
        engine.cancel(delivery.closing)


def close_anyway(delivery: Delivery) -> None:
    """Make what is made of all frames without those that failed: a movie holds or marks them, or says their numbers."""
    if delivery.closing:
        Job.objects.filter(pk=delivery.closing_id).update(after=None)
        engine.resume(delivery.closing)


ACTIONS: dict[str, Callable[[Delivery], None]] = {"again": try_again, "cancel": cancel, "close": close_anyway}


def write(task: Task, is_stale: Stale) -> list[dict[str, Any]]:
    """Write one frame with its record: all files of it, see `Delivery.written`. Raises PrismError."""
    delivery = task.job.delivery
    laid, sources = _opener(delivery)(task.number)
    place, made = place_of(delivery), LedgerFrame(laid, sources, is_stale=is_stale)
    path = kept_inside(frame_path(place.root, task.number), delivery.shot.production)
    elements = _elements(delivery)
    made_from = files_fingerprint(elements, task.number)
    there = already_there(place.root, task.number, made_from)
    if there is not None:
        return there["files"]
    if made_from != task.given("sources"):  # rendered again since it was ordered
        if path.exists():
            raise UnreadableFile(
                "The files of this frame have changed, and what was delivered stays.", where=path.name,
                advice="Order it again.",
            )  # fmt: skip
        Task.objects.filter(pk=task.pk).update(payload=task.payload | {"sources": made_from})
    said = [f"{Path(fault.where).name} was excluded: {fault.what}" for fault in sources.faults]
    findings = _findings(elements, task.number)
    try:
        return written_anew(delivery.parsed, made, place, made_from=made_from, findings=findings, said=said)["files"]
    except UnknownSource as error:
        lost = [fault for fault in sources.faults if fault.where]
        raise (lost[0] if lost else error) from error


def close_delivery(task: Task, watch: Watch) -> list[dict[str, Any]]:
    """Write what is made of all frames, and the record of the whole. Raises PrismError."""
    delivery = task.job.closed_delivery
    opened, place = _opener(delivery), place_of(delivery)
    laid = parse(delivery.shot, delivery.version.document)
    kept_inside(place.root, delivery.shot.production)
    author = task.job.author.get_username() if task.job.author else ""
    plan = Plan.objects.filter(shot=delivery.shot).values_list("document", flat=True).first()
    return close(
        delivery.parsed, laid, place, opened, author=author, plan=plan,
        is_stale=watch.is_over, on_progress=watch.on_progress, pictures=loader(delivery.shot.production, delivery.shot),
    )  # fmt: skip


def _findings(elements: Sequence[Any], number: int) -> list[str]:
    """What Intake has against the files of a frame."""
    said = []
    for judgement in Judgement.objects.filter(element__in=elements).select_related("element"):
        for finding in judgement.findings:
            if not finding.get("frames") or number in finding["frames"]:
                said.append(f"{judgement.element.name}: {finding['what']}")
    return said


def _elements(delivery: Delivery) -> list[Any]:
    laid = parse(delivery.shot, delivery.version.document)
    if delivery.element is None:
        raise UnreadableFile("The files it was ordered from are no longer part of the shot.", where=delivery.folder)
    return elements_named(delivery.shot, laid.elements, delivery.element)


def _opener(delivery: Delivery) -> Callable[[int], tuple[LedgerDocument, OpenFrame]]:
    laid = parse(delivery.shot, delivery.version.document)
    elements = _elements(delivery)
    return lambda number: (laid, sources_of(elements, number))


def place_of(delivery: Delivery) -> Destination:
    """Where its files go, and what its names are made of."""
    version, shot = delivery.version, delivery.shot
    camera, layer = "", ""
    if delivery.element is not None and delivery.element.document:
        document = document_of(delivery.element)
        camera, layer = getattr(document, "camera", "") or "", getattr(document, "layer", "") or ""
    fields = {
        "production": shot.production.code, "shot": shot.code, "ledger": version.ledger.name,
        "version": version.number, "camera": camera or "camera", "layer": layer or "layer",
    }  # fmt: skip
    ordered = timezone.localdate(delivery.made)  # of one that is not saved yet, today
    return Destination(folder_of(delivery), fields, tuple(_numbers(delivery)), ordered)


def folder_of(delivery: Delivery) -> Path:
    """The folder of all its files, to be named only: links on the way are not looked at."""
    return shot_folder(delivery.shot) / delivery.folder


def file_of(delivery: Delivery, name: str) -> Path:
    """A file that it wrote, to be read. Raises UnreadableFile for any other, or if a link leads out of the
    production."""
    known = {file["file"] for task in delivery.tasks if task.state in GOOD for file in delivery.written(task)}
    if name not in known:
        raise UnreadableFile("This delivery has no such file.", where=name)
    return kept_inside(folder_of(delivery) / name, delivery.shot.production)


def path_of(delivery: Delivery, number: int, item: str = "") -> Path:
    """Where the first file of a frame is, of an item or the first one. Raises UnreadableFile, as `file_of`."""
    place, document = place_of(delivery), delivery.parsed
    chosen = next(each for each in document.enabled if item in ("", each.id))
    laid, sources = _opener(delivery)(number)
    path = chosen.encoding.paths(chosen, place, number, laid, sources)[0]
    return kept_inside(path, delivery.shot.production)


def progress(delivery: Delivery) -> dict[str, Any]:
    """What the dispatch list shows of one delivery."""
    frames = sorted(delivery.job.tasks.all(), key=lambda frame: frame.number)
    tasks = delivery.tasks
    done = [task for task in tasks if task.state in GOOD]
    ended = sum(task.state in (*GOOD, State.FAILED, State.CANCELLED) for task in tasks)
    partial = sum(task.progress for task in tasks if task.state == State.RUNNING)
    files = [file for task in done for file in delivery.written(task)]
    author = delivery.job.author
    return {
        "id": delivery.pk,
        "name": Path(delivery.folder).name,
        "frames": format_frames(_numbers(delivery)),
        "state": delivery.state,
        "done": sum(frame.state in GOOD for frame in frames),
        "whole": len(frames),
        "closed": delivery.closing is None or delivery.closing.tasks.all()[0].state in GOOD,
        "lost": [frame.number for frame in frames if frame.state in (State.FAILED, State.CANCELLED)],
        "share": (ended + partial) / len(tasks) if tasks else 1,
        "bytes": sum(file["bytes"] for file in files),
        "items": _items(delivery, files),
        "folder": without_roots(str(folder_of(delivery))),
        "errors": sorted({task.fault for task in tasks if task.fault}),
        "remarks": _remarks(remark for file in files for remark in file["remarks"]),
        "stalled": engine.stalled(frames if any(frame.state in OPEN for frame in frames) else tasks),
        "made": delivery.made.isoformat(timespec="minutes"),
        "author": author.get_username() if author else "",
    }


def _items(delivery: Delivery, files: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Each item with what it is, the first of its files, those of all frames before others, and how many it has."""
    by_item = defaultdict(list)
    for file in files:
        by_item[file["item"]].append(file["file"])
    return [
        {
            "id": item.id,
            "kind": kind_of(type(item.encoding)),
            "words": item.in_words,
            "pictured": item.encoding.pictured and bool(by_item[item.id]),
            "plays": bool(getattr(getattr(item.encoding, "how", None), "plays", False)),
            "files": _whole_first(by_item[item.id], item.encoding.closes)[:SHOWN_FILES],
            "count": len(by_item[item.id]),
        }
        for item in delivery.parsed.enabled
    ]


def _remarks(said: Iterable[str]) -> list[str]:
    """Each once; of those that differ in their numbers alone, the one with the largest, and how many there are."""
    alike: dict[str, dict[str, None]] = defaultdict(dict)
    for remark in said:
        alike[_NUMBER.sub("#", remark)][remark] = None
    worst = (max(each, key=lambda remark: [int(n) for n in _NUMBER.findall(remark)]) for each in alike.values())
    return [
        text if len(each) == 1 else f"{text} (the most of {len(each)} such remarks)"
        for text, each in zip(worst, alike.values(), strict=True)
    ]


def _whole_first(names: list[str], closes: bool) -> list[str]:
    return names[::-1] if closes else names


def presets_for(production: Production) -> list[dict[str, Any]]:
    """What the page offers: those of the production, then ours."""
    own = [{"id": str(p.pk), "title": p.name, "own": True, "items": p.document["items"]} for p in
           production.delivery_presets.all()]  # fmt: skip
    ours = [
        {"id": key, "title": preset.name, "own": False, "items": preset.as_json()["items"]}
        for key, preset in PRESETS.items()
    ]
    return own + ours


def keep_preset(production: Production, name: str, document: Document, user) -> None:
    """Keep items under a name; whatever had that name is replaced. Raises BadArgument."""
    name = name.strip()
    if not name or len(name) > 80:
        raise BadArgument("A preset has a name of 1 to 80 characters.", where="name")
    if not document.items:
        raise BadArgument("There is no item to keep.", where="items", advice="Add an item first.")
    DeliveryPreset.objects.update_or_create(
        production=production, name=name, defaults={"document": document.replace(name=name).as_json(), "author": user}
    )


def draft_of(shot: Shot) -> tuple[Document, str, int]:
    """What the page of a shot is set to, its frames and its revision, 0 without one; to begin with the first of our own
    presets, and no frames."""
    draft = Draft.objects.filter(shot=shot).first()
    if draft is None:
        return next(iter(PRESETS.values())), "", 0
    return Document.from_json(draft.document, where="draft"), draft.frames, draft.revision


@at_once
def save_draft(shot: Shot, document: Document, frames: str, revision: int) -> int:
    """What the page is set to from now on. revision: of the draft that it was made from, 0 for none. Returns the new
    one. Raises Outdated if another page saved in the meantime; nothing is overwritten then."""
    wanted = {"document": document.as_json(), "frames": frames[:10_000]}
    locked(shot)  # there may be no draft yet that could be locked
    draft = Draft.objects.filter(shot=shot).first()
    if draft is None:
        return Draft.objects.create(shot=shot, **wanted).revision
    if (draft.document, draft.frames) == tuple(wanted.values()):
        return draft.revision
    if draft.revision != revision:
        raise Outdated("list")
    draft.document, draft.frames = wanted.values()
    draft.revision += 1
    draft.save()
    return draft.revision
