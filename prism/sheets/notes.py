"""Notes of a review as a PDF: each with a small picture of its frame, and what was drawn on it."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow
from reportlab.lib.pagesizes import A4
from reportlab.lib.utils import ImageReader, simpleSplit
from reportlab.pdfgen.canvas import Canvas

from prism.pixels.letters import remarks_on
from prism.sheets.page import embedded, say_maker

MARGIN, GAP, PICTURE = 40.0, 14.0, 210.0  # points
HEAD_SIZE, TEXT_SIZE, LEADING = 8.0, 10.0, 1.35
INK, QUIET, MARK = (0.1, 0.1, 0.1), (0.4, 0.4, 0.4), (0.85, 0.35, 0.1)
SMALL = 640  # pixels across of a picture


@dataclass(frozen=True, slots=True, eq=False)
class NoteEntry:
    """head: frame, version, who and when. picture: codes (H, W, 3 or 4), None without one. place, strokes: shares of
    the picture."""

    head: str
    text: str
    answer: str
    picture: NDArray[np.uint8] | None
    place: tuple[float, float]
    strokes: Sequence[Sequence[Sequence[float]]]


def small(codes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture (H, W, 3 or 4) as large as a page of notes shows it, without alpha; a small one stays."""
    picture = Pillow.fromarray(codes).convert("RGB")
    picture.thumbnail((SMALL, SMALL))
    return np.asarray(picture)


def notes_pdf(title: str, notes: Sequence[NoteEntry], *, author: str = "") -> bytes:
    """A PDF on A4, text as text. author: whoever had it made."""
    target = io.BytesIO()
    canvas = Canvas(target, pagesize=A4, pageCompression=1, initialFontName=embedded("text"))
    say_maker(canvas, title, author)
    top = _begin(canvas, title)
    for note in notes:
        height = _height(note)
        if top - height < MARGIN and top < A4[1] - 2 * MARGIN:
            canvas.showPage()
            top = A4[1] - MARGIN
        _draw(canvas, note, top)
        top -= height + GAP
    if not notes:
        _lines(canvas, ["There are no notes."], top, TEXT_SIZE, "text", QUIET, MARGIN)
    faced = [(face, line) for note in notes for lines, _, face, _ in _parts(note) for line in lines]
    _lines(canvas, remarks_on(faced), MARGIN, HEAD_SIZE, "text", QUIET, MARGIN)
    canvas.showPage()
    canvas.save()
    return target.getvalue()


def _begin(canvas: Canvas, title: str) -> float:
    top = A4[1] - MARGIN
    _lines(canvas, [title], top, 15, "text bold", INK, MARGIN)
    return top - 34


def _wrapped(text: str, face: str, size: float) -> list[str]:
    width = A4[0] - 2 * MARGIN - PICTURE - GAP
    return [line for part in text.split("\n") for line in simpleSplit(part, embedded(face), size, width) or [""]]


def _parts(note: NoteEntry) -> list[tuple[list[str], float, str, tuple[float, float, float]]]:
    parts = [(_wrapped(note.head, "mono", HEAD_SIZE), HEAD_SIZE, "mono", QUIET)]
    parts.append((_wrapped(note.text, "text", TEXT_SIZE), TEXT_SIZE, "text", INK))
    if note.answer:
        parts.append((_wrapped(f"answered by {note.answer}", "text", TEXT_SIZE), TEXT_SIZE, "text", QUIET))
    return parts


def _height(note: NoteEntry) -> float:
    words = sum(len(lines) * size * LEADING + 4 for lines, size, _, _ in _parts(note))
    return max(words, _picture_height(note))


def _picture_height(note: NoteEntry) -> float:
    return 0.0 if note.picture is None else PICTURE * note.picture.shape[0] / note.picture.shape[1]


def _draw(canvas: Canvas, note: NoteEntry, top: float) -> None:
    if note.picture is not None:
        high = _picture_height(note)
        picture = Pillow.fromarray(small(note.picture))
        canvas.drawImage(ImageReader(picture), MARGIN, top - high, PICTURE, high)
        _marks(canvas, note, top, high)
    at = top
    for lines, size, face, colour in _parts(note):
        at = _lines(canvas, lines, at, size, face, colour, MARGIN + PICTURE + GAP) - 4


def _marks(canvas: Canvas, note: NoteEntry, top: float, high: float) -> None:
    canvas.setStrokeColorRGB(*MARK)
    canvas.setLineWidth(1.4)
    canvas.circle(MARGIN + note.place[0] * PICTURE, top - note.place[1] * high, 5)
    for stroke in note.strokes:
        path = canvas.beginPath()
        for number, (x, y) in enumerate(stroke):
            (path.lineTo if number else path.moveTo)(MARGIN + x * PICTURE, top - y * high)
        canvas.drawPath(path)


def _lines(
    canvas: Canvas, lines: Sequence[str], top: float, size: float, face: str, colour: tuple[float, float, float],
    left: float,
) -> float:  # fmt: skip
    """Draw lines from a height downwards; where they end."""
    canvas.setFont(embedded(face), size)
    canvas.setFillColorRGB(*colour)
    for line in lines:
        top -= size * LEADING
        canvas.drawString(left, top + size * 0.35, line)
    return top
