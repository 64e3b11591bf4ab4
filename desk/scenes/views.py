"""The scene of a shot: brought in, described, looked at, and taken back."""

from __future__ import annotations

import json

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from desk.scenes import services
from desk.scenes.kinds import are_coming, begin_pictures
from desk.scenes.models import SceneVersion
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.web.requests import json_body
from prism.errors import BadArgument, PrismError
from prism.json_text import MOST_BYTES
from prism.scenes.sheet import CARRIES, FactsSheet


@require_http_methods(["GET", "POST"])
@with_shot
def scene(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The page of a shot's scene: what is in it, seen from the side, and its versions."""
    fault = None
    path = request.POST.get("path", "")
    if request.method == "POST":
        require_change(request, shot)
        try:
            kept = _brought_in(request, shot, path)
            begin_pictures(kept, request.user)
            messages.success(request, f"{kept.name} is the scene of {shot.code} now.")
            return redirect(request.path)
        except PrismError as error:
            fault = error
    try:
        described, scene_fault = services.described(shot), None
    except PrismError as error:
        described, scene_fault = {"version": services.current(shot)}, error
    version = described["version"]
    sheet = version.document if version and version.kind == SceneVersion.Kind.FACTS else _blank_sheet(shot)
    address = shot.address
    page = {
        "sheet": sheet,
        "carries": CARRIES,
        "url": reverse("scene-facts", kwargs=address),
        "mayChange": shot.can_be_changed_by(request.user),
    }
    return render(
        request,
        "scenes/scene.html",
        head(request, shot, "scene")
        | {
            "described": described,
            "scene_fault": scene_fault,
            "fault": fault,
            "path": path,
            "example": f"{shot.folder}/scene.json",  # from a root, as `allowed_file` has it
            "versions": shot.scenes.all(),
            "page": page,
        },
        status=422 if fault else 200,
    )


@require_POST
@with_shot
def facts(request: HttpRequest, shot: Shot) -> JsonResponse:
    """A sheet of facts as it was filled in on the page."""
    require_change(request, shot)
    sheet = FactsSheet.from_json(json_body(request).get("sheet"), where="sheet")
    kept = services.keep(shot, sheet, request.user, "filled in on the page")
    return JsonResponse({"number": kept.number, "fingerprint": kept.fingerprint})


@require_GET
@with_shot
def picture(request: HttpRequest, shot: Shot, camera: str) -> HttpResponse:
    """The scene from one of its cameras; nothing yet (202) while it is being drawn, nothing (404) if that failed."""
    version = services.current(shot)
    if version is None or version.kind != SceneVersion.Kind.FILE:
        raise Http404("There is no scene to be drawn.")
    path = services.require_picture(version, camera)
    if path is None:
        if shot.can_be_changed_by(request.user):  # whoever only looks begins no work
            begin_pictures(version, request.user)
        return HttpResponse(status=202 if are_coming(version) else 404)
    return FileResponse(open(path, "rb"), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=3600"})


@require_GET
@with_shot
def export(request: HttpRequest, shot: Shot, number: int) -> JsonResponse:
    """One of the scenes as a file."""
    version = shot.scenes.filter(number=number).first()
    if version is None:
        raise Http404("There is no such scene.")
    response = JsonResponse(version.document, json_dumps_params={"indent": 1})
    response["Content-Disposition"] = f'attachment; filename="{shot.code}_scene_{number:03}.json"'
    return response


def _brought_in(request: HttpRequest, shot: Shot, path: str) -> SceneVersion:
    """From an upload, from a path of the production, or an earlier one again."""
    upload = request.FILES.get("file")
    if "number" in request.POST:
        text = request.POST["number"]
        return services.take_back(shot, int(text) if text.isdecimal() and len(text) < 9 else 0, request.user)
    if upload is not None:
        if upload.size > MOST_BYTES:
            raise BadArgument(f"{upload.name} is larger than {MOST_BYTES >> 20} MB.", where="file")
        return services.keep(shot, services.read(upload.read(), upload.name), request.user, upload.name)
    if path.strip():
        return services.keep(shot, services.read_stored(path.strip(), shot.production), request.user, path.strip())
    raise BadArgument(
        "Nothing was chosen.", where="scene", advice="Choose a file, or name one in the folder of the production."
    )


def _blank_sheet(shot: Shot) -> dict:
    """A sheet to begin with, with the cameras that the plan names."""
    cameras = [{"name": name} for name in shot.plan.document.get("cameras", ())] or [{"name": "camera"}]
    blank = {"name": shot.title or shot.code, "cameras": cameras}
    return json.loads(json.dumps(FactsSheet.from_json(blank).as_json()))
