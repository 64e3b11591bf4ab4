"""Review: notes on frames of a movie, answered by versions of the ledger."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from django.db.models import Q, QuerySet
from django.urls import reverse
from django.utils import timezone

from desk.handoff.models import Delivery, Note
from desk.handoff.services import folder_of, place_of
from desk.rebuild.models import LedgerVersion
from desk.shots.models import Shot
from desk.shots.storage import kept_inside
from desk.web.saving import Outdated, at_once
from prism.delivery.document import Item
from prism.delivery.encodings.movie import Movie, read_codes
from prism.errors import BadArgument, Superseded, UnreadableFile
from prism.limits import Stale, current, never
from prism.sheets.notes import NoteEntry, notes_pdf, small
from prism.text import cell

MOST_POINTS = 5000  # of one drawing
MOST_POINTS_OF_SHOT = 100_000  # of all drawings of a shot, which its pages list
MOST_NOTES = 1000  # of a shot
IN_A_LIST = 50  # notes that a page shows at once
ANSWER = ["version", "answer", "answered_by", "answered"]
HEAD = ("frame", "note", "by", "when", "version seen", "x", "y", "answer", "answered by", "answered in")


def movie_of(delivery: Delivery, name: str) -> Item:
    """A movie of a delivery. Raises UnreadableFile."""
    for item in delivery.parsed.enabled:
        if item.id == name and isinstance(item.encoding, Movie):
            return item
    raise UnreadableFile(f"This delivery has no movie {name}.", where=delivery.folder)


def encoding_of(movie: Item) -> Movie:
    """How a movie is encoded."""
    assert isinstance(movie.encoding, Movie)  # `movie_of` finds no others
    return movie.encoding


def frame_file(delivery: Delivery, item: Item, frame: int) -> Any:
    """The still of a frame that a movie was made of. Raises UnreadableFile."""
    path = kept_inside(encoding_of(item).frame_path(item, place_of(delivery), frame), delivery.shot.production)
    if not path.is_file():
        raise UnreadableFile(f"Frame {frame} was not written.", where=str(folder_of(delivery)))
    return path


def add(delivery: Delivery, item: Item, user, said: dict[str, Any]) -> Note:
    """A new note. Raises BadArgument for one without words, outside of the picture or the movie."""
    text = str(said.get("text", "")).strip()
    if not text or len(text) > 2000:
        raise BadArgument("A note has 1 to 2000 characters.", where="text")
    frame = said.get("frame")
    if frame not in place_of(delivery).frames or isinstance(frame, bool):
        raise BadArgument("This frame is not in the movie.", where="frame")
    x, y = (_share(said.get(name), name) for name in "xy")
    strokes = _strokes(said.get("strokes", []))
    _require_room(delivery.shot, strokes)
    return Note.objects.create(
        shot=delivery.shot, delivery=delivery, item=item.id, seen=delivery.version, frame=frame, x=x, y=y,
        strokes=strokes, text=text, author=user,
    )  # fmt: skip


def _require_room(shot: Shot, strokes: Sequence[Sequence[Any]]) -> None:
    """Raises BadArgument for a note that is one too many, or one drawing."""
    if shot.notes.count() >= MOST_NOTES:
        raise BadArgument(f"A shot has {MOST_NOTES:,} notes at most.", where="note", advice="Remove old ones first.")
    if strokes:
        drawn = sum(len(stroke) for each in shot.notes.values_list("strokes", flat=True) for stroke in each)
        if drawn + sum(map(len, strokes)) > MOST_POINTS_OF_SHOT:
            raise BadArgument(
                "The drawings of this shot have too many points together.", where="strokes",
                advice="Remove old notes, or say this one in words.",
            )  # fmt: skip


def _share(value: Any, where: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value <= 1:
        raise BadArgument("A place in the picture is from 0 to 1.", where=where)
    return round(float(value), 5)


def _strokes(given: Any) -> list[list[list[float]]]:
    if not isinstance(given, list) or not all(isinstance(stroke, list) for stroke in given):
        raise BadArgument("A drawing is a list of lines.", where="strokes")
    if sum(map(len, given)) > MOST_POINTS:
        raise BadArgument(f"A drawing has {MOST_POINTS} points at most.", where="strokes")
    pairs = all(isinstance(point, list) and len(point) == 2 for stroke in given for point in stroke)
    if not pairs:
        raise BadArgument("A line is a list of places.", where="strokes")
    return [[[_share(value, "strokes") for value in point] for point in stroke] for stroke in given]


@at_once
def answer(note: Note, version: int, text: str, user, *, was: Any = ...) -> None:
    """Answer a note by a version of its ledger. was: number of the version that answered it when the page was made,
    None for an open one; not asked if left out. Raises BadArgument for a version there is not, or the one it was said
    of, and Outdated for a note that was answered or removed meanwhile."""
    note = _as_it_was(note, was)
    found = LedgerVersion.objects.filter(ledger=note.seen.ledger, number=version).first()
    if found is None or found.number <= note.seen.number:
        raise BadArgument(
            "A note is answered by a later version.", where="version", advice="Save a version under Rebuild first."
        )
    note.version, note.answer, note.answered_by, note.answered = found, text.strip()[:2000], user, timezone.now()
    note.save(update_fields=ANSWER)


@at_once
def reopen(note: Note, *, was: Any = ...) -> None:
    """Take the answer back. Raises Outdated, as `answer`."""
    note = _as_it_was(note, was)
    note.version, note.answer, note.answered_by, note.answered = None, "", None, None
    note.save(update_fields=ANSWER)


def _as_it_was(note: Note, was: Any) -> Note:
    found = Note.objects.select_for_update().filter(pk=note.pk).first()
    if found is None or (was is not ... and was != (found.version.number if found.version else None)):
        raise Outdated("note")
    return found


def entry(note: Note) -> dict[str, Any]:
    """What a page shows of a note."""
    return {
        "id": note.pk,
        "frame": note.frame,
        "x": note.x,
        "y": note.y,
        "strokes": note.strokes,
        "text": note.text,
        "by": note.author.get_username() if note.author else "",
        "made": note.made.isoformat(timespec="minutes"),
        "seen": note.seen.number,
        "open": note.version is None,
        "version": note.version.number if note.version else None,
        "answer": note.answer,
        "answeredBy": note.answered_by.get_username() if note.answered_by else "",
        "delivery": note.delivery_id,
        "item": note.item,
        "url": _address(note),
    }


def _address(note: Note) -> str:
    """Where it is looked at; empty once its delivery is gone."""
    if note.delivery is None:
        return ""
    address = note.delivery.shot.address | {"delivery": note.delivery_id, "item": note.item}
    return f"{reverse('hand-off-review', kwargs=address)}?frame={note.frame}"


def listed(shot: Shot) -> list[Note]:
    """All notes of a shot, by frame."""
    return list(_of(shot))


def _of(shot: Shot) -> QuerySet[Note]:
    return shot.notes.select_related("author", "seen__ledger", "version", "answered_by", "delivery__shot__production")


def a_page(
    shot: Shot,
    number: int = 1,
    *,
    only_open: bool = False,
    holding: Note | None = None,
    frame: int | None = None,
) -> dict[str, Any]:
    """Some of the notes, by frame: the `notes` of a `page`, the last for a number beyond, of how many `pages`; and of
    all notes the `count`, and how many are `open`. holding, frame: a note whose page it is to be, or where those of a
    frame begin, instead of a number."""
    found = _of(shot).filter(version=None) if only_open else _of(shot)
    count = found.count()
    pages = max(1, -(-count // IN_A_LIST))
    before = Q(frame__lt=frame or 0)
    if holding is not None:
        before = Q(frame__lt=holding.frame) | Q(frame=holding.frame, pk__lt=holding.pk)
    if holding is not None or frame is not None:
        number = found.filter(before).count() // IN_A_LIST + 1
    number = min(max(1, number), pages)
    return {
        "notes": [entry(note) for note in found[(number - 1) * IN_A_LIST : number * IN_A_LIST]],
        "page": number, "pages": pages, "count": shot.notes.count(), "open": shot.notes.filter(version=None).count(),
    }  # fmt: skip


def on_frame(delivery: Delivery, item: Item, frame: int) -> list[dict[str, Any]]:
    """Notes that are drawn on a frame of a movie."""
    return [entry(note) for note in _of(delivery.shot).filter(delivery=delivery, item=item.id, frame=frame)]


def as_csv(notes: Sequence[Note]) -> str:
    """A table (RFC 4180). Words that a spreadsheet would run as a formula get an apostrophe before them."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(HEAD)
    for note in notes:
        said = entry(note)
        line = (
            note.frame, said["text"], said["by"], said["made"], note.seen.label, f"{note.x:.4f}", f"{note.y:.4f}",
            said["answer"], said["answeredBy"], note.version.label if note.version else "",
        )  # fmt: skip
        writer.writerow([cell(each) for each in line])
    return text.getvalue()


def as_pdf(
    shot: Shot,
    notes: Sequence[Note],
    author: str,
    *,
    is_stale: Stale = never,
    on_progress: Callable[[float], object] = lambda share: None,
) -> bytes:
    """With a small picture of each frame and what was drawn on it. on_progress: is told the share that is done. Raises
    Superseded."""
    pictures: dict[tuple[Any, ...], np.ndarray | None] = {}
    entries = []
    for number, note in enumerate(notes):
        current().require()
        if is_stale():
            raise Superseded("It was cancelled.")
        said = entry(note)
        answered = f"{note.version.label}: {said['answer']}" if note.version else ""
        head = f"frame {note.frame} · {note.seen.label} · {said['by']} {said['made'].replace('T', ' ')}"
        key = note.delivery_id, note.item, note.frame
        if key not in pictures:
            pictures[key] = _picture(note)
        entries.append(NoteEntry(head, note.text, answered, pictures[key], (note.x, note.y), note.strokes))
        on_progress(number / len(notes))
    return notes_pdf(f"{shot.code}: notes", entries, author=author)


def _picture(note: Note) -> np.ndarray | None:
    """Small, so that many are kept at once."""
    if note.delivery is None:
        return None
    try:
        codes = read_codes(frame_file(note.delivery, movie_of(note.delivery, note.item), note.frame))
    except UnreadableFile:
        return None
    return small(codes if codes.dtype == np.uint8 else (codes // 257).astype(np.uint8))
