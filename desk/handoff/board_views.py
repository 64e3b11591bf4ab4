from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.handoff import boards
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.web.files import kept_answer
from desk.web.limits import computed
from desk.web.requests import json_body, whole_number
from prism.errors import BadDocument
from prism.fields import settings_of
from prism.finish.steps import kinds_for_page as steps_for_page
from prism.json_text import read_json
from prism.sheets.boards.costs import MOST_IN_A_PREVIEW
from prism.sheets.boards.document import Board as Document
from prism.sheets.boards.elements import FilePicture, Shadow, ShotPicture, kinds_for_page
from prism.sheets.boards.render import board_page
from prism.sheets.boards.templates import TEMPLATES
from prism.viewing.picture import encode, encoded

PREVIEW = 1600  # pixels across of a board as it is written


@require_GET
@with_shot
def board(request: HttpRequest, shot: Shot, board: int) -> HttpResponse:
    """The editor of a board."""
    found = get_object_or_404(shot.boards, pk=board)
    address = shot.address
    own = ("save", "preview")
    document = boards.parsed(found)
    page: dict[str, Any] = {
        "document": document.as_json(),
        "remarks": document.remarks,
        "revision": found.revision,
        "kinds": kinds_for_page(),
        "settings": settings_of(Document),
        "shadow": {"settings": settings_of(Shadow), "usual": Shadow().model_dump(mode="json")},
        "steps": _steps(),
        "choices": boards.choices(shot),
        "shot": shot.code,
        "mayChange": shot.production.can_be_changed_by(request.user),
        "urls": {name: reverse(f"hand-off-board-{name}", kwargs=address | {"board": found.pk}) for name in own}
        | {"picture": reverse("hand-off-board-picture", kwargs=address), "back": reverse("hand-off", kwargs=address)},
    }
    return render(request, "handoff/board.html", head(request, shot, "hand-off") | {"page": page, "board": found})


@require_POST
@with_shot
def new(request: HttpRequest, shot: Shot) -> JsonResponse:
    """A board from a template, a copy of another, or from a file's text; its address."""
    require_change(request, shot)
    body = json_body(request)
    if "text" in body:
        made = boards.keep(
            shot, Document.from_json(read_json(str(body["text"]), where="file"), where="file"), request.user
        )
    else:
        made = boards.make(shot, str(body.get("template", "")), request.user)
    return JsonResponse({"url": reverse("hand-off-board", kwargs=shot.address | {"board": made.pk})})


@require_POST
@with_shot
def save(request: HttpRequest, shot: Shot, board: int) -> JsonResponse:
    """Save a board as the page has it."""
    require_change(request, shot)
    found = get_object_or_404(shot.boards, pk=board)
    body = json_body(request)
    document = Document.from_json(body.get("document"), where="board")
    revision = boards.save(found, document, whole_number(body, "revision"), request.user)
    return JsonResponse({"revision": revision, "remarks": document.remarks})


@require_POST
@with_shot
def remove(request: HttpRequest, shot: Shot, board: int) -> JsonResponse:
    """Take a board away, or back; what was written of it stays."""
    require_change(request, shot)
    if json_body(request).get("restore") is True:
        boards.restore(shot, board)
    else:
        boards.remove(get_object_or_404(shot.boards, pk=board))
    return JsonResponse({"boards": listed(shot)})


@require_POST
@with_shot
@computed()
def preview(request: HttpRequest, shot: Shot, board: int) -> HttpResponse:
    """A board as it is written, with fewer dots."""
    get_object_or_404(shot.boards, pk=board)
    document = Document.from_json(json_body(request).get("document"), where="board")
    shrink = min(1.0, PREVIEW / max(document.size))
    page = board_page(document, boards.loader(shot.production, shot), shrink=shrink, most=MOST_IN_A_PREVIEW)
    return HttpResponse(encode(page.with_words, "png"), content_type="image/png")


@require_GET
@with_shot
@computed()
def picture(request: HttpRequest, shot: Shot) -> HttpResponse:
    """One picture of a board, small. Raises BadDocument, and what loading raises."""
    asked = {name: value for name, value in request.GET.items() if value}
    try:
        source = FilePicture(**asked) if asked.get("kind") == "file" else ShotPicture(**asked)  # type: ignore[arg-type]
    except ValueError as error:
        raise BadDocument("This is not a picture.", where="board") from error
    codes = boards.small(boards.loader(shot.production, shot)(source, boards.SMALL))
    return kept_answer(*encoded(codes), seconds=60)


def listed(shot: Shot) -> list[dict[str, Any]]:
    """The boards of a shot, for the page of Hand-off."""
    entries = []
    for found in shot.boards.all():
        address = shot.address | {"board": found.pk}
        entries.append(
            {
                "id": found.pk,
                "name": found.name,
                "url": reverse("hand-off-board", kwargs=address),
                "remove": reverse("hand-off-board-remove", kwargs=address),
            }
        )
    return entries


def templates() -> list[dict[str, str]]:
    """Boards to begin with."""
    return [{"key": key, "title": template.name} for key, template in TEMPLATES.items()]


def _steps() -> list[dict[str, Any]]:
    """Steps that adjust a whole sheet: those that work on display values and ask for nothing else."""
    known = steps_for_page().items()
    return [{"kind": kind, **step} for kind, step in known if step["domains"][0] == "display"]
