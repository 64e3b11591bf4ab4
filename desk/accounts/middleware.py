"""Whoever came in with a one-time password chooses another before anything else."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse

from desk.accounts.models import OneTimePassword
from desk.web.faults import wants_json


class OneTimePasswordMiddleware:
    def __init__(self, get_response) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        user = request.user
        allowed = (reverse("password"), reverse("logout"))
        if user.is_authenticated and request.path not in allowed and OneTimePassword.objects.filter(user=user).exists():
            if wants_json(request):
                error = {"what": "Choose a password of your own first.", "where": "", "advice": "Open the page again."}
                return JsonResponse({"error": error}, status=403)
            return redirect("password")
        return self.get_response(request)
