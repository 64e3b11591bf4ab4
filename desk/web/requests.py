"""Reading what a page asks in JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.http import HttpRequest

from prism.errors import BadArgument
from prism.json_text import read_json


def json_body(request: HttpRequest) -> dict[str, Any]:
    """The JSON object of a request. Raises BadArgument or BadDocument."""
    found = read_json(request.body, where="request")
    if not isinstance(found, dict):
        raise BadArgument("The request is not a JSON object.")
    return found


def texts(found: dict[str, Any], name: str) -> tuple[str, ...]:
    """A list of texts; empty if it is not given. Raises BadArgument."""
    value = found.get(name) or []
    if not isinstance(value, list) or not all(isinstance(entry, str) for entry in value):
        raise BadArgument(f"{name} must be a list of names.", where=name)
    return tuple(value)


def whole_number(found: dict[str, Any], name: str, default: int | None = None) -> int:
    """A field of a request that is a whole number. Raises BadArgument."""
    value = found.get(name, default)
    if isinstance(value, bool) or not isinstance(value, int):
        raise BadArgument(f"{name} must be a whole number.", where=name)
    return value


def number(found: dict[str, Any], name: str, default: float, low: float, high: float) -> float:
    """A field of a request that is a number within low..high; the default without one. Raises BadArgument."""
    value = found.get(name, default)
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise BadArgument(f"{name} must be a number from {low} to {high}.", where=name)
    return float(value)


def nearest_frame(text: str, frames: Sequence[int]) -> int:
    """The frame an address asks for, or the nearest of those there are; the first for what is no number."""
    try:
        wanted = int(text)
    except ValueError:
        return frames[0]
    return min(frames, key=lambda frame: abs(frame - wanted))


def finite(answer: Any) -> Any:
    """JSON has no NaN or infinity: they are said as words."""
    if isinstance(answer, dict):
        return {key: finite(value) for key, value in answer.items()}
    if isinstance(answer, list | tuple):
        return [finite(value) for value in answer]
    if isinstance(answer, float) and answer - answer != 0:
        return "NaN" if answer != answer else ("inf" if answer > 0 else "-inf")
    return answer
