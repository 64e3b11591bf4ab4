"""What the Plan page asks about the scene: its side view, its mist, and how long a frame takes."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET, require_http_methods
from pydantic import ValidationError

from desk.plan import limits as deep_limits
from desk.plan import measures, services
from desk.plan.kinds import begin_measuring
from desk.scenes import services as scenes
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.web.files import kept_answer
from desk.web.requests import json_body
from prism.documents import spoken_fault
from prism.errors import BadArgument
from prism.scenes.mist import Mist


@require_GET
@with_shot
def side(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The scene seen from the side, for the layers of the plan."""
    return JsonResponse(scenes.seen_from_the_side(shot, _frame(request, shot), request.GET.get("camera", "")))


@require_GET
@with_shot
def mist(request: HttpRequest, shot: Shot) -> HttpResponse:
    """How the mist of a plan looks through a camera."""
    found = {name: request.GET.get(name, "") for name in ("near", "far", "power")}
    try:
        setting = Mist.model_validate(found)
    except ValidationError as error:
        raise BadArgument("This is not a mist.", where="mist", advice=spoken_fault(error.errors()[0])) from None
    picture = scenes.mist_picture(shot, _frame(request, shot), request.GET.get("camera", ""), setting)
    return kept_answer(picture, "image/png", seconds=60)


@require_http_methods(["GET", "POST"])
@with_shot
def measure(request: HttpRequest, shot: Shot) -> JsonResponse:
    """POST: have a small frame rendered by a worker. GET: the newest frame measured so far."""
    if request.method == "POST":
        require_change(request, shot)
        camera = scenes.scene_of(shot).camera(str(json_body(request).get("camera", ""))).name
        begin_measuring(shot, camera, request.user)
    document = services.parse(services.open_plan(shot).document)
    return JsonResponse({"time": measures.estimate(shot, document)})


@require_http_methods(["GET", "POST"])
@with_shot
def limits(request: HttpRequest, shot: Shot) -> JsonResponse:
    """POST: have workers measure what limits of deep samples cost. GET: what is known of that, and which pair is the
    cheapest within an error."""
    if request.method == "POST":
        require_change(request, shot)
        camera = scenes.scene_of(shot).camera(str(json_body(request).get("camera", ""))).name
        deep_limits.begin(shot, camera, request.user)
        return JsonResponse({"limits": None})
    try:
        error = float(request.GET.get("error", "0.01"))
    except ValueError:
        raise BadArgument("The error is a number.", where="error", advice="Use 0 or more.") from None
    return JsonResponse({"limits": deep_limits.measured(shot, request.GET.get("camera", ""), error)})


def _frame(request: HttpRequest, shot: Shot) -> int:
    """One of the shot's frames, so that nobody has endless others drawn."""
    text = request.GET.get("frame", "")
    frame = int(text) if text.removeprefix("-").isdecimal() and len(text) < 10 else shot.frames[0]
    return frame if frame in shot.frames else shot.frames[0]
