"""Review: notes on frames of a movie, answered by versions of the ledger."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import Any

import numpy as np
from django.utils import timezone

from desk.handoff.models import Delivery, Note
from desk.handoff.services import folder_of, place_of
from desk.rebuild.models import LedgerVersion
from desk.shots.models import Shot
from desk.shots.storage import kept_inside
from prism.delivery.document import Item
from prism.delivery.encodings.movie import Movie, read_codes
from prism.errors import BadArgument, UnreadableFile
from prism.sheets.notes import NoteEntry, notes_pdf

MOST_POINTS = 5000  # of one drawing
HEAD = ("frame", "note", "by", "when", "version seen", "x", "y", "answer", "answered by", "answered in")


def movie_of(delivery: Delivery, name: str) -> Item:
    """A movie of a delivery. Raises UnreadableFile."""
    for item in delivery.parsed.enabled:
        if item.id == name and isinstance(item.encoding, Movie):
            return item
    raise UnreadableFile(f"This delivery has no movie {name}.", where=delivery.folder)


def frame_file(delivery: Delivery, item: Item, frame: int) -> Any:
    """The still of a frame that a movie was made of. Raises UnreadableFile."""
    assert isinstance(item.encoding, Movie)
    path = kept_inside(item.encoding.frame_path(item, place_of(delivery), frame), delivery.shot.production)
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
    return Note.objects.create(
        shot=delivery.shot, delivery=delivery, item=item.id, seen=delivery.version, frame=frame, x=x, y=y,
        strokes=_strokes(said.get("strokes", [])), text=text, author=user,
    )  # fmt: skip


def _share(value: Any, where: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value <= 1:
        raise BadArgument("A place in the picture is from 0 to 1.", where=where)
    return float(value)


def _strokes(given: Any) -> list[list[list[float]]]:
    if not isinstance(given, list) or not all(isinstance(stroke, list) for stroke in given):
        raise BadArgument("A drawing is a list of lines.", where="strokes")
    if sum(map(len, given)) > MOST_POINTS:
        raise BadArgument(f"A drawing has {MOST_POINTS} points at most.", where="strokes")
    pairs = all(isinstance(point, list) and len(point) == 2 for stroke in given for point in stroke)
    if not pairs:
        raise BadArgument("A line is a list of places.", where="strokes")
    return [[[_share(value, "strokes") for value in point] for point in stroke] for stroke in given]


def answer(note: Note, version: int, text: str, user) -> None:
    """Answer a note by a version of its ledger. Raises BadArgument for one there is not, or the one it was said of."""
    found = LedgerVersion.objects.filter(ledger=note.seen.ledger, number=version).first()
    if found is None or found.number <= note.seen.number:
        raise BadArgument(
            "A note is answered by a later version.", where="version", advice="Keep a version under Rebuild first."
        )
    note.version, note.answer, note.answered_by, note.answered = found, text.strip()[:2000], user, timezone.now()
    note.save()


def reopen(note: Note) -> None:
    """Take the answer back."""
    note.version, note.answer, note.answered_by, note.answered = None, "", None, None
    note.save()


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
    }


def listed(shot: Shot) -> list[Note]:
    """All notes of a shot, by frame."""
    return list(shot.notes.select_related("author", "seen__ledger", "version", "answered_by", "delivery"))


def as_csv(notes: Sequence[Note]) -> str:
    """As a table (RFC 4180). Words that a spreadsheet would run as a formula get an apostrophe before them."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(HEAD)
    for note in notes:
        said = entry(note)
        line = (
            note.frame, said["text"], said["by"], said["made"], note.seen.label, f"{note.x:.4f}", f"{note.y:.4f}",
            said["answer"], said["answeredBy"], note.version.label if note.version else "",
        )  # fmt: skip
        writer.writerow([_harmless(cell) for cell in line])
    return text.getvalue()


def _harmless(cell: Any) -> Any:
    return f"'{cell}" if isinstance(cell, str) and cell[:1] in "=+-@\t" and cell else cell


def as_pdf(shot: Shot, notes: Sequence[Note], author: str) -> bytes:
    """With a small picture of each frame and what was drawn on it."""
    entries = []
    for note in notes:
        said = entry(note)
        answered = f"{note.version.label}: {said['answer']}" if note.version else ""
        head = f"frame {note.frame} · {note.seen.label} · {said['by']} {said['made'].replace('T', ' ')}"
        entries.append(NoteEntry(head, note.text, answered, _picture(note), (note.x, note.y), note.strokes))
    return notes_pdf(f"{shot.code}: notes", entries, author=author)


def _picture(note: Note) -> np.ndarray | None:
    if note.delivery is None:
        return None
    try:
        codes = read_codes(frame_file(note.delivery, movie_of(note.delivery, note.item), note.frame))
    except UnreadableFile:
        return None
    return codes if codes.dtype == np.uint8 else (codes // 257).astype(np.uint8)
