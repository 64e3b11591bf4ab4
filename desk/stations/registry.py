"""The stations of a shot: an app says by a name where it stands, and how far a shot has come there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from desk.shots.models import Shot


class Mark(StrEnum):
    """How far a shot has come at a station. The words are shown, and the marks' drawings are chosen by them."""

    UNTOUCHED = "untouched"
    IN_WORK = "in work"
    ATTENTION = "needs attention"
    DONE = "done"


@dataclass(frozen=True, slots=True)
class Station:
    """One stop on a shot's way. slug: the name of its address. number: from 1, in the order of the work."""

    slug: str
    title: str
    number: int
    state: Mark


Judge = Callable[[Shot], Mark]
_STATIONS: dict[int, tuple[str, str, Judge]] = {}


def station(slug: str, title: str, *, number: int) -> Callable[[Judge], Judge]:
    """Register how the mark of a station is judged, from what is really there."""

    def register(judge: Judge) -> Judge:
        _STATIONS[number] = slug, title, judge
        return judge

    return register


def stations(shot: Shot) -> list[Station]:
    """All stations in the order of the work, with their marks."""
    return [Station(slug, title, number, judge(shot)) for number, (slug, title, judge) in sorted(_STATIONS.items())]


def titles() -> list[str]:
    """Names of the stations in the order of the work."""
    return [title for _, (_, title, _) in sorted(_STATIONS.items())]
