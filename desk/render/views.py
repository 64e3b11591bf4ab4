from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.jobs import engine
from desk.jobs.models import Task
from desk.plan.services import open_plan
from desk.render import comparing, services
from desk.render.models import Run
from desk.scenes.services import current, known_facts
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.viewer.services import viewer_page
from desk.web.files import kept_answer
from desk.web.limits import computed
from desk.web.requests import json_body, texts, whole_number
from prism.errors import BadArgument, PrismError
from prism.plan.plan import Plan
from prism.plan.showing import for_plan

ACTIONS = {"cancel": services.cancel, "resume": services.resume}


@require_GET
@with_shot
def render_station(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The page where runs are ordered and watched."""
    context = head(request, shot, "render")
    try:
        plan = Plan.from_json(open_plan(shot).document, where="plan")
    except PrismError as fault:
        return render(request, "fault.html", context | {"fault": fault}, status=422)
    facts, scene_fault = known_facts(shot, plan.cameras)
    labels = for_plan(facts, plan).labels
    scene = current(shot)
    address = shot.address
    names = ("start", "progress", "change", "compare", "difference")
    page = {
        "mayChange": shot.can_be_changed_by(request.user),
        "frames": plan.shot.frames,
        "version": plan.number,
        "layers": [layer.name for layer in plan.layers],
        "labels": list(labels),
        "scene": {"kind": scene.kind, "name": scene.name} if scene else None,
        "sceneFault": scene_fault.as_json() if scene_fault else None,
        "progress": _progress(shot, request.GET.get("run", "")),
        "urls": {name: reverse(f"render-{name}", kwargs=address) for name in names}
        | {name: reverse(f"render-{name}", kwargs=address | {"pk": 0}) for name in ("frame", "picture")},
        "picture": viewer_page(shot),
    }
    return render(request, "render/render.html", context | {"page": page})


@require_POST
@with_shot
def start(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Begin a run. Raises BadArgument, with nothing begun."""
    require_change(request, shot)
    body = json_body(request)
    wanted = services.RunRequest(
        frames=str(body.get("frames", "")),
        every=whole_number(body, "every", 1),
        only_missing=bool(body.get("onlyMissing", True)),
        layers=texts(body, "layers"),
        light_groups=texts(body, "lightGroups"),
        priority=whole_number(body, "priority", 0),
        new_version=body.get("newVersion") is True,
    )
    run = services.begin(shot, request.user, wanted)
    return JsonResponse(_progress(shot, str(run.pk)))


@require_GET
@with_shot
def progress(request: HttpRequest, shot: Shot) -> JsonResponse:
    """How far the runs of a shot are."""
    return JsonResponse(_progress(shot, request.GET.get("run", "")))


@require_POST
@with_shot
def change(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Cancel or resume a run, or let it go first."""
    require_change(request, shot)
    body = json_body(request)
    run = get_object_or_404(shot.runs, pk=whole_number(body, "run"))
    action = body.get("action")
    if action == "priority":
        engine.put_first(run.job, whole_number(body, "priority"))
    elif action in ACTIONS:
        ACTIONS[action](run)
    else:
        raise BadArgument(f"{action} is not something to do with a run.", where="action")
    return JsonResponse(_progress(shot, str(run.pk)))


@require_GET
@with_shot
def frame(request: HttpRequest, shot: Shot, pk: int) -> JsonResponse:
    """What is known of one frame of a run."""
    return JsonResponse(services.detail(_frame(shot, pk)))


@require_GET
@with_shot
@computed("thumbs", waiting=16)
def picture(request: HttpRequest, shot: Shot, pk: int) -> HttpResponse:
    """The beauty of a rendered frame, small."""
    key, denoised = request.GET.get("pass", "beauty"), request.GET.get("denoised") == "1"
    return kept_answer(comparing.picture_of(_frame(shot, pk), key, denoised=denoised), "image/jpeg", seconds=5)


@require_GET
@with_shot
def compare(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Two rendered frames beside each other, in numbers."""
    return JsonResponse(comparing.comparison(*_two(request, shot)))


@require_GET
@with_shot
@computed()
def difference(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The difference of two rendered frames as a picture."""
    return HttpResponse(comparing.difference_jpeg(*_two(request, shot)), content_type="image/jpeg")


def _progress(shot: Shot, wanted: str) -> dict:
    run = shot.runs.filter(pk=int(wanted)).first() if wanted.isdecimal() else shot.runs.first()
    return {
        "runs": services.summaries(shot),
        "wall": services.wall(run) if run else None,
        "workers": engine.running_workers(),
        "outdated": services.outdated(shot),
    }


def _frame(shot: Shot, pk: int) -> Task:
    tasks = Task.objects.filter(job__kind=services.KIND, job__shot=shot)
    return get_object_or_404(tasks.select_related("job__run__shot__production", "job__run__scene"), pk=pk)


def _two(request: HttpRequest, shot: Shot) -> tuple[Run, Run, comparing.ComparedPass]:
    keys = [request.GET.get(name, "") for name in ("a", "b")]
    if not all(key.isdecimal() for key in keys):
        raise BadArgument("Choose two runs.", where="compare")
    first, second = (get_object_or_404(shot.runs, pk=int(key)) for key in keys)
    number = request.GET.get("frame", "")
    wanted = comparing.ComparedPass(
        number=int(number) if number.removeprefix("-").isdecimal() else None,
        layer=request.GET.get("layer", ""), camera=request.GET.get("camera", ""), key=request.GET.get("pass", "beauty"),
    )  # fmt: skip
    return first, second, wanted
