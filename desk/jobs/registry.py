"""Kinds of work: an app says by a name how one task of it is carried out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Protocol

from desk.jobs.models import Choice, State, Task


class Watch(Protocol):
    """What a task may ask and say while it is carried out."""

    def is_over(self) -> bool:
        """Whether it was cancelled or given to another worker; then it should stop with Superseded."""

    def on_progress(self, progress: float) -> None:
        """progress: the share that is done, 0..1."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """How a task ended well. line: for its log. after: done once, only if the task was still this worker's."""

    line: str
    state: Choice = State.DONE
    bytes: int = 0
    seconds: float = 0.0
    result: dict[str, Any] = field(default_factory=dict)
    after: Callable[[], object] = lambda: None


CarryOut = Callable[[Task, Watch], Outcome]


@dataclass(frozen=True, slots=True)
class Kind:
    """station: the name of the page that a job of this kind belongs to."""

    carry_out: CarryOut
    station: str


_KINDS: dict[str, Kind] = {}


def kind(name: str, *, station: str = "shot") -> Callable[[CarryOut], CarryOut]:
    """Register a function for a kind of work. It raises PrismError for what an artist can act on."""

    def register(carry_out: CarryOut) -> CarryOut:
        _KINDS[name] = Kind(carry_out, station)
        return carry_out

    return register


def names() -> list[str]:
    """Of all kinds of work."""
    return sorted(_KINDS)


def of_kind(name: str) -> CarryOut:
    """Who carries a kind of work out. Raises KeyError for a kind there is not."""
    return _KINDS[name].carry_out


def station_of(name: str) -> str:
    """The page of a kind of work; that of the shot for one there is not, or not any more."""
    return _KINDS[name].station if name in _KINDS else "shot"
