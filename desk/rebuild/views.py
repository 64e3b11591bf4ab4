from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.elements.services import frames_on_disk
from desk.plan.measures import to_render_again
from desk.rebuild import layered, services, sweeps
from desk.rebuild.models import Ledger, LedgerVersion
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.viewer.services import viewer_page
from desk.web.limits import computed
from desk.web.requests import finite, json_body, nearest_frame, whole_number
from desk.web.saving import Outdated
from prism.balance.registration import register
from prism.colour.view import ViewTransform
from prism.combine.histogram import of_measure, of_row, of_source
from prism.errors import BadArgument, PrismError
from prism.finish.steps import fields_of_mattes
from prism.json_text import read_json
from prism.ledger.adding import OFFERS
from prism.ledger.copying import copied
from prism.ledger.document import Ledger as Document
from prism.ledger.first import starts_of
from prism.ledger.operators import OPERATORS, Operator
from prism.ledger.rows import kinds_for_page as kinds_of_rows
from prism.ledger.trims import Trims
from prism.ledger.wording import changes
from prism.mattes.offers import drawn_offers
from prism.mattes.parts import MEASURES
from prism.mattes.parts import kinds_for_page as kinds_of_parts
from prism.mattes.picking import picked
from prism.pixels.window import Window
from prism.sources.frame import OpenFrame
from prism.viewing.picture import Look, step_for

OFFERED = 200  # frames to choose from on a page without a picture
HISTOGRAM_WIDTH = 640  # of the picture whose values are counted


@require_GET
@with_shot
def rebuild(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The page of the ledger; that of the ways to begin one while there is none."""
    context = head(request, shot, "rebuild")
    ledger = None
    try:
        ledger = services.open_ledger(shot)
        frames = frames_on_disk(ledger.element) if ledger else []
        if ledger is None or not frames:
            return render(request, "rebuild/empty.html", context | _ways_out(shot, ledger))
        frame = nearest_frame(request.GET.get("frame", ""), frames)
        sources = services.frame_of(ledger, services.parse(shot, ledger.document), frame)
    except PrismError as fault:
        return render(request, "rebuild/empty.html", context | _ways_out(shot, ledger) | {"fault": fault}, status=422)
    return render(
        request,
        "rebuild/rebuild.html",
        context | {"page": _page(request, shot, ledger, sources, frames, frame), "broken": sources.faults},
    )


@require_POST
@with_shot
@computed()
def contributions(request: HttpRequest, shot: Shot) -> JsonResponse:
    """What each row of the ledger on the page adds."""
    body = json_body(request)
    look = Look(transform=_transform(shot, body))
    document = services.parse(shot, body.get("ledger"))
    return JsonResponse(services.contributions_of(document, _sources(shot, body, document), look))


@require_POST
@with_shot
@computed()
def balance(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Whether the ledger on the page lands on what was rendered, and why not."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    thorough = body.get("thorough") is True
    result = services.balance_of(document, _sources(shot, body, document), thorough=thorough)
    return JsonResponse(finite(result))


@require_POST
@with_shot
def sweep(request: HttpRequest, shot: Shot) -> JsonResponse:
    """All frames: begun, stopped, or only asked how far they are; with these rows and the files as they are."""
    body = json_body(request)
    ledger, document = _ledger(shot, body), services.parse(shot, body.get("ledger"))
    act = {"begin": lambda: sweeps.begin(ledger, document, request.user), "stop": lambda: sweeps.stop(ledger, document)}
    if body.get("action") in act:
        require_change(request, shot)
        act[body["action"]]()
    return JsonResponse(sweeps.state(ledger, document))


@require_POST
@with_shot
@computed()
def histogram(request: HttpRequest, shot: Shot) -> JsonResponse:
    """How often values come that the curves of a row get; with `measure`, those that fog goes by; with a source and
    `what` is measured of it, those that the range of a matte goes by."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    sources = _sources(shot, body, document)
    step = step_for(sources.window, HISTOGRAM_WIDTH)
    if "source" in body:
        counted = of_source(sources, str(body["source"]), _measured(body), document.space, step=step)
    else:
        count = of_measure if body.get("measure") is True else of_row
        counted = count(document, str(body.get("row")), sources, step=step)
    return JsonResponse(asdict(counted))


@require_POST
@with_shot
@computed()
def names(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The names of a Cryptomatte with what they cover of this frame, and what was lost to too few levels."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    return JsonResponse(services.names_of(document, _sources(shot, body, document), str(body.get("source"))))


@require_POST
@with_shot
@computed()
def pick(request: HttpRequest, shot: Shot) -> JsonResponse:
    """What a press or a box in the picture tells about a pass."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    sources = _sources(shot, body, document)
    x, y, x1, y1 = (whole_number(body, name) for name in ("x", "y", "x1", "y1"))
    if not (0 <= x <= x1 and 0 <= y <= y1):
        raise BadArgument("That pixel is outside the picture.", where="picture")
    display = sources.display_window
    box = Window(x, y, x1, y1).moved(display.x0, display.y0)
    return JsonResponse(picked(sources, str(body.get("source")), box, measured=_measured(body), space=document.space))


def _measured(body: dict[str, Any]) -> str:
    what = str(body.get("what", "first"))
    if what not in MEASURES:
        raise BadArgument(f"{what[:20]} cannot be measured.", where="what", advice=f"Use {', '.join(MEASURES)}.")
    return what


@require_POST
@with_shot
def save(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Save the ledger on the page, joined with what others saved meanwhile where that does not meet."""
    require_change(request, shot)
    body = json_body(request)
    ledger, document = _ledger(shot, body), services.parse(shot, body.get("ledger"))
    try:
        revision = services.save(ledger, document, whole_number(body, "revision"), request.user)
    except Outdated as error:
        base = services.parse(shot, body["base"]) if isinstance(body.get("base"), dict) else None
        return JsonResponse(
            {"error": error.as_json() | {"theirs": services.theirs(ledger, document, base)}}, status=409
        )
    return JsonResponse({"revision": revision})


@require_POST
@with_shot
def version(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Keep the ledger as a version."""
    require_change(request, shot)
    body = json_body(request)
    comment = str(body.get("comment", ""))[:500]
    document = services.parse(shot, body["ledger"]) if isinstance(body.get("ledger"), dict) else None
    kept = services.keep_version(_ledger(shot, body), request.user, comment, document)
    return JsonResponse(services.version_entry(kept))


@require_GET
@with_shot
def version_document(request: HttpRequest, shot: Shot, ledger: int, number: int) -> JsonResponse:
    """The ledger of a version, to go back to it."""
    kept = get_object_or_404(LedgerVersion, ledger__shot=shot, ledger=ledger, number=number)
    document = services.parse(shot, kept.document)
    now = services.parse(shot, kept.ledger.document)
    return JsonResponse({"ledger": document.as_json(), "changes": changes(document, now)})


@require_POST
@with_shot
def element(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The ledger on other files of the shot; the page goes on with what comes back, and saves it like any change."""
    require_change(request, shot)
    body = json_body(request)
    chosen = get_object_or_404(shot.elements, pk=whole_number(body, "element"))
    document = services.laid_on(_ledger(shot, body), services.parse(shot, body.get("ledger")), chosen)
    return JsonResponse({"ledger": document.as_json()})


@require_POST
@with_shot
def lay(request: HttpRequest, shot: Shot, ledger: int, element: int) -> HttpResponse:
    """The same from a page without a picture."""
    require_change(request, shot)
    kept = get_object_or_404(shot.ledgers, pk=ledger)
    chosen = get_object_or_404(shot.elements, pk=element)
    document = services.laid_on(kept, services.parse(shot, kept.document), chosen)
    services.keep_version(kept, request.user, f"before it was applied to {chosen.name}")
    services.save(kept, document, kept.revision, request.user)
    return redirect("rebuild", production=shot.production.code, shot=shot.code)


@require_POST
@with_shot
@computed()
def first(request: HttpRequest, shot: Shot) -> JsonResponse:
    """A first ledger from the passes there are. Nothing is saved."""
    body = json_body(request)
    ledger = _ledger(shot, body)
    frame, by, denoised = whole_number(body, "frame"), str(body.get("by")), body.get("denoised") is True
    document = services.start_again(ledger, frame, by, denoised=denoised, of_layers=body.get("layers") is True)
    return JsonResponse({"ledger": document.as_json()})


@require_POST
@with_shot
@computed()
def add(request: HttpRequest, shot: Shot) -> JsonResponse:
    """A pass taken into the ledger; the page goes on with what comes back."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    frame, row = whole_number(body, "frame"), str(body.get("row", ""))
    added = services.with_pass(_ledger(shot, body), document, str(body.get("source")), frame, row)
    return JsonResponse({"ledger": added.ledger.as_json(), "row": added.row.id, "remark": added.remark})


@require_POST
@with_shot
def copy(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Rows as the text of a ledger of their own."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    rows = Document.from_json(copied(document, [str(body.get("row"))]), where="row")
    return JsonResponse({"text": json.dumps(services.exported(_ledger(shot, body), rows), indent=2)})


@require_POST
@with_shot
def export(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The ledger as a file for other shots and programs, with the table of its files."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    return JsonResponse(services.exported(_ledger(shot, body), document))


@require_POST
@with_shot
@computed()
def paste(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Rows from the text of a ledger, of whatever shot."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    text = read_json(str(body.get("text", "")), where="what was copied")
    after = str(body.get("row", ""))
    made, remark = services.pasted(_ledger(shot, body), document, text, whole_number(body, "frame"), after)
    return JsonResponse({"ledger": made.as_json(), "remark": remark})


@require_POST
@with_shot
@computed()
def place(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Where an overlay fits the rendered beauty; a suggestion, and nothing more."""
    body = json_body(request)
    document = services.parse(shot, body.get("ledger"))
    row = document.row(str(body.get("row")))
    if not row.has_place or row.source_taken is None:
        raise BadArgument("Only an overlay has a place to be found.", where=row.id)
    found = register(_sources(shot, body, document), row.source_taken, document.beauty)
    return JsonResponse({"x": found.x, "y": found.y, "certainty": found.certainty, "inPlace": found.in_place})


@require_POST
@with_shot
@computed()
def template(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The ledger of another shot, or the text of a file, laid on the passes of this one."""
    body = json_body(request)
    if "text" in body:
        other = Document.from_json(read_json(str(body["text"]), where="file"), where="file")
    else:
        others = Ledger.objects.filter(shot__in=Shot.objects.visible_to(request.user)).select_related("shot")
        kept = get_object_or_404(others, pk=whole_number(body, "template"))
        document = services.parse(kept.shot, kept.document)
        other = Document.from_json(services.exported(kept, document), where="ledger")
    given = body.get("chosen")
    chosen = {str(name): str(source) for name, source in given.items()} if isinstance(given, dict) else {}
    return JsonResponse(services.laid_from(_ledger(shot, body), other, whole_number(body, "frame"), chosen))


def _ways_out(shot: Shot, ledger: Ledger | None) -> dict[str, Any]:
    """What a page says that has no picture: whose files are meant, and which others there are."""
    element = ledger.element if ledger else None
    return {
        "ledger": ledger,
        "element": element,
        "other_frames": frames_on_disk(element)[:OFFERED],
        "other_elements": shot.elements.exclude(pk=element.pk if element else None),
    }


def _page(request, shot: Shot, ledger: Ledger, sources: OpenFrame, frames: list[int], frame: int) -> dict[str, Any]:
    """All that the page's modules need, handed over as JSON."""
    address = shot.address
    newest = ledger.versions.first()
    names = (
        "contributions",
        "balance",
        "save",
        "version",
        "first",
        "element",
        "add",
        "copy",
        "export",
        "paste",
        "place",
        "template",
        "sweep",
        "histogram",
        "names",
        "pick",
    )
    shared = viewer_page(shot, sources)
    return shared | {
        "shot": shot.code,
        "ledgerId": ledger.pk,
        "ledger": services.parse(shot, ledger.document).as_json(),
        **settings_of_kinds(),
        "revision": ledger.revision,
        "version": newest.label if newest else "",
        "versions": [services.version_entry(version) for version in ledger.versions.select_related("author")],
        "element": ledger.element_id,
        "elements": list(shot.elements.values("id", "name")),
        "mayChange": shot.can_be_changed_by(request.user),
        "frames": frames,
        "frame": frame,
        "sources": services.source_list(shot, sources),
        "starts": [
            *layered.starts_of_layers(shot, ledger, frame),
            *(asdict(start) | {"title": start.title, "layers": False} for start in starts_of(sources)),
        ],
        "operators": [operator_entry(operator) for operator in OPERATORS.values()],
        "templates": services.templates_for(shot),
        "renderAgain": to_render_again(shot, len(frames)),
        "row": request.GET.get("row", ""),
        "urls": shared["urls"]
        | {name: reverse(f"rebuild-{name}", kwargs=address) for name in names}
        | {
            "deep": reverse("rebuild-deep", kwargs=address),
            "handoff": reverse("hand-off", kwargs=address),
            "notes": reverse("hand-off-notes", kwargs=address),
            "look": reverse("look", kwargs=address),
        },
    }


def operator_entry(operator: Operator) -> dict[str, Any]:
    """What the page says of an operator."""
    entry = {name: getattr(operator, name) for name in ("key", "title", "sign", "family", "formula", "safe")}
    entry["text"] = operator.title if operator.sign == operator.title else f"{operator.sign}  {operator.title}"
    return entry | {"aboveOne": operator.above_one, "display": operator.made_for_display}


def settings_of_kinds() -> dict[str, Any]:
    """What rows and parts of mattes of each kind can be set to, and what all rows have in common."""
    neutral = Trims().model_dump(mode="json")
    return {
        "kinds": {"rows": kinds_of_rows(), "parts": kinds_of_parts()},
        "trims": neutral,
        "mattesOfSteps": fields_of_mattes(),
        "made": [{"id": key, "text": made.text} for key, made in OFFERS.items()],
        "drawn": [asdict(offer) for offer in drawn_offers()],
    }


def _ledger(shot: Shot, body: dict[str, Any]) -> Ledger:
    return get_object_or_404(shot.ledgers.select_related("element"), pk=whole_number(body, "ledgerId"))


def _sources(shot: Shot, body: dict[str, Any], document: Document) -> OpenFrame:
    return services.frame_of(_ledger(shot, body), document, whole_number(body, "frame"))


def _transform(shot: Shot, body: dict[str, Any]) -> ViewTransform:
    return ViewTransform(shot.settings.space, str(body.get("view", "srgb")))
