"""All frames of a shot compared with what was rendered, by workers. A verdict is that of its frame, its files and the
untrimmed rows: once one of them is another, it is not shown any more."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from desk.elements.models import Element
from desk.elements.services import document_of, files_fingerprint, frames_on_disk
from desk.jobs import engine
from desk.jobs.models import OPEN, Job, Task
from desk.rebuild import services
from desk.rebuild.models import Ledger
from desk.web.saving import locked
from prism.balance.balance import balance
from prism.documents import fingerprint
from prism.errors import PrismError, Superseded
from prism.ledger.document import Ledger as Document

KIND = "balance"
SOUND, BROKEN, UNREAD = "sound", "broken", "unread"


def begin(ledger: Ledger, document: Document, author) -> Job:
    """Have all frames compared of which nothing is known, or take up the job that does so already."""
    plain = document.untrimmed()
    elements = services.elements_of(ledger, plain)
    made_from = _fingerprint(ledger, plain, elements)
    with transaction.atomic():
        locked(ledger.shot)  # two who ask at once get one job
        job = _newest(ledger, made_from)
        if job is not None and job.tasks.filter(state__in=OPEN).exists():
            return job
        known = _verdicts(job, elements) if job is not None else {}
        frames = [frame for frame in frames_on_disk(ledger.element) if frame not in known]
        if job is not None and not frames:
            return job
        kept = (
            []
            if job is None
            else list(job.tasks.filter(number__in=known).values("number", "title", "state", "result", "progress"))
        )
        title = f"balance of {ledger.name}"[:200]
        payload = {"ledger": ledger.pk, "mark": made_from, "document": plain.as_json()}
        tasks = (Task(number=frame, title=f"frame {frame}") for frame in frames)
        job = engine.begin(KIND, ledger.shot, title, [*(Task(**one) for one in kept), *tasks], author=author, **payload)
    engine.top_up()
    return job


def state(ledger: Ledger, document: Document) -> dict[str, Any]:
    """What is known of all frames with these rows and the files as they are now, and how many are still to be
    compared."""
    plain = document.untrimmed()
    elements = services.elements_of(ledger, plain)
    job = _newest(ledger, _fingerprint(ledger, plain, elements))
    if job is None:
        return {"open": 0, "verdicts": {}}
    return {"open": job.tasks.filter(state__in=OPEN).count(), "verdicts": _verdicts(job, elements)}


def stop(ledger: Ledger, document: Document) -> None:
    """What is compared stays."""
    plain = document.untrimmed()
    job = _newest(ledger, _fingerprint(ledger, plain, services.elements_of(ledger, plain)))
    if job is not None:
        engine.cancel(job)


def compare(task: Task, is_over) -> tuple[str, dict[str, Any]]:
    """One frame. Returns a line for the log, and the verdict with the files it is of; a frame that cannot be read has
    one too."""
    payload = task.job.payload
    ledger = Ledger.objects.select_related("shot__production", "element").filter(pk=payload["ledger"]).first()
    if ledger is None:
        return "The ledger was removed meanwhile.", {}
    document = services.parse(ledger.shot, payload["document"])
    elements = services.elements_of(ledger, document)
    files = files_fingerprint(elements, task.number)
    try:
        sources = services.frame_of(ledger, document, task.number)
        found = balance(document, sources, causes=0, is_stale=is_over)
    except Superseded:
        raise
    except PrismError as error:
        return f"Not compared: {error.what}", {"verdict": UNREAD, "files": files}
    if found.balanced:
        return "Balanced.", {"verdict": SOUND, "files": files}
    return f"Not balanced: {found.wrong} pixels.", {"verdict": BROKEN, "files": files}


def _newest(ledger: Ledger, made_from: str) -> Job | None:
    return Job.objects.filter(shot=ledger.shot, kind=KIND, payload__mark=made_from).first()


def _verdicts(job: Job, elements: list[Element]) -> dict[int, str]:
    done = job.tasks.exclude(result={}).values_list("number", "result")
    return {number: kept["verdict"] for number, kept in done if kept["files"] == files_fingerprint(elements, number)}


def _fingerprint(ledger: Ledger, plain: Document, elements: list[Element]) -> str:
    """What a verdict is made from: the rows, and how the passes they take are read."""
    return fingerprint([ledger.pk, plain.replace(name="ledger").as_json(), [document_of(e).reading for e in elements]])
