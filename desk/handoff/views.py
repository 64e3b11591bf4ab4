from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.elements.services import document_of, frames_on_disk
from desk.handoff import boards, previews, services
from desk.handoff.board_views import listed as listed_boards
from desk.handoff.board_views import templates as board_templates
from desk.handoff.models import Delivery
from desk.rebuild.models import Ledger
from desk.rebuild.services import open_ledger, parse
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.web.files import file_answer, kept_answer
from desk.web.limits import computed
from desk.web.requests import json_body, whole_number
from prism.delivery.document import Delivery as Document
from prism.delivery.encodings.table import kinds_for_page
from prism.errors import PrismError, UnreadableFile
from prism.finish.wording import in_words
from prism.naming.frames import format_frames
from prism.viewing.picture import encoded

SHOWN = 30  # deliveries


@require_GET
@with_shot
def handoff(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The page where deliveries are put together and ordered, and those so far."""
    fault, ledger = None, None
    try:
        ledger = open_ledger(shot)
    except PrismError as error:
        fault = error
    frames = frames_on_disk(ledger.element) if ledger else []
    context = head(request, shot, "hand-off") | {
        "ledger": ledger,
        "fault": fault,
        "present": format_frames(frames),
        "words": in_words(parse(shot, ledger.document).finish, frames[0]) if ledger and frames else "",
        "page": _page(request, shot, ledger, frames),
    }
    return render(request, "handoff/handoff.html", context)


def _page(request: HttpRequest, shot: Shot, ledger: Ledger | None, frames: list[int]) -> dict[str, Any]:
    document, ordered, revision = services.draft_of(shot)
    asked = request.GET.get("frame", "")
    shared = ("order", "names", "preview", "draft", "preset", "progress", "board-new", "notes")
    return {
        "document": document.as_json(),
        "revision": revision,
        "frames": asked or ordered or (str(frames[0]) if frames else ""),
        "present": format_frames(frames),
        "kinds": kinds_for_page(),
        "choices": _choices(shot, ledger) if ledger else {},
        "presets": services.presets_for(shot.production),
        "boards": listed_boards(shot),
        "templates": board_templates(),
        "deliveries": _listed(shot),
        "mayChange": shot.production.can_be_changed_by(request.user),
        "urls": {name: reverse(f"hand-off-{name}", kwargs=shot.address) for name in shared},
    }


def _choices(shot: Shot, ledger: Ledger) -> dict[str, Any]:
    """The passes and mattes that items can name."""
    laid = parse(shot, ledger.document)
    passes = document_of(ledger.element).passes if ledger.element else ()
    name = ledger.element.name if ledger.element else ""
    return {
        "passes": [{"key": f"{name}/{pass_.key}", "title": pass_.title} for pass_ in passes],
        "mattes": [{"key": matte.id, "title": matte.id} for matte in laid.mattes],
        **boards.choices(shot),
        "boards": [{"key": name, "title": name} for name in shot.boards.values_list("name", flat=True)],
    }


@require_POST
@with_shot
def order(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Order what the page has put together."""
    require_change(request, shot)
    frames, document = _asked(request)
    services.order(shot, _ledger(shot), request.user, frames, document)
    return JsonResponse({"deliveries": _listed(shot)})


@require_POST
@with_shot
def names(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Where the files would be written, by item; why not, if they cannot be."""
    require_change(request, shot)
    try:
        frames, document = _asked(request)
        named = services.names_before(shot, _ledger(shot), request.user, frames, document)
    except PrismError as error:
        return JsonResponse({"items": [], "folder": "", "why": error.as_json()})
    return JsonResponse({**named, "why": None})


@require_POST
@with_shot
@computed()
def preview(request: HttpRequest, shot: Shot) -> JsonResponse:
    """One item of the page as it would be written."""
    require_change(request, shot)
    frames, document = _asked(request)
    return JsonResponse(previews.ahead(shot, _ledger(shot), request.user, frames, document))


@require_GET
@with_shot
@computed("thumbs")
def picture(request: HttpRequest, shot: Shot, delivery: int, item: str, size: str) -> HttpResponse:
    """What was written of an item, as a picture. Not found if it was moved away since."""
    found = _delivery(shot, delivery)
    try:
        codes = previews.delivered(found, item, size if size in previews.SIZES else "small")
    except UnreadableFile as error:
        raise Http404(error.what) from error
    return kept_answer(*encoded(codes), seconds=3600)


@require_POST
@with_shot
def draft(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Keep what the page is set to."""
    require_change(request, shot)
    frames, document = _asked(request)
    revision = services.save_draft(shot, document, frames, whole_number(json_body(request), "revision"))
    return JsonResponse({"revision": revision})


@require_POST
@with_shot
def preset(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Keep the items of the page under a name, or forget a preset of the production."""
    require_change(request, shot)
    body = json_body(request)
    if "remove" in body:
        shot.production.delivery_presets.filter(pk=body["remove"] if isinstance(body["remove"], int) else 0).delete()
    else:
        _, document = _asked(request)
        services.keep_preset(shot.production, str(body.get("name", "")), document, request.user)
    return JsonResponse({"presets": services.presets_for(shot.production)})


@require_GET
@with_shot
def progress(request: HttpRequest, shot: Shot) -> JsonResponse:
    """How far the deliveries of a shot are."""
    return JsonResponse({"deliveries": _listed(shot)})


@require_POST
@with_shot
def act(request: HttpRequest, shot: Shot, delivery: int, action: str) -> JsonResponse:
    """Try what failed again, cancel what waits, or close without the frames that failed."""
    require_change(request, shot)
    services.ACTIONS[action](_delivery(shot, delivery))
    return JsonResponse({"deliveries": _listed(shot)})


@require_GET
@with_shot
def download(request: HttpRequest, shot: Shot, delivery: int, file: str) -> HttpResponse:
    """One written file, or a part of it as players ask for. Not found if it was moved away since."""
    found = _delivery(shot, delivery)
    try:
        path = services.file_of(found, file)
    except UnreadableFile as error:
        raise Http404(error.what) from error
    if not path.is_file():
        raise Http404(f"{path.name} was written, but is no longer in {path.parent}.")
    return file_answer(request, path, inline=bool(request.GET.get("show")))


def _asked(request: HttpRequest) -> tuple[str, Document]:
    body = json_body(request)
    return str(body.get("frames", "")), Document.from_json(body.get("document"))


def _ledger(shot: Shot) -> Ledger:
    ledger = open_ledger(shot)
    if ledger is None:
        raise UnreadableFile("There is no ledger yet.", advice="Import rendered passes first, then rebuild.")
    return ledger


def _delivery(shot: Shot, pk: int) -> Delivery:
    return get_object_or_404(shot.deliveries.select_related("version__ledger", "shot__production"), pk=pk)


def _listed(shot: Shot) -> list[dict[str, Any]]:
    listed = []
    deliveries = shot.deliveries.select_related(
        "version__ledger", "job__author", "job__after", "closing__after", "shot__production", "element"
    )
    for delivery in deliveries.prefetch_related("job__tasks", "closing__tasks")[:SHOWN]:
        entry = services.progress(delivery)
        address = shot.address | {"delivery": delivery.pk}
        for item in entry["items"]:
            if item["kind"] == "movie" and item["files"]:
                item["review"] = reverse("hand-off-review", kwargs=address | {"item": item["id"]})
            if item["pictured"]:
                item["pictures"] = {
                    size: reverse("hand-off-picture", kwargs=address | {"item": item["id"], "size": size})
                    for size in previews.SIZES
                }
            item["files"] = [
                {"name": name, "url": reverse("hand-off-file", kwargs=address | {"file": name})}
                for name in item["files"]
            ]
        entry |= {action: reverse(f"hand-off-{action}", kwargs=address) for action in services.ACTIONS}
        listed.append(entry)
    return listed
