"""Frames read by workers, and the findings that come of them."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from django.db import transaction

from desk.elements.models import Element
from desk.elements.services import document_of
from desk.intake import thumbs
from desk.intake.models import Acceptance, FrameCheck, Judgement
from desk.jobs import engine
from desk.jobs.models import OPEN, Job, Task
from desk.shots.storage import kept_inside
from desk.web.saving import locked
from prism.documents import fingerprint
from prism.elements import disk
from prism.elements.element import Element as Document
from prism.errors import BadArgument, PrismError
from prism.formats.stamps import stamp_if_there
from prism.intake.asked import Expectation
from prism.intake.checking import READER, FrameFacts, check_frame, frames_to_check, stamps_of
from prism.intake.findings import JUDGE, findings
from prism.intake.on_disk import findings_on_disk
from prism.judging.finding import ERROR, WARNING, Finding
from prism.text import from_storable, printable

KIND = "check"
MOST_FINDINGS = 400
MOST_ASKED = 2000  # files whose time a page asks for


def begin(element: Element, author) -> Job | None:
    """Have every frame read that is new, has changed, or is read in another way since. None if there is none, or if
    that is under way."""
    document = document_of(element)
    reading = _reading(document)
    known = {check.frame: check for check in element.checks.all()}
    wanted = [n for n in frames_to_check(document) if not _is_current(known.get(n), document, n, reading)]
    element.checks.exclude(frame__in=frames_to_check(document)).delete()
    element.checks.filter(frame__in=wanted).delete()  # what they said is of files that are gone
    with transaction.atomic():
        locked(element.shot)
        waiting = Task.objects.filter(
            job__shot=element.shot, job__kind=KIND, state__in=OPEN, payload__element=element.pk
        )
        frames = sorted(set(wanted) - set(waiting.values_list("number", flat=True)))
        job = None
        if frames:
            tasks = [
                Task(number=n, title=f"{element.name}, {n}", payload={"element": element.pk}) for n in frames
            ]  # fmt: skip
            job = engine.begin(KIND, element.shot, f"reading {element.name}"[:200], tasks, author=author, priority=1)
    judge(element)
    engine.top_up()
    return job


def have_changed(element: Element) -> bool:
    """Whether a file is another one than was read, or is to be read in another way since. Of files only the times are
    asked for, and not of very many."""
    if element.checks.exclude(document=_reading(document_of(element))).exists():
        return True
    kept = element.checks.values_list("facts__stamps", flat=True)[:MOST_ASKED]
    stamps = {path: tuple(stamp) for of_frame in kept for path, stamp in of_frame.items()}
    return any(_is_another(Path(from_storable(path)), stamp) for path, stamp in list(stamps.items())[:MOST_ASKED])


def _is_another(path: Path, stamp: tuple) -> bool:
    now = stamp_if_there(path)
    return now is None or now[1:] != stamp


def check(element_id: int, frame: int, is_over) -> str:
    """Read one frame and keep its facts. Returns a line for the log. Raises UnreadableFile if a link leads
    elsewhere."""
    element = Element.objects.select_related("shot__production", "shot__plan").filter(pk=element_id).first()
    if element is None:
        return "The element was removed meanwhile."
    document = document_of(element)
    for path in document.files_at(frame):
        kept_inside(path, element.shot.production)
    facts = check_frame(document, frame, is_stale=is_over)
    FrameCheck.objects.update_or_create(
        element=element, frame=frame, defaults={"document": _reading(document), "facts": _clean(facts.as_json())}
    )
    thumbs.make_all(element, frame)
    faults = sum(bool(pass_.fault) for pass_ in facts.passes.values())
    return "Read to the end." if not faults else f"{faults} of {len(facts.passes)} passes cannot be read."


def follow_up(element_id: int, frame: int, job: Job) -> None:
    """After a frame was read: have it read again if it changed meanwhile, or how it is to be read; gather the findings
    once the last frame of a job is read, and now and then before."""
    element = Element.objects.select_related("shot__plan").filter(pk=element_id).first()
    if element is None:
        return
    document = document_of(element)
    left = job.tasks.filter(state__in=OPEN).count()
    if not _is_current(element.checks.filter(frame=frame).first(), document, frame, _reading(document)):
        begin(element, job.author)
    elif left <= 1 or left % 25 == 0:
        judge(element)


def judge(element: Element) -> Judgement:
    """Work out the findings from all that was read by the document as it is now, and keep them.

    One at a time for an element: else one that began before the last frame was read could have the last word.
    """
    with transaction.atomic():
        element = locked(element)
        document = document_of(element)
        reading = _reading(document)
        facts = {check.frame: FrameFacts.from_json(check.facts) for check in element.checks.filter(document=reading)}
        numbers = frames_to_check(document)
        asked = _wanted(element, document)
        found = [
            *findings_on_disk(document, tuple(_sequences(document)), asked),
            *findings(document, facts, wanted=asked),
        ]
        judgement, _ = Judgement.objects.update_or_create(
            element=element,
            defaults={
                "document": _judged(document),
                "checked": len(facts.keys() & set(numbers)),
                "whole": len(numbers),
                "findings": [_kept(finding) for finding in found[:MOST_FINDINGS]],
            },
        )
    return judgement


def listed(element: Element) -> dict[str, Any]:
    """For the page: the findings with what was accepted, and whether they are of all frames as they are known now."""
    judgement = Judgement.objects.filter(element=element).first()
    accepted = {acceptance.mark: acceptance for acceptance in element.acceptances.select_related("author")}
    document = document_of(element)
    if judgement is not None and judgement.document != _judged(document):  # the same readings, judged anew
        judgement = judge(element) if element.checks.filter(document=_reading(document)).exists() else judgement
    current = judgement is not None and judgement.document == _judged(document)
    found = judgement.findings if current else []
    for finding in found:
        acceptance = accepted.get(finding["mark"])
        finding["accepted"] = acceptance.reason if acceptance else ""
        finding["by"] = acceptance.author.get_username() if acceptance and acceptance.author else ""
    return {
        "checked": judgement.checked if current else 0,
        "whole": judgement.whole if current else len(frames_to_check(document)),
        "findings": found,
        "open": sum(not f["accepted"] and f["severity"] in (ERROR, WARNING) for f in found),
    }


def accept(element: Element, mark: str, reason: str, author) -> None:
    """Let a finding stand, with the reason. Raises BadArgument without one."""
    if not reason.strip():
        raise BadArgument("Say why it may stay.", where="reason", advice="A few words that others will understand.")
    Acceptance.objects.update_or_create(
        element=element, mark=mark[:240], defaults={"reason": reason.strip()[:300], "author": author}
    )


def reopen(element: Element, mark: str) -> None:
    """Take an acceptance back."""
    element.acceptances.filter(mark=mark).delete()


def _reading(document: Document) -> str:
    """The fingerprint of how an element is read, and by which code: what another one read is of no use here."""
    return fingerprint([READER, document.reading])


def _judged(document: Document) -> str:
    """The fingerprint of that, and of the code that judges it."""
    return fingerprint([JUDGE, _reading(document)])


def _is_current(check: FrameCheck | None, document: Document, frame: int, reading: str) -> bool:
    if check is None or check.document != reading:
        return False
    return {path: list(stamp) for path, stamp in stamps_of(document, frame).items()} == check.facts["stamps"]


def _wanted(element: Element, document: Document) -> Expectation:
    settings = element.shot.settings
    is_of_shot = bool(set(document.frames) & set(settings.written_frames))
    return Expectation(settings.written_frames if is_of_shot else (), settings.space)


def _sequences(document: Document) -> Iterable[disk.Sequence]:
    """The sequences as the folders have them now, for the times of their files."""
    for folder in sorted({pass_.files.sequence[0] for pass_ in document.passes}):
        try:
            yield from disk.scan(folder, below=False).sequences
        except PrismError:
            continue


def _kept(finding: Finding) -> dict[str, Any]:
    return _clean(finding.as_json() | {"mark": finding.mark, "files": [printable(path) for path in finding.files[:20]]})


def _clean(data: Any) -> Any:
    """JSON in the database knows neither infinity nor NaN: they are kept as null."""
    if isinstance(data, dict):
        return {name: _clean(value) for name, value in data.items()}
    if isinstance(data, list | tuple):
        return [_clean(value) for value in data]
    if isinstance(data, float) and data - data != 0:
        return None
    return data
