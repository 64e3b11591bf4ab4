"""Hand-off: deliveries are asked for here, and written here frame by frame by the queue's worker."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.db import transaction
from kombu.exceptions import OperationalError

from desk.handoff.models import Delivery, DeliveryFrame, State
from desk.rebuild.models import Ledger, LedgerVersion
from desk.rebuild.services import keep_version
from desk.shots.models import Shot
from desk.shots.services import files_of, frames_on_disk
from desk.shots.storage import shot_folder
from prism.colour.view import ViewTransform
from prism.combine.deliver import Output, deliver
from prism.combine.ledger import Ledger as LedgerDocument
from prism.combine.sources import find_sources
from prism.errors import BadArgument, PrismError
from prism.naming.frames import format_frames, parse_frames

QUEUE_SILENT = "The queue does not answer. Run `./eager start`, then press Try again."


def order(shot: Shot, ledger: Ledger, user, frames: str, outputs: dict[str, Output]) -> list[Delivery]:
    """Keep a version of the ledger and queue its frames, once for each suffix in `outputs`.

    Raises BadArgument, with nothing queued, if a frame is not there or the list cannot be read.
    """
    numbers = parse_frames(frames)
    missing = sorted(set(numbers) - set(frames_on_disk(ledger.element)))
    if missing:
        raise BadArgument(
            f"Not rendered: {format_frames(missing)}.", where="frames", advice="Choose frames that are there."
        )
    if not outputs:
        raise BadArgument("Nothing was chosen to be written.", where="format", advice="Tick EXR or a still format.")
    with transaction.atomic():
        version = keep_version(ledger, user)
        deliveries = [_create(shot, version, ledger, user, suffix, output) for suffix, output in outputs.items()]
        for delivery in deliveries:
            DeliveryFrame.objects.bulk_create(DeliveryFrame(delivery=delivery, number=number) for number in numbers)
    for delivery in deliveries:
        enqueue(delivery)
    return deliveries


def _create(shot: Shot, version: LedgerVersion, ledger: Ledger, user, suffix: str, output: Output) -> Delivery:
    """A new delivery. The same version written in another way gets a take of its own, so that no file is overwritten."""
    written = asdict(output)
    earlier = version.deliveries.filter(suffix=suffix).order_by("-take")
    same = next((one for one in earlier if one.output == written), None)
    take = same.take if same else (earlier[0].take + 1 if earlier else 1)
    return Delivery.objects.create(
        shot=shot, version=version, element=ledger.element, suffix=suffix, output=written, take=take, author=user
    )


def enqueue(delivery: Delivery) -> None:
    """Hand the waiting frames to the queue. If it is silent they are marked failed, with what to do."""
    from desk.handoff.tasks import write_frame  # the task calls back into this module

    waiting = delivery.frames.filter(state=State.QUEUED)
    try:
        for pk in waiting.values_list("pk", flat=True):
            write_frame.apply_async((pk,), retry=False)
    except OperationalError:
        waiting.update(state=State.FAILED, error=QUEUE_SILENT)


def try_again(delivery: Delivery) -> None:
    """Queue the frames that failed or were cancelled; what is written stays."""
    delivery.frames.filter(state__in=[State.FAILED, State.CANCELLED]).update(state=State.QUEUED, error="")
    enqueue(delivery)


def cancel(delivery: Delivery) -> None:
    """Take the frames that still wait out of the queue; those written stay, the one being written is finished."""
    delivery.frames.filter(state=State.QUEUED).update(state=State.CANCELLED)


def resume() -> int:
    """After a crash: queue again whatever waited or was cut off. Returns how many frames."""
    cut_off = DeliveryFrame.objects.filter(state__in=[State.QUEUED, State.RUNNING])
    deliveries = list(Delivery.objects.filter(frames__in=cut_off).distinct())
    count = cut_off.update(state=State.QUEUED)
    for delivery in deliveries:
        enqueue(delivery)
    return count


def write(frame_pk: int) -> None:
    """Write one frame. May be called twice for the same frame: the second finds it taken, or writes the same file."""
    taken = DeliveryFrame.objects.filter(pk=frame_pk, state=State.QUEUED).update(state=State.RUNNING)
    if not taken:
        return
    frame = DeliveryFrame.objects.select_related(
        "delivery__version__ledger", "delivery__shot__production", "delivery__element"
    ).get(pk=frame_pk)
    delivery = frame.delivery
    path = path_of(delivery, frame.number)
    try:
        document = LedgerDocument.from_json(delivery.version.document, where=f"{delivery.version.label}")
        sources = find_sources(files_of(delivery.element, frame.number))
        frame.remarks = deliver(document, sources, path, _output(delivery.output))
    except PrismError as error:
        _finish(frame, State.FAILED, error=str(error))
    except Exception:
        _finish(frame, State.FAILED, error="An unexpected fault; the worker's log has the details. Please report it.")
        raise
    else:
        frame.size = path.stat().st_size
        _finish(frame, State.DONE)


def path_of(delivery: Delivery, number: int) -> Path:
    folder = shot_folder(delivery.shot.production.code, delivery.shot.code) / "delivery"
    return folder / f"{delivery.version.ledger.name}_{delivery.version.label}" / delivery.file_name(number)


def progress(delivery: Delivery) -> dict[str, Any]:
    """What the dispatch list shows of one delivery."""
    frames = list(delivery.frames.all())
    done = [frame for frame in frames if frame.state == State.DONE]
    ended = sum(frame.state in (State.DONE, State.FAILED, State.CANCELLED) for frame in frames)
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
        "bytes": sum(frame.size for frame in done),
        "files": [{"number": frame.number, "name": delivery.file_name(frame.number)} for frame in done],
        "folder": str(path_of(delivery, 0).parent),
        "errors": sorted({frame.error for frame in frames if frame.error}),
        "remarks": sorted({remark for frame in done for remark in frame.remarks}),
        "made": delivery.made.isoformat(timespec="minutes"),
        "author": delivery.author.get_username() if delivery.author else "",
    }


def _described(delivery: Delivery) -> str:
    output = delivery.output
    if delivery.suffix == ".exr":
        return f"{output['pixel']}, {output['compression']}"
    alpha = "alpha" if output["keep_alpha"] and delivery.suffix not in (".jpg", ".jpeg") else "over black"
    return f"{output['bits']} bit, {output['transform']['view']} view, {alpha}"


def _output(stored: dict[str, Any]) -> Output:
    return Output(**{**stored, "transform": ViewTransform(**stored["transform"])})


def _finish(frame: DeliveryFrame, state: str, *, error: str = "") -> None:
    frame.state, frame.error = state, error
    frame.save(update_fields=["state", "error", "size", "remarks", "changed"])
