"""Presets and sizes that a production keeps, changed from the Plan page."""

from __future__ import annotations

from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_GET, require_POST

from desk.plan import library, services
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.web.requests import json_body, whole_number
from prism.errors import BadArgument
from prism.plan.presets import find


@require_POST
@with_shot
def presets(request: HttpRequest, shot: Shot) -> JsonResponse:
    """keep, rename, duplicate, delete or bring-in; the answer lists the presets there are then."""
    require_change(request, shot)
    body, production = json_body(request), shot.production
    name, new = str(body.get("name", "")), str(body.get("new", "")).strip()
    match body.get("action"):
        case "keep":
            base = body.get("base") or None
            purpose = str(body.get("purpose", ""))
            library.keep(production, services.parse(body.get("plan")), new, purpose, base and str(base))
        case "rename":
            library.rename(production, name, new)
        case "duplicate":
            library.duplicate(production, name, new)
        case "delete":
            library.delete(production, name)
        case "bring-in":
            library.bring_in(production, body.get("preset"))
        case other:
            raise BadArgument(f"{other} is not something to do with a preset.", where="action")
    return JsonResponse({"presets": library.listed(library.presets_of(production))})


@require_GET
@with_shot
def preset(request: HttpRequest, shot: Shot) -> JsonResponse:
    """One preset as a file."""
    chosen = find(request.GET.get("name", ""), library.presets_of(shot.production))
    response = JsonResponse(chosen.as_json(), json_dumps_params={"indent": 2})
    safe = "".join(sign if sign.isascii() and sign.isalnum() else "_" for sign in chosen.name)
    response["Content-Disposition"] = f'attachment; filename="preset_{safe}.json"'
    return response


@require_POST
@with_shot
def sizes(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Keep a size under a title, or drop it."""
    require_change(request, shot)
    body, title = json_body(request), str(json_body(request).get("title", "")).strip()
    if body.get("action") == "drop":
        library.drop_size(shot.production, title)
    else:
        library.keep_size(shot.production, title, whole_number(body, "width"), whole_number(body, "height"))
    return JsonResponse({"sizes": library.sizes_of(shot.production)})
