from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from desk.jobs import engine, services
from desk.web.requests import json_body, whole_number
from prism.errors import BadArgument

ACTIONS = {"cancel": engine.cancel, "resume": engine.resume}


@require_GET
def work(request: HttpRequest) -> HttpResponse:
    """All long work of the productions one belongs to."""
    urls = {"progress": reverse("work-progress"), "change": reverse("work-change"), "detail": reverse("work-detail")}
    page = {"work": services.listed(request.user), "urls": urls}
    return render(request, "jobs/work.html", {"page": page, "current": "work"})


@require_GET
def progress(request: HttpRequest) -> JsonResponse:
    """The same as the page shows, for its next look."""
    return JsonResponse(services.listed(request.user))


@require_GET
def detail(request: HttpRequest) -> JsonResponse:
    """What is left of a job and what went wrong with it. Raises BadArgument without a job's number."""
    key = request.GET.get("job", "")
    if not key.isdecimal():
        raise BadArgument("Name a job.", where="job")
    return JsonResponse(services.detail(get_object_or_404(services.visible_to(request.user), pk=int(key))))


@require_POST
def change(request: HttpRequest) -> JsonResponse:
    """Cancel a job, take it up again, or put it first."""
    body = json_body(request)
    job = get_object_or_404(services.visible_to(request.user), pk=whole_number(body, "job"))
    if not job.production.can_be_changed_by(request.user):
        raise PermissionDenied("You can look at this production, but not change it.")
    action = body.get("action")
    if action == "priority":
        engine.put_first(job, whole_number(body, "priority"))
    elif action in ACTIONS:
        ACTIONS[action](job)
    else:
        raise BadArgument(f"{action} is not something to do with a job.", where="action")
    return JsonResponse(services.listed(request.user))
