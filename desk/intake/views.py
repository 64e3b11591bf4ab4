from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.elements.models import Element
from desk.intake import browsing, checks, inventory, looking, services, thumbs, uploads
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.web.files import kept_answer
from desk.web.limits import computed
from desk.web.requests import json_body, whole_number
from prism.colour.spaces import SPACES
from prism.errors import BadArgument
from prism.text import printable


@require_GET
@with_shot
def intake(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The page of what lies in a shot's folders."""
    if shot.can_be_changed_by(request.user):
        services.look_where_changed(shot, request.user)
    address = shot.address
    urls = {
        name: reverse(f"intake-{name}", kwargs=address)
        for name in ("state", "bring", "act", "folders", "set-aside", "upload-begin", "upload-piece")
    }
    page = {
        "state": inventory.state(shot),
        "spaces": list(SPACES.items()),
        "mayChange": shot.can_be_changed_by(request.user),
        "passes": inventory.pass_choices(),
        "shots": inventory.other_shots(shot, request.user),
        "element": request.GET.get("element", ""),
        "urls": urls
        | {
            "thumb": reverse("intake-thumb", kwargs=address | {"element": 0}),
            "edge": reverse("intake-edge", kwargs=address | {"element": 0}),
            "rebuild": reverse("rebuild", kwargs=address),
            "look": reverse("look", kwargs=address),
        },
    }
    return render(request, "intake/intake.html", head(request, shot, "intake") | {"page": page})


@require_GET
@with_shot
def state(request: HttpRequest, shot: Shot) -> JsonResponse:
    """What the page shows, for its next look."""
    return JsonResponse(inventory.state(shot))


@require_POST
@with_shot
def bring(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Import a folder, or a file of it. Raises BadArgument."""
    require_change(request, shot)
    body = json_body(request)
    services.bring_in(shot, str(body.get("folder", "")), str(body.get("name", "")), request.user)
    return JsonResponse(inventory.state(shot))


@require_POST
@with_shot
def upload_begin(request: HttpRequest, shot: Shot) -> JsonResponse:
    """Where each file that is to be sent goes on. Raises BadArgument or TooLarge."""
    require_change(request, shot)
    body = json_body(request)
    files = body.get("files")
    if not isinstance(files, list) or not all(isinstance(file, dict) for file in files):
        raise BadArgument("Say which files will come.", where="upload")
    coming = [
        uploads.Coming(str(file.get("name", "")), whole_number(file, "size"), str(file.get("digest", "")))
        for file in files
    ]
    return JsonResponse(uploads.begin(shot, str(body.get("folder", "")), coming))


@require_POST
@with_shot
def upload_piece(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The body is the piece itself; the address says of which file, and from which byte on."""
    require_change(request, shot)
    asked = {name: request.GET.get(name, "") for name in ("folder", "name", "size", "digest", "at")}
    if not asked["size"].isdecimal() or not asked["at"].isdecimal():
        raise BadArgument("Say how long the file is, and where the piece begins.", where="upload")
    file = uploads.Coming(asked["name"], int(asked["size"]), asked["digest"])
    return JsonResponse(uploads.take(shot, asked["folder"], file, int(asked["at"]), request.body))


@require_GET
@with_shot
def folders(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The folders below one, to choose from. Raises BadArgument."""
    return JsonResponse(browsing.listing(shot, request.GET.get("at", "")))


@require_GET
@with_shot
@computed()
def edge(request: HttpRequest, shot: Shot, element: int) -> HttpResponse:
    """A soft edge of a pass from near, read as premultiplied or as straight."""
    found = get_object_or_404(shot.elements.select_related("shot__production", "shot__plan"), pk=element)
    frame = request.GET.get("frame", "0")
    number = int(frame) if frame.removeprefix("-").isdecimal() else 0
    body = inventory.edge(found, request.GET.get("pass", ""), number, request.GET.get("state", ""))
    return HttpResponse(body, content_type="image/png")


@require_GET
@with_shot
def thumb(request: HttpRequest, shot: Shot, element: int) -> HttpResponse:
    """One pass of a frame, small, as it was made when the frame was read; else from where it is made."""
    picture = thumbs.cached(*_small(request, shot, element))
    if picture is not None:
        return kept_answer(picture, "image/jpeg", seconds=60)
    address = reverse("intake-thumb-made", kwargs=shot.address | {"element": element})
    return HttpResponseRedirect(f"{address}?{request.GET.urlencode()}")


@require_GET
@with_shot
@computed("thumbs", waiting=16)
def thumb_made(request: HttpRequest, shot: Shot, element: int) -> HttpResponse:
    """The same, made now."""
    return kept_answer(thumbs.made(*_small(request, shot, element)), "image/jpeg", seconds=60)


def _small(request: HttpRequest, shot: Shot, element: int) -> tuple[Element, str, int, int]:
    """Which pass of which frame is asked for, and how wide."""
    found = get_object_or_404(shot.elements.select_related("shot__production", "shot__plan"), pk=element)
    frame, width = request.GET.get("frame", "0"), request.GET.get("width", "")
    number = int(frame) if frame.removeprefix("-").isdecimal() else 0
    return found, request.GET.get("pass", ""), number, int(width) if width.isdecimal() else thumbs.THUMBNAIL


@require_POST
@with_shot
def act(request: HttpRequest, shot: Shot) -> JsonResponse:
    """All that an artist can do to what was found. `action` says what."""
    require_change(request, shot)
    body = json_body(request)
    action = ACTIONS.get(str(body.get("action")))
    if action is None:
        raise BadArgument(f"{body.get('action')} is not something to do here.", where="action")
    action(shot, body, request.user)
    return JsonResponse(inventory.state(shot))


@require_POST
@with_shot
def set_aside(request: HttpRequest, shot: Shot) -> HttpResponse:
    """Hide a file that cannot be read, so that the rest of its frame is shown without it."""
    require_change(request, shot)
    hidden = services.set_aside(shot, request.POST.get("file", ""))
    messages.success(request, f"Set aside as {printable(hidden.name)}, in the folder where it was.")
    station = "rebuild" if request.POST.get("back") == "rebuild" else "intake"
    return redirect(station, production=shot.production.code, shot=shot.code)


def _element(shot: Shot, body: dict[str, Any]) -> Element:
    found = shot.elements.select_related("place", "shot__plan", "shot__production")
    return get_object_or_404(found, pk=whole_number(body, "element"))


def _look(shot: Shot, body: dict[str, Any], user) -> None:
    services.look_again(get_object_or_404(shot.places, pk=whole_number(body, "place")), user)


def _check(shot: Shot, body: dict[str, Any], user) -> None:
    services.check_again(_element(shot, body), user)


def _accept(shot: Shot, body: dict[str, Any], user) -> None:
    checks.accept(_element(shot, body), str(body.get("mark", "")), str(body.get("reason", "")), user)


def _reopen(shot: Shot, body: dict[str, Any], user) -> None:
    checks.reopen(_element(shot, body), str(body.get("mark", "")))


def _choose(shot: Shot, body: dict[str, Any], user) -> None:
    chosen = {name: str(body[name]) for name in ("state", "curve", "fit", "primaries") if name in body}
    services.choose(_element(shot, body), str(body.get("pass", "")), user, **chosen)


def _rule(shot: Shot, body: dict[str, Any], user) -> None:
    looking.rule(shot, *(str(body.get(name, "")) for name in ("pattern", "does", "target")))
    services.look_everywhere(shot, user)


def _unrule(shot: Shot, body: dict[str, Any], user) -> None:
    get_object_or_404(shot.name_rules, pk=whole_number(body, "rule")).delete()
    services.look_everywhere(shot, user)


def _take_over(shot: Shot, body: dict[str, Any], user) -> None:
    other = get_object_or_404(Shot.objects.visible_to(user), pk=whole_number(body, "shot"))
    looking.take_over(shot, other)
    services.look_everywhere(shot, user)


def _set_aside(shot: Shot, body: dict[str, Any], user) -> None:
    services.set_aside(shot, str(body.get("file", "")))


def _remove(shot: Shot, body: dict[str, Any], user) -> None:
    services.remove(_element(shot, body))


def _forget(shot: Shot, body: dict[str, Any], user) -> None:
    services.forget(get_object_or_404(shot.places, pk=whole_number(body, "place")))


ACTIONS = {
    "look": _look,
    "check": _check,
    "accept": _accept,
    "reopen": _reopen,
    "choose": _choose,
    "rule": _rule,
    "unrule": _unrule,
    "take-over": _take_over,
    "set-aside": _set_aside,
    "remove": _remove,
    "forget": _forget,
}
