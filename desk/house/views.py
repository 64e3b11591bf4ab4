from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from desk.elements.services import frames_on_disk
from desk.house.pictures import picture_of
from desk.shots.access import with_shot
from desk.shots.models import Production, Shot
from desk.stations.registry import stations, titles
from desk.web.files import kept_answer
from desk.web.limits import computed
from prism.colour.spaces import SPACES
from prism.naming.frames import format_frames

MOST_CELLS = 256  # of the bar of frames, which is not wider than that
MOST_LETTERS = 60  # of the list of frames


def shots(request: HttpRequest) -> HttpResponse:
    """Every shot one may see, archived ones aside, and the productions they belong to."""
    found = Shot.objects.visible_to(request.user).filter(production__archived=None, archived=None)
    productions = Production.objects.filter(memberships__user=request.user).order_by("archived", "code")
    rows = [_row(shot) for shot in found.prefetch_related("elements")]
    return render(request, "shots/list.html", {"rows": rows, "productions": productions, "titles": titles()})


def shorten(text: str, most: int) -> str:
    """A list of frames, cut between two of them."""
    return text if len(text) <= most else f"{text[:most].rpartition(',')[0]}, …"


def _row(shot: Shot) -> dict[str, Any]:
    element = shot.elements.first()
    present = frames_on_disk(element)
    settings, planned = shot.settings, shot.frames
    places = {frame: place for place, frame in enumerate(planned)}
    cells = min(len(planned), MOST_CELLS) or 1
    return {
        "shot": shot,
        "facts": f"{settings.frames} · {settings.rate:g} fps · {settings.width} × {settings.height} · "
        f"{SPACES[settings.space]}",
        "frames": shorten(format_frames(present), MOST_LETTERS),
        "present": len(present),
        "whole": len(planned),
        "frame": present[0] if present else None,
        "cells": cells,
        "places": sorted({places[frame] * cells // len(planned) for frame in present if frame in places}),
        "stations": stations(shot),
    }


@with_shot
def shot(request: HttpRequest, shot: Shot) -> HttpResponse:
    """A shot is entered where its work is."""
    station = "rebuild" if shot.elements.exists() else "intake"
    return redirect(station, production=shot.production.code, shot=shot.code)


@require_GET
@with_shot
@computed("thumbs", waiting=16)
def picture(request: HttpRequest, shot: Shot) -> HttpResponse:
    """What has come of the shot, small, for the list of shots."""
    found = picture_of(shot)
    if found is None:
        raise Http404("No frames yet.")
    return kept_answer(found, "image/jpeg", seconds=60)
