from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.elements.services import frames_on_disk
from desk.finish import services
from desk.rebuild.models import Ledger
from desk.rebuild.services import frame_of, open_ledger, parse, source_list, version_entry
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.viewer.services import viewer_page
from desk.web.limits import computed
from desk.web.requests import json_body, nearest_frame, texts, whole_number
from prism.colour.view import ViewTransform
from prism.errors import PrismError
from prism.finish.document import Finish
from prism.finish.steps import fields_of_mattes, kinds_for_page
from prism.json_text import read_json
from prism.ledger.document import Ledger as Document
from prism.mattes.parts import MattePart, StrokesPart
from prism.sources.frame import OpenFrame
from prism.viewing.picture import Look


@require_GET
@with_shot
def page(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The page of the steps; what to do first while there is no picture."""
    context = head(request, shot, "finish")
    try:
        ledger = open_ledger(shot)
        frames = frames_on_disk(ledger.element) if ledger else []
        if ledger is None or not frames:
            return render(request, "finish/empty.html", context)
        frame = nearest_frame(request.GET.get("frame", ""), frames)
        sources = frame_of(ledger, parse(shot, ledger.document), frame)
    except PrismError as fault:
        return render(request, "finish/empty.html", context | {"fault": fault}, status=422)
    shown = _page(request, shot, ledger, sources, frames, frame)
    return render(request, "finish/finish.html", context | {"page": shown})


@require_POST
@with_shot
@computed()
def chain(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The steps of the ledger on the page, as thumbnails and words."""
    body, document, sources = _asked(request, shot)
    look = Look(transform=ViewTransform(shot.settings.space, str(body.get("view", "srgb"))))
    return JsonResponse(services.chain_of(document, sources, look, measured=body.get("measured") is True))


@require_POST
@with_shot
@computed()
def lay(request: HttpRequest, shot: Shot) -> JsonResponse:
    """A preset, or the text of a file, laid on the ledger of the page; nothing is saved."""
    body, document, sources = _asked(request, shot)
    if "text" in body:
        finish = Finish.from_json(read_json(str(body["text"]), where="file"), where="file")
    else:
        finish = services.preset_document(shot.production, str(body.get("preset")))
    return JsonResponse(services.laid(document, finish, sources, keep=body.get("keep") is True))


@require_POST
@with_shot
def export(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The finish of the ledger on the page as a document of its own."""
    return JsonResponse(parse(shot, json_body(request).get("ledger")).finishing.as_json())


@require_POST
@with_shot
def preset(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Steps of the page kept under a name, or a preset taken away; answers with those there are."""
    require_change(request, shot)
    body = json_body(request)
    if "remove" in body:
        shot.production.finish_presets.filter(pk=whole_number(body, "remove")).delete()
    else:
        document = parse(shot, body.get("ledger"))
        services.keep_preset(shot.production, str(body.get("name", "")), document, texts(body, "steps"), request.user)
    return JsonResponse({"presets": services.presets_for(shot.production)})


def _asked(request: HttpRequest, shot: Shot) -> tuple[dict[str, Any], Document, OpenFrame]:
    body = json_body(request)
    document = parse(shot, body.get("ledger"))
    ledger = get_object_or_404(shot.ledgers.select_related("element"), pk=whole_number(body, "ledgerId"))
    return body, document, frame_of(ledger, document, whole_number(body, "frame"))


def _page(
    request: HttpRequest, shot: Shot, ledger: Ledger, sources: OpenFrame, frames: list[int], frame: int
) -> dict[str, Any]:
    """All that the page's modules need, handed over as JSON."""
    address = shot.address
    newest = ledger.versions.first()
    shared = viewer_page(shot, sources)
    return shared | {
        "shot": shot.code,
        "ledgerId": ledger.pk,
        "ledger": parse(shot, ledger.document).as_json(),
        "kinds": {"steps": kinds_for_page()},
        "mattesOfSteps": fields_of_mattes(),
        "blankStrokes": StrokesPart().model_dump(mode="json"),
        "blankMattePart": MattePart(of="matte").model_dump(mode="json"),
        "revision": ledger.revision,
        "version": newest.label if newest else "",
        "versions": [version_entry(version) for version in ledger.versions.select_related("author")],
        "element": ledger.element_id,
        "elements": list(shot.elements.values("id", "name")),
        "mayChange": shot.can_be_changed_by(request.user),
        "frames": frames,
        "frame": frame,
        "step": request.GET.get("step", ""),
        "sources": source_list(shot, sources),
        "presets": services.presets_for(shot.production),
        "urls": shared["urls"]
        | {name: reverse(f"finish-{name}", kwargs=address) for name in ("chain", "lay", "export", "preset")}
        | {name: reverse(f"rebuild-{name}", kwargs=address) for name in ("save", "version")}
        | {"handoff": reverse("hand-off", kwargs=address), "rebuild": reverse("rebuild", kwargs=address)},
    }
