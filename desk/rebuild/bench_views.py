from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.elements.services import frames_on_disk
from desk.rebuild import bench, deep_files, services
from desk.rebuild.models import Ledger
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.viewer.services import viewer_page
from desk.web.limits import computed
from desk.web.requests import finite, json_body, nearest_frame, number, whole_number
from prism.colour.view import ViewTransform
from prism.errors import PrismError
from prism.ledger.document import Ledger as Document
from prism.sources.frame import OpenFrame
from prism.viewing import depth
from prism.viewing.picture import Look

ADDRESSES = ("section", "points", "costs", "facts", "put", "add", "write")


@require_GET
@with_shot
def page(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The bench of what is ordered by depth; what to do first while nothing is."""
    context = head(request, shot, "rebuild")
    try:
        ledger = services.open_ledger(shot)
        frames = frames_on_disk(ledger.element) if ledger else []
        if ledger is None or not frames:
            return render(request, "rebuild/deep_empty.html", context)
        frame = nearest_frame(request.GET.get("frame", ""), frames)
        document = services.parse(shot, ledger.document)
        sources = services.frame_around(ledger, frame)
        begun = bench.begun(document, sources, request.GET.get("row", ""))
    except PrismError as fault:
        return render(request, "rebuild/deep_empty.html", context | {"fault": fault}, status=422)
    if begun is None:
        return render(request, "rebuild/deep_empty.html", context)
    return render(
        request, "rebuild/deep.html", context | {"page": _page(request, shot, ledger, begun, sources, frames, frame)}
    )


def _page(
    request: HttpRequest, shot: Shot, ledger: Ledger, begun: Document, sources: OpenFrame, frames: list[int], frame: int
) -> dict[str, Any]:
    address = shot.address
    shared = viewer_page(shot, sources)
    (group,) = begun.rows
    in_ledger = any(row.id == group.id for row in services.parse(shot, ledger.document).walk())
    return shared | {
        "ledgerId": ledger.pk,
        "ledgerName": ledger.name,
        "ledger": begun.as_json(),
        "row": group.id,
        "inLedger": in_ledger,
        "mayChange": shot.can_be_changed_by(request.user),
        "frames": frames,
        "frame": frame,
        "facts": bench.facts_of(begun, group.id, sources),
        "sources": services.source_list(shot, sources),
        "urls": shared["urls"]
        | {name: reverse(f"rebuild-deep-{name}", kwargs=address) for name in ADDRESSES}
        | {"rebuild": reverse("rebuild", kwargs=address), "work": reverse("work")},
    }


@require_POST
@with_shot
@computed()
def section(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The samples of one pixel."""
    body, document, sources = _asked(request, shot)
    x, y = whole_number(body, "x"), whole_number(body, "y")
    found = depth.section(document, str(body.get("row")), sources, x, y, _look(shot, body))
    slabs = [asdict(slab) for slab in found["slabs"]]
    return JsonResponse(finite({"x": x, "y": y, "slabs": slabs, "gathered": found["gathered"]}))


@require_POST
@with_shot
@computed()
def points(request: HttpRequest, shot: Shot) -> HttpResponse:
    """All samples in space."""
    body, document, sources = _asked(request, shot)
    cloud = bench.points_of(document, str(body.get("row")), sources, _look(shot, body))
    return HttpResponse(cloud, content_type="application/octet-stream")


@require_POST
@with_shot
@computed()
def costs(request: HttpRequest, shot: Shot) -> JsonResponse:
    """What limits of samples would cost."""
    body, document, sources = _asked(request, shot)
    most_error = number(body, "error", 0.01, 0, 1e6)
    return JsonResponse(finite(bench.costs_of(document, str(body.get("row")), sources, most_error)))


@require_POST
@with_shot
@computed()
def facts(request: HttpRequest, shot: Shot) -> JsonResponse:
    """How many samples there are, and where."""
    body, document, sources = _asked(request, shot)
    return JsonResponse(finite(bench.facts_of(document, str(body.get("row")), sources)))


@require_POST
@with_shot
def put(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The group into the ledger."""
    require_change(request, shot)
    body, ledger, document = _posted(request, shot)
    return JsonResponse({"revision": bench.put(ledger, document, str(body.get("row")), request.user)})


@require_POST
@with_shot
def add(request: HttpRequest, shot: Shot) -> JsonResponse:
    """A deep pass, or a picture as a card, into the group; nothing is saved."""
    body, ledger, document = _posted(request, shot)
    added = services.with_pass(ledger, document, str(body.get("source", "")), whole_number(body, "frame"))
    return JsonResponse({"ledger": added.ledger.as_json(), "row": added.row.id, "remark": added.remark})


@require_POST
@with_shot
def write(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The group written as files, by workers."""
    require_change(request, shot)
    body, ledger, document = _posted(request, shot)
    order = deep_files.Order.from_body(body)
    job = deep_files.begin(ledger, document, order, request.user)
    return JsonResponse({"job": job.pk, "title": job.title})


def _posted(request: HttpRequest, shot: Shot) -> tuple[dict[str, Any], Ledger, Document]:
    """What was sent, the ledger it names, and the ledger's document as the page has it."""
    body = json_body(request)
    ledger = get_object_or_404(shot.ledgers.select_related("element"), pk=whole_number(body, "ledgerId"))
    return body, ledger, services.parse(shot, body.get("ledger"))


def _asked(request: HttpRequest, shot: Shot) -> tuple[dict[str, Any], Document, OpenFrame]:
    """What was sent, and the frame that it asks about."""
    body, ledger, document = _posted(request, shot)
    return body, document, services.frame_of(ledger, document, whole_number(body, "frame"))


def _look(shot: Shot, body: dict[str, Any]) -> Look:
    transform = ViewTransform(shot.settings.space, str(body.get("view", "srgb")))
    return Look(transform=transform, stops=number(body, "stops", 0.0, -20, 20))
