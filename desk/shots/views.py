from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from desk.shots import services
from desk.shots.access import with_shot
from desk.shots.models import Shot
from prism.naming.frames import format_frames

COMING = {
    "finish": (
        "Steps on the rebuilt picture",
        "This station is not built yet. The picture goes from Rebuild straight to Hand-off.",
    ),
}


def shots(request: HttpRequest) -> HttpResponse:
    rows = []
    for shot in Shot.objects.visible_to(request.user).prefetch_related("elements"):
        element = shot.elements.first()
        frames = services.frames_on_disk(element)
        rows.append(
            {
                "shot": shot,
                "frames": format_frames(frames),
                "present": len(frames),
                "whole": len(shot.frames),
                "frame": frames[0] if frames else None,
                "places": [frame - shot.first for frame in frames if frame in shot.frames],
                "stations": services.stations(shot),
            }
        )
    return render(request, "shots/list.html", {"rows": rows})


@with_shot
def shot(request: HttpRequest, shot: Shot) -> HttpResponse:
    """A shot is entered where its work is."""
    station = "rebuild" if shot.elements.exists() else "intake"
    return redirect(station, production=shot.production.code, shot=shot.code)


@require_GET
@with_shot
def picture(request: HttpRequest, shot: Shot) -> HttpResponse:
    """The rendered beauty of the first frame, small, for the list of shots."""
    element = shot.elements.first()
    frames = services.frames_on_disk(element)
    if not frames:
        raise Http404("No frames yet.")
    answer = HttpResponse(services.small_picture(element, frames[0]), content_type="image/jpeg")
    answer["Cache-Control"] = "private, max-age=60"
    return answer


@with_shot
def coming(request: HttpRequest, shot: Shot, station: str) -> HttpResponse:
    headline, text = COMING[station]
    return render(
        request,
        "shots/coming.html",
        {"shot": shot, "stations": services.stations(shot), "current": station, "headline": headline, "text": text},
    )
