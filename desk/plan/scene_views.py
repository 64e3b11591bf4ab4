"""What the Plan page asks about the scene: its side view, its mist, and how long a frame takes."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET, require_http_methods
from kombu.exceptions import OperationalError
from pydantic import ValidationError

from desk.plan import measures, scenes, services
from desk.plan.tasks import measure_frame
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.shots.requests import json_body
from prism.depth.mist import Mist
from prism.errors import BadArgument


@require_GET
@with_shot
def side(request: HttpRequest, shot: Shot) -> JsonResponse:
    return JsonResponse(scenes.seen_from_the_side(shot, _frame(request, shot), request.GET.get("camera", "")))


@require_GET
@with_shot
def mist(request: HttpRequest, shot: Shot) -> HttpResponse:
    found = {name: request.GET.get(name, "") for name in ("start", "depth", "falloff")}
    try:
        setting = Mist.model_validate(found)
    except ValidationError as error:
        raise BadArgument("This is not a mist.", where="mist", advice=error.errors()[0]["msg"]) from None
    picture = scenes.mist_picture(shot, _frame(request, shot), request.GET.get("camera", ""), setting)
    return HttpResponse(picture, content_type="image/png", headers={"Cache-Control": "private, max-age=60"})


@require_http_methods(["GET", "POST"])
@with_shot
def measure(request: HttpRequest, shot: Shot) -> JsonResponse:
    """POST: have a small frame rendered by a worker. GET: the newest frame measured so far."""
    if request.method == "POST":
        require_change(request, shot)
        camera = scenes.scene_of(shot).camera(str(json_body(request).get("camera", ""))).name
        try:
            measure_frame.apply_async((shot.pk, camera), retry=False)
        except OperationalError:
            raise BadArgument(
                "The queue does not answer.", where="measure", advice="Start it with ./eager start."
            ) from None
    document = services.parse(services.open_plan(shot).document)
    return JsonResponse({"time": measures.estimate(shot, document)})


def _frame(request: HttpRequest, shot: Shot) -> int:
    text = request.GET.get("frame", "")
    return int(text) if text.removeprefix("-").isdecimal() else shot.first
