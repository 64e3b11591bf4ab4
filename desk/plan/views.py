from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from desk.plan import audits, library, services, versions
from desk.plan.models import Plan, PlanVersion
from desk.scenes.services import known_facts
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.web.requests import json_body, whole_number
from desk.web.saving import Outdated
from prism.errors import PrismError
from prism.plan.plan import Plan as Document
from prism.scenes.facts import SceneFacts

STORAGES = (
    ("colour", "Colour", "half holds light as it is; alpha, values above 1"),
    ("data", "Data", "depth, directions and identities want 32-bit float and nothing lossy"),
    ("deep", "Deep", "only OpenEXR, 32-bit float, with none, rle or zips"),
)
URLS = (
    "answer",
    "save",
    "export",
    "lock",
    "copy",
    "bring-in",
    "audit",
    "name",
    "side",
    "mist",
    "measure",
    "limits",
    "presets",
    "preset",
    "sizes",
)


@require_GET
@with_shot
def plan(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The newest plan to work on, or one of its locked versions to look at."""
    opened = services.open_plan(shot)
    version = _version(request, opened)
    context = head(request, shot, "plan")
    try:
        document = services.parse((version or opened).document)
    except PrismError as fault:
        return render(request, "fault.html", context | {"fault": fault}, status=422)
    facts, scene_fault = known_facts(shot, document.cameras)
    answered = services.answer(shot, document)
    address = shot.address
    others = Shot.objects.visible_to(request.user).filter(production=shot.production).exclude(pk=shot.pk)
    page = {
        "plan": document.as_json(),
        "revision": opened.revision,
        "viewing": version.number if version else None,
        "versions": list(opened.versions.values("number", "reason")),
        "mayChange": version is None and shot.can_be_changed_by(request.user),
        "catalogue": services.catalogue(),
        "choices": services.choices(),
        "formats": services.formats(),
        "presets": library.listed(library.presets_of(shot.production)),
        "sizes": library.sizes_of(shot.production),
        "shots": [other.code for other in others],
        "scene": _scene(facts),
        "sceneFault": scene_fault.as_json() if scene_fault else None,
        "audit": audits.newest(shot),
        "answer": answered,
        "urls": {name: reverse(f"plan-{name}", kwargs=address) for name in URLS}
        | {"scene": reverse("scene", kwargs=address)},
    }
    return render(request, "plan/plan.html", context | {"page": page, "storages": STORAGES})


@require_POST
@with_shot
def answer(request: HttpRequest, shot: Shot) -> JsonResponse:
    """What a plan on the page comes to: files, findings and estimates. Nothing is saved."""
    return JsonResponse(services.answer(shot, _asked(request, shot, json_body(request))))


@require_POST
@with_shot
def save(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Save a plan, unless somebody else did meanwhile."""
    require_change(request, shot)
    body = json_body(request)
    opened = get_object_or_404(Plan, shot=shot)
    try:
        revision = services.save(opened, services.parse(body.get("plan")), whole_number(body, "revision"))
    except (Outdated, versions.Locked, services.ForeignPlan) as error:
        return JsonResponse({"error": error.as_json()}, status=409)
    return JsonResponse({"revision": revision})


@require_POST
@with_shot
def lock(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The plan as saved is what was rendered: keep it so."""
    require_change(request, shot)
    opened = services.open_plan(shot)
    versions.lock(opened)
    return JsonResponse({"versions": list(opened.versions.values("number", "reason"))})


@require_POST
@with_shot
def copy(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Lay the plan on another shot of the production."""
    body = json_body(request)
    others = Shot.objects.visible_to(request.user).filter(production=shot.production).exclude(pk=shot.pk)
    target = get_object_or_404(others, code=str(body.get("shot", "")))
    require_change(request, target)
    copied = versions.copy_to(services.parse(body.get("plan")), target)
    address = reverse("plan", kwargs={"production": target.production.code, "shot": target.code})
    return JsonResponse({"url": address, "number": copied.document["number"]})


@require_http_methods(["GET", "POST"])
@with_shot
def audit(request: HttpRequest, shot: Shot) -> JsonResponse:
    """POST: have the plan's files read to their ends and compared with it. GET: how far that is, and what was found."""
    if request.method == "POST":
        require_change(request, shot)
        audits.begin(shot, services.parse(json_body(request).get("plan")), request.user)
    return JsonResponse({"audit": audits.newest(shot)})


@require_POST
@with_shot
def bring_in(request: HttpRequest, shot: Shot) -> JsonResponse:
    """A plan from a file in the place of this one, as a new version."""
    require_change(request, shot)
    body = json_body(request)
    try:
        services.bring_in(shot, body.get("plan"), take_over=bool(body.get("takeOver")))
    except services.ForeignPlan as foreign:
        return JsonResponse({"error": foreign.as_json()}, status=409)
    return JsonResponse({"url": reverse("plan", kwargs=shot.address)})


@require_POST
@with_shot
def name(request: HttpRequest, shot: Shot) -> JsonResponse:
    """What an existing file name says, read by the plan's pattern; values is null if it does not follow it."""
    body = json_body(request)
    document = _asked(request, shot, body)
    return JsonResponse({"values": services.read_name(shot, document, str(body.get("path", "")))})


@require_GET
@with_shot
def export(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The plan as a file, for scripts and for other shots."""
    opened = services.open_plan(shot)
    document = services.parse((_version(request, opened) or opened).document)
    response = JsonResponse(document.as_json(), json_dumps_params={"indent": 2})
    response["Content-Disposition"] = f'attachment; filename="{shot.code}_plan_v{document.number:03}.json"'
    return response


def _asked(request: HttpRequest, shot: Shot, body: dict[str, Any]) -> Document:
    """The plan of a request; for those who only look, the one that is there."""
    return services.parse(body.get("plan") if shot.can_be_changed_by(request.user) else shot.plan.document)


def _version(request: HttpRequest, opened: Plan) -> PlanVersion | None:
    wanted = request.GET.get("version", "")
    if not wanted:
        return None
    if not wanted.isdecimal():
        raise Http404("There is no such version.")
    return get_object_or_404(PlanVersion, plan=opened, number=int(wanted))


def _scene(facts: SceneFacts) -> dict[str, Any]:
    return {
        "name": facts.name,
        "groups": list(facts.groups),
        "cameras": [{"name": name, "working": name in facts.working_views} for name in facts.cameras],
        "lights": [{"name": light.name, "kind": light.kind, "label": light.label} for light in facts.lights],
        "mist": facts.mist.model_dump() if facts.mist else None,
        "reach": {name: camera.reach for name, camera in facts.cameras.items()},
    }
