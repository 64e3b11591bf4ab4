"""All notes of a shot as one PDF. Of many, a worker makes it: that takes longer than anybody waits for an answer."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from desk.handoff import review
from desk.jobs import engine
from desk.jobs.models import OPEN, Job, State, Task
from desk.jobs.registry import Watch
from desk.shots.models import Shot
from desk.shots.storage import shot_file
from desk.web.saving import at_once, locked
from prism.documents import fingerprint
from prism.formats.safe import replacing

KIND = "notes-pdf"
AT_ONCE = 100  # notes that are written while somebody waits
READY, MAKING, NONE = "ready", "being made", "not made"


def is_long(shot: Shot) -> bool:
    """Whether it is a worker's."""
    return shot.notes.count() > AT_ONCE


def state(shot: Shot) -> str:
    """The state of the PDF: ready to be sent, being made, or neither, as of notes that have changed."""
    if not is_long(shot) or made(shot) is not None:
        return READY
    return MAKING if _jobs(shot).filter(tasks__state__in=OPEN).exists() else NONE


def made(shot: Shot) -> Path | None:
    """The file of the notes as they are now, if a worker has made it."""
    last = Task.objects.filter(job__in=_jobs(shot), state=State.DONE).order_by("-ended").first()
    if last is None or last.result.get("mark") != _fingerprint(shot):
        return None
    path = _path(shot)
    return path if path.is_file() else None


@at_once
def order(shot: Shot, user) -> None:
    """Have it made, unless it is being made."""
    locked(shot)
    if not _jobs(shot).filter(tasks__state__in=OPEN).exists():
        title = f"{shot.code}: notes as PDF"
        engine.begin(KIND, shot, title, [Task(number=0, title=title)], author=user, priority=1)
    engine.top_up()


def write(task: Task, watch: Watch) -> dict[str, Any]:
    """Make the file. Returns its `bytes`, and the `mark` of the notes in it. Raises PrismError."""
    shot = task.job.shot
    made_from, notes = _fingerprint(shot), review.listed(shot)
    author = task.job.author.get_username() if task.job.author else ""
    body = review.as_pdf(shot, notes, author, is_stale=watch.is_over, on_progress=watch.on_progress)
    with replacing(_path(shot)) as temporary:
        temporary.write_bytes(body)
    return {"bytes": len(body), "mark": made_from}


def _jobs(shot: Shot):
    return Job.objects.filter(shot=shot, kind=KIND)


def _path(shot: Shot) -> Path:
    return shot_file(shot, "notes/notes.pdf")


def _fingerprint(shot: Shot) -> str:
    """Changes whenever anything does that the PDF says."""
    said = shot.notes.values_list("pk", "text", "strokes", "delivery_id", "version__number", "answer")
    return fingerprint([list(line) for line in said])
