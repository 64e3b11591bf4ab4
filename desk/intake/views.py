from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from desk.intake import services
from desk.shots.access import require_change, with_shot
from desk.shots.models import Shot
from desk.shots.services import stations
from desk.shots.storage import shot_folder
from prism.errors import PrismError
from prism.text import printable


@require_http_methods(["GET", "POST"])
@with_shot
def intake(request: HttpRequest, shot: Shot) -> HttpResponse:
    fault = None
    typed = {"folder": request.POST.get("folder", ""), "name": request.POST.get("name", "")}
    if request.method == "POST":
        require_change(request, shot)
        try:
            element = services.bring_in(shot, **typed)
        except PrismError as error:
            fault = error
        else:
            messages.success(request, f"{element.name} is in.")
            return redirect(request.path)
    return render(
        request,
        "intake/intake.html",
        {
            "shot": shot,
            "stations": stations(shot),
            "current": "intake",
            "inventories": [services.inventory(element) for element in shot.elements.all()],
            "fault": fault,
            "typed": typed,
            "example": shot_folder(shot),
            "may_change": shot.can_be_changed_by(request.user),
        },
        status=422 if fault else 200,
    )


@require_POST
@with_shot
def remove(request: HttpRequest, shot: Shot, element: int) -> HttpResponse:
    """Forget an element; its files stay where they are."""
    require_change(request, shot)
    found = get_object_or_404(shot.elements, pk=element)
    used = found.ledgers.exists()
    found.delete()
    messages.success(request, f"{found.name} is no longer part of this shot. Its files are untouched.")
    if used:
        messages.warning(request, "A ledger lay on it: choose other files for that in Rebuild.")
    return redirect("intake", production=shot.production.code, shot=shot.code)


@require_POST
@with_shot
def set_aside(request: HttpRequest, shot: Shot) -> HttpResponse:
    """Hide a file that cannot be read, so that the rest of its frame is shown without it."""
    require_change(request, shot)
    hidden = services.set_aside(shot, request.POST.get("file", ""))
    messages.success(request, f"Set aside as {printable(hidden.name)}, in the folder where it was.")
    station = "rebuild" if request.POST.get("back") == "rebuild" else "intake"
    return redirect(station, production=shot.production.code, shot=shot.code)
