from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.plan import services
from desk.plan.models import Plan
from desk.shots.access import require_change, with_shot
from desk.shots.asking import asked, whole
from desk.shots.models import Shot
from desk.shots.saving import Outdated
from desk.shots.services import stations
from prism.errors import PrismError


@require_GET
@with_shot
def plan(request: HttpRequest, shot: Shot) -> HttpResponse:
    opened = services.open_plan(shot)
    context = {"shot": shot, "stations": stations(shot), "current": "plan"}
    try:
        document = services.parse(opened.document)
        facts = services.facts_for(shot, document)
    except PrismError as fault:
        return render(request, "fault.html", context | {"fault": fault}, status=422)
    address = {"production": shot.production.code, "shot": shot.code}
    page = {
        "plan": opened.document,
        "revision": opened.revision,
        "mayChange": shot.can_be_changed_by(request.user),
        "catalogue": services.catalogue(),
        "presets": services.presets(),
        "groups": list(facts.groups),
        "cameras": list(facts.cameras),
        "labels": list(facts.labels),
        "answer": services.answer(document, facts),
        "urls": {name: reverse(f"plan-{name}", kwargs=address) for name in ("answer", "save", "export")},
    }
    return render(request, "plan/plan.html", context | {"page": page})


@require_POST
@with_shot
def answer(request: HttpRequest, shot: Shot) -> JsonResponse:
    document = services.parse(asked(request).get("plan"))
    return JsonResponse(services.answer(document, services.facts_for(shot, document)))


@require_POST
@with_shot
def save(request: HttpRequest, shot: Shot) -> JsonResponse:
    require_change(request, shot)
    found = asked(request)
    opened = get_object_or_404(Plan, shot=shot)
    try:
        revision = services.save(opened, services.parse(found.get("plan")), whole(found, "revision"))
    except Outdated as error:
        return JsonResponse({"error": error.as_json()}, status=409)
    return JsonResponse({"revision": revision})


@require_GET
@with_shot
def export(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The plan as a file, for scripts and for other shots."""
    response = JsonResponse(services.open_plan(shot).document, json_dumps_params={"indent": 2})
    response["Content-Disposition"] = f'attachment; filename="{shot.code}_plan.json"'
    return response
