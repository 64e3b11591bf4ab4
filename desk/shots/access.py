"""From an address to a shot the user may see."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404

from desk.shots.models import Shot


def with_shot(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """Hand the view the Shot named in the address. Not found, rather than forbidden, for those who are not members."""

    @wraps(view)
    def wrapped(request: HttpRequest, production: str, shot: str, **rest) -> HttpResponse:
        found = get_object_or_404(Shot.objects.visible_to(request.user), production__code=production, code=shot)
        return view(request, found, **rest)

    return wrapped


def require_change(request: HttpRequest, shot: Shot) -> None:
    """Raises PermissionDenied for members who only look."""
    if not shot.can_be_changed_by(request.user):
        raise PermissionDenied("You can look at this production, but not change it.")
