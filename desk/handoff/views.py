from __future__ import annotations

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from desk.elements.services import frames_on_disk
from desk.handoff import services
from desk.handoff.forms import OrderForm
from desk.jobs.models import GOOD
from desk.rebuild.services import open_ledger, parse
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from prism.errors import BadArgument, PrismError
from prism.finish.wording import in_words
from prism.naming.frames import format_frames

SHOWN = 50
FIRST = {"exr": True, "holds": "light", "still": ".png", "view": "film"}
REMEMBERED = (
    "exr",
    "pixel",
    "compression",
    "holds",
    "still",
    "view",
    "bits",
    "alpha",
    "mattes",
)  # of the last order of a shot
ACTIONS = {"again": services.try_again, "cancel": services.cancel}


@require_http_methods(["GET", "POST"])
@with_shot
def handoff(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The page where frames are ordered, and the orders so far."""
    fault, ledger = None, None
    try:
        ledger = open_ledger(shot)
    except PrismError as error:
        fault = error
    frames = frames_on_disk(ledger.element) if ledger else []
    frame = request.GET.get("frame", "") or (str(frames[0]) if frames else "")
    mattes = [matte.id for matte in parse(shot, ledger.document).mattes] if ledger else []
    form = OrderForm(
        request.POST if request.method == "POST" else None,
        mattes=mattes,
        initial=FIRST | request.session.get(_remembered(shot), {}) | {"frames": frame},
    )
    if request.method == "POST" and ledger:
        require_change(request, shot)
        if form.is_valid():
            try:
                services.order(shot, ledger, request.user, *form.wanted(shot.settings.space))
                request.session[_remembered(shot)] = {name: form.cleaned_data[name] for name in REMEMBERED}
                return redirect(request.get_full_path())
            except PrismError as error:
                form.add_error("frames" if error.where == "frames" else None, f"{error.what} {error.advice}")
    return render(
        request,
        "handoff/handoff.html",
        head(request, shot, "hand-off")
        | {
            "form": form,
            "ledger": ledger,
            "words": in_words(parse(shot, ledger.document).finish, frames[0]) if ledger and frames else "",
            "fault": fault,
            "present": format_frames(frames),
            "page": {"deliveries": _listed(shot)}
            | {name: reverse(f"hand-off-{name}", kwargs=_address(shot)) for name in ("progress", "names")},
        },
        status=422 if form.errors else 200,
    )


@require_POST
@with_shot
def names(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Where the files of a filled-in form would be written; why not, if it cannot be."""
    require_change(request, shot)
    ledger = open_ledger(shot)
    form = OrderForm(request.POST, mattes=[matte.id for matte in parse(shot, ledger.document).mattes])
    if not form.is_valid():
        return JsonResponse({"paths": [], "why": " ".join(text for texts in form.errors.values() for text in texts)})
    try:
        paths = services.names_before(shot, ledger, request.user, *form.wanted(shot.settings.space))
    except BadArgument as error:
        return JsonResponse({"paths": [], "why": f"{error.what} {error.advice}"})
    return JsonResponse({"paths": paths, "why": ""})


@require_GET
@with_shot
def progress(request: HttpRequest, shot: Shot) -> JsonResponse:
    """How far the orders of a shot are."""
    return JsonResponse({"deliveries": _listed(shot)})


@require_POST
@with_shot
def act(request: HttpRequest, shot: Shot, delivery: int, action: str) -> JsonResponse:
    """Try a delivery's failed frames again, or cancel those that wait."""
    require_change(request, shot)
    ACTIONS[action](get_object_or_404(shot.deliveries, pk=delivery))
    return JsonResponse({"deliveries": _listed(shot)})


@require_GET
@with_shot
def download(request: HttpRequest, shot: Shot, delivery: int, number: int) -> FileResponse:
    """One written file. Not found if it was moved away since."""
    found = get_object_or_404(shot.deliveries.select_related("version__ledger"), pk=delivery)
    get_object_or_404(found.frames, number=number, state__in=GOOD)
    path = services.path_of(found, number)
    if not path.is_file():
        raise Http404(f"{path.name} was written, but is no longer in {path.parent}.")
    return FileResponse(open(path, "rb"), as_attachment=True, filename=path.name)


def _remembered(shot: Shot) -> str:
    """The name that the choices of a shot go by in a session."""
    return f"hand-off of {shot.pk}"


def _listed(shot: Shot) -> list[dict]:
    listed = []
    deliveries = shot.deliveries.select_related("version__ledger", "job__author", "shot__production")
    for delivery in deliveries.prefetch_related("job__tasks")[:SHOWN]:
        entry = services.progress(delivery)
        for file in entry["files"]:
            file["url"] = reverse(
                "hand-off-file", kwargs=_address(shot) | {"delivery": delivery.pk, "number": file["number"]}
            )
        for action in ACTIONS:
            entry[action] = reverse(f"hand-off-{action}", kwargs=_address(shot) | {"delivery": delivery.pk})
        listed.append(entry)
    return listed


def _address(shot: Shot) -> dict[str, str]:
    return {"production": shot.production.code, "shot": shot.code}
