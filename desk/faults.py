"""Faults of the core as answers: one clear error for a page or a program, never a traceback."""

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from prism.errors import PrismError, Superseded


class FaultsMiddleware:
    """Turns a PrismError that a view lets through into a 422 answer, JSON where JSON was asked for."""

    def __init__(self, get_response) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if not isinstance(exception, PrismError):
            return None
        status = 409 if isinstance(exception, Superseded) else 422
        if wants_json(request):
            return JsonResponse({"error": exception.as_json()}, status=status)
        return render(request, "fault.html", {"fault": exception}, status=status)


def wants_json(request: HttpRequest) -> bool:
    return "application/json" in (request.headers.get("Accept", ""), request.content_type)
