"""What the head of every page of a shot shows."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from desk.shots.models import Shot
from desk.stations.registry import stations


def head(request: HttpRequest, shot: Shot, current: str) -> dict[str, Any]:
    """For the page's template. current: the slug of its station, or the name of a page beside them."""
    return {
        "shot": shot,
        "stations": stations(shot),
        "current": current,
        "may_change": shot.can_be_changed_by(request.user),
    }
