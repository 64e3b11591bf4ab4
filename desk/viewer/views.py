from __future__ import annotations

import time
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.elements.models import Element
from desk.elements.services import frames_on_disk
from desk.shots.access import with_shot
from desk.shots.models import Shot
from desk.stations.head import head
from desk.viewer import services
from desk.viewer.newest import claim_newest
from desk.viewer.registry import Asked, Opened
from desk.viewer.registry import opened as open_subject
from desk.web.limits import computed, computes, computing
from desk.web.requests import finite, json_body, nearest_frame, number, texts, whole_number
from prism.colour.view import ViewTransform
from prism.errors import BadArgument, PrismError, Superseded
from prism.pixels.window import Window
from prism.viewing.marks import MARKS
from prism.viewing.picture import Look
from prism.viewing.remap import Remap


@require_GET
@with_shot
def look(request: HttpRequest, shot: Shot) -> HttpResponse:
    """Any pass of any element. The address names element, pass and frame."""
    element = _asked_element(request, shot)
    context = head(request, shot, "intake")
    if element is None:
        return render(request, "viewer/look.html", context)
    frames = frames_on_disk(element) or [0]
    frame = nearest_frame(request.GET.get("frame", ""), frames)
    address = shot.address
    try:
        page = services.look_page(shot, element, request.GET.get("pass", ""), frame)
    except PrismError as fault:
        others = [other for other in frames if other != frame][:200]
        return render(
            request, "viewer/look.html", context | {"fault": fault, "element": element, "others": others}, status=422
        )
    page["urls"]["sheet"] = reverse("look-sheet", kwargs=address)
    page["urls"]["intake"] = reverse("intake", kwargs=address)
    page["urls"]["thumb"] = reverse("intake-thumb", kwargs=address | {"element": 0})
    return render(request, "viewer/look.html", context | {"page": page})


@require_POST
@computes
@with_shot
def picture(request: HttpRequest, shot: Shot) -> HttpResponse:
    """A picture of a subject, as a file; what else there is to say of it is in headers."""
    begun = time.perf_counter()
    body = json_body(request)
    viewer = f"{request.user.pk} {body.get('viewer', '')}"  # a page names itself, so it counts among its user's only
    is_stale = claim_newest(viewer[:80], whole_number(body, "serial", 0))
    if is_stale():
        raise Superseded("A newer request took over.")
    opened = _opened(shot, body)
    against = body.get("against")
    encoding = str(body.get("encoding", "png"))
    wanted = services.PictureRequest(
        look=_look(shot, body, opened),
        remap=_remap(body),
        width=whole_number(body, "width", 1 << 16),
        encoding=encoding,
        marks=tuple(mark for mark in texts(body, "marks") if mark in MARKS),
        against=_opened(shot, body, against) if isinstance(against, dict) else None,
        gain=number(body, "gain", 1.0, 1e-6, 1e6),
    )
    with computing("work", request.user.pk, is_stale=is_stale):
        encoded = services.picture(opened, wanted, is_stale)
    answer = HttpResponse(encoded.body, content_type=f"image/{encoding}")
    answer["X-Step"] = str(encoded.step)
    answer["X-Size"] = (
        f"{opened.frame.display_window.width} {opened.frame.display_window.height} {opened.frame.pixel_aspect}"
    )
    if encoded.smaller:
        answer["X-Smaller"] = encoded.smaller
    if encoded.ends is not None:
        answer["X-Range"] = f"{encoded.ends[0]:.6g} {encoded.ends[1]:.6g}"
    answer["Server-Timing"] = f"picture;dur={(time.perf_counter() - begun) * 1000:.1f}"
    answer["Cache-Control"] = "no-store"
    return answer


@require_POST
@with_shot
@computed()
def probe(request: HttpRequest, shot: Shot) -> JsonResponse:
    """What lies at a pixel or, on average, in a box."""
    body = json_body(request)
    opened = _opened(shot, body)
    return JsonResponse(finite({"lines": services.probe(opened, _box(body), _look(shot, body, opened))}))


@require_POST
@with_shot
@computed()
def values(request: HttpRequest, shot: Shot) -> JsonResponse:
    """The numbers behind a box of few pixels."""
    body = json_body(request)
    return JsonResponse(finite(services.values(_opened(shot, body), _box(body))))


@require_GET
@with_shot
@computed()
def sheet(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The pass sheet of a frame as a file."""
    element = _asked_element(request, shot)
    if element is None:
        raise Http404("No picture is there yet.")
    shown = nearest_frame(request.GET.get("frame", ""), frames_on_disk(element) or [0])
    view = request.GET.get("view", "film")
    body = services.sheet(element, shown, Look(transform=ViewTransform(shot.settings.space, view)))
    answer = HttpResponse(body, content_type="image/png")
    answer["Content-Disposition"] = f'inline; filename="{shot.code}_passes.{shown:04}.png"'
    return answer


def _asked_element(request: HttpRequest, shot: Shot) -> Element | None:
    """The one that the address names, or the first; None if there is none."""
    elements = shot.elements.exclude(document={})
    wanted = request.GET.get("element", "")
    return get_object_or_404(elements, pk=int(wanted)) if wanted.isdecimal() else elements.first()


def _opened(shot: Shot, body: dict[str, Any], which: dict[str, Any] | None = None) -> Opened:
    """The subject and frame of a question, or of another pair in it."""
    pair = body if which is None else which
    chosen = pair.get("subject")
    if not isinstance(chosen, dict):
        raise BadArgument("Say what is to be shown.", where="subject")
    return open_subject(Asked(shot, body, chosen, whole_number(pair, "frame")))


def _box(body: dict[str, Any]) -> Window:
    x, y = whole_number(body, "x"), whole_number(body, "y")
    return Window(x, y, whole_number(body, "x1", x), whole_number(body, "y1", y))


def _look(shot: Shot, body: dict[str, Any], shown: Opened) -> Look:
    return Look(
        transform=ViewTransform(shown.space or shot.settings.space, str(body.get("view", "srgb"))),
        stops=number(body, "stops", 0.0, -20, 20),
        gamma=number(body, "gamma", 1.0, 0.1, 10),
        channel=str(body.get("channel", "rgb")),
        ground=str(body.get("ground", "black")),
    )


def _remap(body: dict[str, Any]) -> Remap:
    asked = body.get("remap") or {}
    if not isinstance(asked, dict):
        raise BadArgument("A remap is named values.", where="remap")
    near, far = (None if asked.get(end) is None else number(asked, end, 0.0, -1e9, 1e9) for end in ("near", "far"))
    return Remap(way=str(asked.get("way", "auto")), near=near, far=far, log=asked.get("log") is True)
