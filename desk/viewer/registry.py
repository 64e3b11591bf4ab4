"""What pages may ask the viewer to show: an app says by a name how a subject of it is opened."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from desk.shots.models import Shot
from prism.errors import BadArgument
from prism.sources.frame import OpenFrame
from prism.viewing.subjects import Subject


@dataclass(frozen=True, slots=True)
class Asked:
    """A question of a page. body: all of it. chosen: what of it names the subject. frame: its number."""

    shot: Shot
    body: dict[str, Any]
    chosen: dict[str, Any]
    frame: int


@dataclass(frozen=True, slots=True)
class Opened:
    """A subject and the frame it is shown of. space: the working colour, where it is not that of the shot."""

    subject: Subject
    frame: OpenFrame
    space: str = ""


Open = Callable[[Asked], Opened]
_KINDS: dict[str, Open] = {}


def subject(name: str) -> Callable[[Open], Open]:
    """Register how subjects of a kind are opened. The function raises PrismError or Http404."""

    def register(opens: Open) -> Open:
        _KINDS[name] = opens
        return opens

    return register


def opened(asked: Asked) -> Opened:
    """Raises BadArgument for a kind that there is not, and whatever opening it raises."""
    kind = str(asked.chosen.get("kind", ""))
    if kind not in _KINDS:
        raise BadArgument(f"There is no subject of the kind {kind or 'nothing'}.", advice=f"Use {', '.join(_KINDS)}.")
    return _KINDS[kind](asked)
