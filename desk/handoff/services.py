"""Hand-off: deliveries are ordered here, and their frames written by workers."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction

from desk.elements.services import elements_named, frames_on_disk, mark_of, require_files, sources_of
from desk.handoff.models import Delivery
from desk.jobs import engine
from desk.jobs.models import GOOD, OPEN, Job, State, Task
from desk.rebuild.models import Ledger, LedgerVersion
from desk.rebuild.services import keep_version, parse
from desk.shots.models import Shot
from desk.shots.storage import kept_inside, shot_folder
from desk.web.saving import at_once, locked
from prism.colour.view import ViewTransform
from prism.delivery.deliver import Output, deliver_all
from prism.errors import BadArgument, UnknownSource, UnreadableFile
from prism.limits import Stale
from prism.mattes.writing import file_word
from prism.naming.frames import format_frames, parse_frames

KIND = "hand-off"


def order(
    shot: Shot, ledger: Ledger, user, frames: str, outputs: dict[str, Output], mattes: Sequence[Output] = ()
) -> list[Delivery]:
    """Keep a version of the ledger and queue its frames, once for each suffix in `outputs` and each of the mattes.

    Raises BadArgument, with nothing queued, if a frame is not there or the list cannot be read.
    """
    deliveries = _ordered(shot, ledger, user, frames, outputs, mattes)
    engine.top_up()
    return deliveries


def names_before(
    shot: Shot, ledger: Ledger, user, frames: str, outputs: dict[str, Output], mattes: Sequence[Output] = ()
) -> list[str]:
    """Where the first file of each would be written, from the storage's root, if this were ordered now; nothing is.
    Raises BadArgument, as `order`."""
    with transaction.atomic():
        deliveries = _ordered(shot, ledger, user, frames, outputs, mattes)
        paths = [folder_of(delivery) / _first_name(delivery) for delivery in deliveries]
        transaction.set_rollback(True)
    return [str(path.relative_to(settings.STORAGE_ROOTS[0])) for path in paths]


def _first_name(delivery: Delivery) -> str:
    return delivery.file_name(min(delivery.frames.values_list("number", flat=True)))


@at_once
def _ordered(
    shot: Shot, ledger: Ledger, user, frames: str, outputs: dict[str, Output], mattes: Sequence[Output]
) -> list[Delivery]:
    numbers = parse_frames(frames)
    missing = sorted(set(numbers) - set(frames_on_disk(ledger.element)))
    if missing:
        raise BadArgument(
            f"Not rendered: {format_frames(missing)}.", where="frames", advice="Choose frames that are there."
        )
    if not outputs and not mattes:
        raise BadArgument("Nothing was chosen to be written.", where="format", advice="Tick EXR or a still format.")
    document = parse(shot, ledger.document)
    elements = elements_named(shot, document.elements, ledger.element)
    for number in numbers:
        require_files(elements, number)
    marks = {number: mark_of(elements, number) for number in numbers}
    locked(ledger)  # the same may be asked for twice at once
    version = keep_version(ledger, user)
    wanted = [*outputs.items(), *((".exr", matte) for matte in mattes)]
    ordered = [_taking(version, ledger, suffix, output, marks) for suffix, output in wanted]
    fresh = [delivery for delivery in ordered if delivery.pk is None]
    if fresh:
        job = _begun(shot, version, user, fresh, marks)
        for delivery in fresh:
            delivery.job = job
            delivery.save()
    return ordered


def _begun(shot: Shot, version: LedgerVersion, user, deliveries: Sequence[Delivery], marks: dict[int, str]) -> Job:
    """The job that writes frames as several deliveries say. marks: of the files of each frame."""
    how = " and ".join(f"matte {each.matte}" if each.matte else each.suffix[1:].upper() for each in deliveries)
    title = f"{shot.code} {version.ledger.name} {version.label} as {how}"[:200]
    tasks = (
        Task(number=number, title=f"{shot.code}, {number}", payload={"sources": mark}) for number, mark in marks.items()
    )
    return engine.begin(KIND, shot, title, tasks, author=user, priority=1)  # somebody waits for it


def _taking(version: LedgerVersion, ledger: Ledger, suffix: str, output: Output, marks: dict[int, str]) -> Delivery:
    """A delivery that is not saved yet, or the one that is under way for just the same. The same version written in
    another way, or from files that changed, gets a take of its own, so that no file is overwritten. marks: of the files
    of each frame."""
    takes: dict[int, list[Delivery]] = defaultdict(list)
    for delivery in version.deliveries.filter(suffix=suffix):
        if bool(delivery.matte) == bool(output.matte) and file_word(delivery.matte) == file_word(output.matte):
            takes[delivery.take].append(delivery)
    alike = [
        number
        for number, of_take in takes.items()
        if all(_output(delivery.output) == output and _agree(delivery, ledger, marks) for delivery in of_take)
    ]
    take = max(alike, default=max(takes, default=0) + 1)
    for delivery in takes[take]:
        if _marks(delivery) == marks and delivery.frames.filter(state__in=OPEN).exists():
            return delivery
    return Delivery(
        shot=ledger.shot, version=version, element=ledger.element, suffix=suffix, output=asdict(output), take=take
    )


def _agree(delivery: Delivery, ledger: Ledger, frames: dict[int, str]) -> bool:
    """Whether the frames that both have are made from the same files."""
    before = _marks(delivery)
    return delivery.element_id == ledger.element_id and all(
        before[number] == mark for number, mark in frames.items() if number in before
    )


def _marks(delivery: Delivery) -> dict[int, str]:
    return {number: payload.get("sources", "") for number, payload in delivery.frames.values_list("number", "payload")}


def try_again(delivery: Delivery) -> None:
    """Queue the frames of its order that failed or were cancelled; what is written stays."""
    engine.resume(delivery.job)


def cancel(delivery: Delivery) -> None:
    """Stop its order within a moment; what is written stays."""
    engine.cancel(delivery.job)


def write(task: Task, is_stale: Stale) -> dict[str, dict[str, Any]]:
    """Write one frame in all formats of its order. Returns what each delivery has from it, see `Delivery.written`.
    Raises PrismError."""
    deliveries = list(task.job.deliveries.order_by("pk"))
    first = deliveries[0]  # all are of one version and element
    paths = {delivery: path_of(delivery, task.number) for delivery in deliveries}
    document = parse(first.shot, first.version.document)
    if first.element is None:
        raise UnreadableFile("The files it was ordered from are no longer part of the shot.", where=first.stem)
    elements = elements_named(first.shot, document.elements, first.element)
    mark = mark_of(elements, task.number)
    if mark != task.given("sources"):  # rendered again since it was ordered
        there = next((path for path in paths.values() if path.exists()), None)
        if there is not None:
            raise UnreadableFile(
                "The files of this frame have changed, and what was delivered stays.", where=there.name,
                advice="Order it again.",
            )  # fmt: skip
        Task.objects.filter(pk=task.pk).update(payload=task.payload | {"sources": mark})
    sources = sources_of(elements, task.number)
    wanted = {paths[delivery]: _output(delivery.output) for delivery in deliveries}
    try:
        said = deliver_all(document, sources, wanted, is_stale=is_stale)
    except UnknownSource as missing:
        raise next(iter(sources.faults), missing) from None  # it is in the file that cannot be read
    left_out = [f"{Path(fault.where).name} was left out: {fault.what}" for fault in sources.faults]
    return {
        str(delivery.pk): {"bytes": path.stat().st_size, "remarks": said[path] + left_out}
        for delivery, path in paths.items()
    }


def path_of(delivery: Delivery, number: int) -> Path:
    """Where a frame is written, and read again. Raises UnreadableFile if a link leads out of the production."""
    return kept_inside(folder_of(delivery) / delivery.file_name(number), delivery.shot.production)


def folder_of(delivery: Delivery) -> Path:
    """Of all its frames, to be named only: links on the way are not looked at."""
    version = delivery.version
    return shot_folder(delivery.shot) / "delivery" / f"{version.ledger.name}_{version.label}"


def progress(delivery: Delivery) -> dict[str, Any]:
    """What the dispatch list shows of one delivery."""
    frames = sorted(delivery.job.tasks.all(), key=lambda frame: frame.number)
    done = [frame for frame in frames if frame.state in GOOD]
    ended = sum(frame.state in (*GOOD, State.FAILED, State.CANCELLED) for frame in frames)
    author = delivery.job.author
    return {
        "id": delivery.pk,
        "name": delivery.file_name(frames[0].number) if len(frames) == 1 else f"{delivery.stem}.####{delivery.suffix}",
        "suffix": delivery.suffix,
        "how": _described(delivery),
        "frames": format_frames(frame.number for frame in frames),
        "state": delivery.state,
        "done": len(done),
        "whole": len(frames),
        "share": ended / len(frames) if frames else 1,
        "bytes": sum(delivery.written(frame)["bytes"] for frame in done),
        "files": [{"number": frame.number, "name": delivery.file_name(frame.number)} for frame in done],
        "folder": str(folder_of(delivery)),
        "errors": sorted({frame.fault for frame in frames if frame.fault}),
        "remarks": sorted({remark for frame in done for remark in delivery.written(frame)["remarks"]}),
        "stalled": engine.stalled(frames),
        "made": delivery.made.isoformat(timespec="minutes"),
        "author": author.get_username() if author else "",
    }


def _described(delivery: Delivery) -> str:
    output = delivery.output
    if delivery.suffix == ".exr":
        matte = f"matte {delivery.matte}, " if delivery.matte else ""
        held = f", display values of the {output['transform']['view']} view" if output.get("as_display") else ""
        return f"{matte}{output['pixel']}, {output['compression']}{held}"
    alpha = "alpha" if output["keep_alpha"] and delivery.suffix not in (".jpg", ".jpeg") else "over black"
    return f"{output['bits']} bit, {output['transform']['view']} view, {alpha}"


def _output(stored: dict[str, Any]) -> Output:
    return Output(**{**stored, "transform": ViewTransform(**stored["transform"])})
