"""Faults as answers: one clear error for a page or a program, never a traceback.

What nobody foresaw is logged with its traceback under a number, and the page shows that number.
"""

import logging
import secrets
import sys

from django.core.exceptions import PermissionDenied, SuspiciousOperation
from django.core.signals import got_request_exception
from django.db import InterfaceError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.template.loader import get_template

from desk.web.paths import without_roots
from prism.errors import PrismError, Superseded

log = logging.getLogger("desk.web.faults")
STATUS = {Superseded.code: 409, "work.busy": 429}  # of faults that lie in the moment, not in what was asked
HANDLES, REFUSED = "Prism-Handles-Refusals", "Prism-Refused"
"""Headers. A page that says it tells its reader of refusals gets them as 200 with their status beside, and so does a
browser that opens a page which says what is wrong with what was filled in: every other status is an error in its
console."""
ANSWERED = (Http404, PermissionDenied, SuspiciousOperation)  # by Django, which has pages for them


class Unforeseen(PrismError):
    """A fault of the application itself; `where` is its number in the log."""

    code = "server.fault"


class FaultsMiddleware:
    """Turns a PrismError that a view lets through into a 422 answer, and anything else into a 500 with a number; JSON
    where JSON was asked for."""

    def __init__(self, get_response) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        answer = self.get_response(request)
        answer.headers.setdefault("Cache-Control", "private, no-store")  # pages and answers are of whoever asked
        handled = HANDLES in request.headers and 400 <= answer.status_code < 500 and isinstance(answer, JsonResponse)
        filled_in = request.headers.get("Sec-Fetch-Mode") == "navigate" and answer.status_code == 422
        if handled or filled_in:
            answer[REFUSED] = str(answer.status_code)
            answer["Cache-Control"] = "no-store"
            answer.status_code = 200
        return answer

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if isinstance(exception, ANSWERED):
            return None
        if isinstance(exception, PrismError):
            return _answer(request, exception, STATUS.get(exception.code, 422))
        got_request_exception.send(sender=type(self), request=request)
        return _unforeseen(request, exception)


def failed(request: HttpRequest) -> HttpResponse:
    """What is raised outside of views: Django calls this while it handles it."""
    return _unforeseen(request, sys.exception())


def _unforeseen(request: HttpRequest, exception: BaseException | None) -> HttpResponse:
    """Logged under a number that the answer says. A page of it asks the database for nothing: that may be what is
    gone."""
    number = secrets.token_hex(4)
    log.error("fault %s: %s %s", number, request.method, request.path, exc_info=exception)
    gone = isinstance(exception, OperationalError | InterfaceError)
    fault = Unforeseen(
        "The database does not answer." if gone else "The server failed at this.",
        where=f"fault {number}",
        advice="Nothing you saved is lost. "
        + ("Try again in a moment; if it stays, tell whoever runs the server the number." if gone else
           "Please report it with this number: the log has the details under it."),
    )  # fmt: skip
    status = 503 if gone else 500
    if wants_json(request):
        return JsonResponse({"error": fault.as_json()}, status=status)
    return HttpResponse(get_template("500.html").render({"fault": fault}), status=status)


def _answer(request: HttpRequest, fault: PrismError, status: int) -> HttpResponse:
    said = {name: without_roots(text) if isinstance(text, str) else text for name, text in fault.as_json().items()}
    if wants_json(request):
        return JsonResponse({"error": said}, status=status)
    return render(request, "fault.html", {"fault": fault}, status=status)


def wants_json(request: HttpRequest) -> bool:
    return "application/json" in (request.headers.get("Accept", ""), request.content_type)
