"""How long work may go on. Whoever waits for an answer says until when; long loops ask, wherever they stand.

The limit holds for all that is done inside of it, and for the threads that `prism.bands` hands work to. Without one,
work goes on until it is done, as in a job.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

from prism.errors import Superseded, TooCostly

Stale = Callable[[], bool]
"""Whether newer work has taken over, so that this need not go on."""


def never() -> bool:
    """For work that nothing supersedes."""
    return False


@dataclass(frozen=True, slots=True)
class Limit:
    """ends: on the monotonic clock. is_gone: whether whoever asked has left."""

    ends: float
    seconds: float
    is_gone: Stale = never

    @property
    def left(self) -> float | None:
        """Seconds until the time is up, at least a moment; None if it never is."""
        return None if self.ends == float("inf") else max(0.01, self.ends - time.monotonic())

    @property
    def is_over(self) -> bool:
        """Whether the time is up, or nobody waits any longer."""
        return time.monotonic() > self.ends or self.is_gone()

    def require(self) -> None:
        """Raises TooCostly once the time is up, Superseded once nobody waits any longer."""
        if time.monotonic() > self.ends:
            raise TooCostly(
                f"This took more than {self.seconds:g} s and was ended.", where="picture",
                advice="Ask for a smaller picture, or take parts of mattes, strokes or rows out.",
            )  # fmt: skip
        if self.is_gone():
            raise Superseded("The page no longer waits for this.")


NONE = Limit(float("inf"), float("inf"))
_limit: ContextVar[Limit] = ContextVar("limit", default=NONE)


def current() -> Limit:
    """The limit that holds here."""
    return _limit.get()


@contextmanager
def limited(seconds: float, is_gone: Stale = never) -> Iterator[None]:
    """All that is done inside ends after so many seconds, by TooCostly, or once `is_gone` answers True, by
    Superseded."""
    token = _limit.set(Limit(time.monotonic() + seconds, seconds, is_gone))
    try:
        yield
    finally:
        _limit.reset(token)
