from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from desk.handoff import notes_file, review
from desk.handoff.models import Delivery, Note
from desk.rebuild.services import version_entry
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.web.files import file_answer
from desk.web.limits import computed
from desk.web.requests import json_body, whole_number
from prism.delivery.document import Item
from prism.errors import BadArgument, UnreadableFile

OF_SHOT = ("answer", "note-remove", "notes", "notes-order", "notes-pdf")


@require_GET
@with_shot
def page(request: HttpRequest, shot: Shot, delivery: int, item: str) -> HttpResponse:
    """A movie of a delivery with its notes."""
    found, movie = _movie(shot, delivery, item)
    place = review.place_of(found)
    address = shot.address | {"delivery": found.pk, "item": movie.id}
    path = place.path(movie, movie.encoding.suffix)
    name = path.relative_to(place.root).as_posix()
    versions = found.version.ledger.versions.all()
    shown: dict[str, Any] = {
        "frames": list(place.frames),
        "rate": found.parsed.rate,
        "movie": reverse("hand-off-file", kwargs=shot.address | {"delivery": found.pk, "file": name})
        if review.encoding_of(movie).how.plays and path.is_file()
        else "",
        "seen": found.version.number,
        "delivery": found.pk,
        "item": movie.id,
        "shot": shot.code,
        "versions": [version_entry(version) for version in versions if version.number > found.version.number],
        "listed": review.a_page(shot, frame=_number(request, "frame")) | {"pdf": notes_file.state(shot)},
        "mayChange": shot.production.can_be_changed_by(request.user),
        "user": request.user.get_username(),
        "frame": request.GET.get("frame", ""),
        "urls": {
            "note": reverse("hand-off-note", kwargs=address),
            "frame": reverse("hand-off-frame", kwargs=address | {"number": 0}),
            "marks": reverse("hand-off-marks", kwargs=address | {"number": 0}),
            "picture": reverse("hand-off-board-picture", kwargs=shot.address),
            **{name: reverse(f"hand-off-{name}", kwargs=shot.address) for name in OF_SHOT},
        },
    }
    return render(
        request,
        "handoff/review.html",
        head(request, shot, "hand-off") | {"page": shown, "movie": movie, "found": found},
    )


@require_GET
@with_shot
def frame(request: HttpRequest, shot: Shot, delivery: int, item: str, number: int) -> HttpResponse:
    """The still of one frame, just as the movie was made of it."""
    found, movie = _movie(shot, delivery, item)
    try:
        return file_answer(request, review.frame_file(found, movie, number), inline=True)
    except UnreadableFile as error:
        raise Http404(error.what) from error


@require_GET
@with_shot
def marks(request: HttpRequest, shot: Shot, delivery: int, item: str, number: int) -> JsonResponse:
    """The notes that are drawn on a frame."""
    return JsonResponse({"notes": review.on_frame(*_movie(shot, delivery, item), number)})


@require_POST
@with_shot
def note(request: HttpRequest, shot: Shot, delivery: int, item: str) -> JsonResponse:
    """Keep a note. Every member of a production may say one."""
    found, movie = _movie(shot, delivery, item)
    made = review.add(found, movie, request.user, json_body(request))
    return _listed(shot, holding=made)


@require_POST
@with_shot
def answer(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Answer a note by a version, or take the answer back."""
    require_change(request, shot)
    body = json_body(request)
    found = get_object_or_404(shot.notes, pk=whole_number(body, "note"))
    was = body.get("was", ...)
    if body.get("reopen") is True:
        review.reopen(found, was=was)
    else:
        review.answer(found, whole_number(body, "version"), str(body.get("answer", "")), request.user, was=was)
    return _listed(shot, holding=found)


@require_POST
@with_shot
def remove(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Remove a note, or take it back: one's own while nobody has answered it, or any for those who may change the
    shot."""
    body = json_body(request)
    back = body.get("restore") is True
    among = Note._base_manager.filter(shot=shot).exclude(removed=None) if back else shot.notes
    found = get_object_or_404(among, pk=whole_number(body, "note"))
    if found.author != request.user or found.version is not None:
        require_change(request, shot)
    found.removed = None if back else timezone.now()
    found.save(update_fields=["removed"])
    return _listed(shot, holding=found)


@require_GET
@with_shot
def notes(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Notes of a shot, with where each can be looked at: one page of them, or of those that are open."""
    return _listed(shot, _number(request, "page"), only_open="open" in request.GET)


@require_GET
@with_shot
def notes_csv(request: HttpRequest, shot: Shot) -> HttpResponse:
    """All notes as a table."""
    return _download(review.as_csv(review.listed(shot)).encode("utf-8-sig"), f"{shot.code}_notes.csv", "text/csv")


@require_GET
@with_shot
@computed()
def notes_pdf(request: HttpRequest, shot: Shot) -> HttpResponse:
    """Notes with pictures; of many, what a worker has made."""
    name = f"{shot.code}_notes.pdf"
    if not notes_file.is_long(shot):
        body = review.as_pdf(shot, review.listed(shot), request.user.get_username())
        return _download(body, name, "application/pdf")
    path = notes_file.made(shot)
    if path is None:
        raise BadArgument(
            f"Of more than {notes_file.AT_ONCE} notes a worker makes the PDF.", where="notes",
            advice="Have it made under Review, and wait for it.",
        )  # fmt: skip
    return _download(path.read_bytes(), name, "application/pdf")


@require_POST
@with_shot
def notes_order(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Have the PDF of many notes made."""
    notes_file.order(shot, request.user)
    return _listed(shot, whole_number(json_body(request), "page", 1))


def _listed(shot: Shot, page: int = 1, **more: Any) -> JsonResponse:
    return JsonResponse(review.a_page(shot, page, **more) | {"pdf": notes_file.state(shot)})


def _download(body: bytes, name: str, kind: str) -> HttpResponse:
    return HttpResponse(body, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def _number(request: HttpRequest, name: str) -> int:
    """The number of an address, 1 without one. Raises BadArgument."""
    text = request.GET.get(name, "1")
    if not text.isdecimal() or not text.isascii():
        raise BadArgument(f"A {name} is a number.", where=name)
    return int(text[:6])


def _movie(shot: Shot, delivery: int, item: str) -> tuple[Delivery, Item]:
    found = get_object_or_404(
        shot.deliveries.select_related("version__ledger", "shot__production", "element"), pk=delivery
    )
    try:
        return found, review.movie_of(found, item)
    except UnreadableFile as error:
        raise Http404(error.what) from error
