"""Reading what a page asks in JSON."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpRequest

from prism.errors import BadArgument


def json_body(request: HttpRequest) -> dict[str, Any]:
    """The JSON object of a request. Raises BadArgument."""
    try:
        found = json.loads(request.body)
    except ValueError:
        raise BadArgument("The request is not JSON.") from None
    if not isinstance(found, dict):
        raise BadArgument("The request is not a JSON object.")
    return found


def whole_number(found: dict[str, Any], name: str, default: int | None = None) -> int:
    value = found.get(name, default)
    if isinstance(value, bool) or not isinstance(value, int):
        raise BadArgument(f"{name} must be a whole number.", where=name)
    return value


def number(found: dict[str, Any], name: str, default: float, low: float, high: float) -> float:
    value = found.get(name, default)
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise BadArgument(f"{name} must be a number from {low} to {high}.", where=name)
    return float(value)
