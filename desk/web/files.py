"""Files as answers, whole or in parts: a movie that is played asks for the part it is at."""

from __future__ import annotations

import mimetypes
import re
from collections.abc import Iterator
from pathlib import Path

from django.http import FileResponse, HttpRequest, HttpResponse, StreamingHttpResponse

_RANGE = re.compile(r"bytes=(\d{0,19})-(\d{0,19})")
_PIECE = 1 << 18
PLAYED = {
    ".mp4": "video/mp4",
    ".webm": "video/webm",
    ".png": "image/png",
    ".jpg": "image/jpeg",
    ".pdf": "application/pdf",
}
"""What is shown in place; anything else is only handed out, so that no file of ours is run as a page."""


def kept_answer(data: bytes, kind: str, *, seconds: int) -> HttpResponse:
    """Bytes of a media type that the reader's own browser may keep for so long."""
    answer = HttpResponse(data, content_type=kind)
    answer["Cache-Control"] = f"private, max-age={seconds}"
    return answer


def file_answer(request: HttpRequest, path: Path, *, inline: bool = False) -> HttpResponse:
    """A file to be saved, or with `inline` to be shown in a page; a part of it if one is asked for (RFC 9110, section
    14)."""
    shown = inline and path.suffix.lower() in PLAYED
    wanted = _wanted(request.headers.get("Range", ""), path.stat().st_size)
    if wanted is None:
        stored = path.open("rb")  # closed with the answer
        answer: HttpResponse = FileResponse(stored, as_attachment=not shown, filename=path.name)  # type: ignore[assignment]
    elif not wanted:
        answer = HttpResponse(status=416, headers={"Content-Range": f"bytes */{path.stat().st_size}"})
    else:
        answer = StreamingHttpResponse(_read(path, wanted), status=206)  # type: ignore[assignment]
        answer["Content-Range"] = f"bytes {wanted.start}-{wanted.stop - 1}/{path.stat().st_size}"
        answer["Content-Length"] = len(wanted)
    kind = PLAYED.get(path.suffix.lower()) or mimetypes.guess_type(path.name)[0] or "application/octet-stream"
    answer["Content-Type"] = kind if shown else "application/octet-stream"
    answer["Accept-Ranges"] = "bytes"
    return answer


def _wanted(header: str, size: int) -> range | None:
    """The bytes that are asked for; None for all of them, an empty range for some that are not there."""
    match = _RANGE.fullmatch(header.strip())
    if match is None or match.groups() == ("", ""):
        return None
    first, last = match.groups()
    if not first:
        return range(max(0, size - int(last)), size)
    return range(int(first), min(size, int(last) + 1 if last else size)) if int(first) < size else range(0)


def _read(path: Path, wanted: range) -> Iterator[bytes]:
    with open(path, "rb") as file:
        file.seek(wanted.start)
        left = len(wanted)
        while left and (piece := file.read(min(left, _PIECE))):
            left -= len(piece)
            yield piece
