"""What one request may cost: time, and a place among what is computed at once."""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import wraps
from threading import BoundedSemaphore

import redis
from django.http import HttpRequest, HttpResponse

from desk.web.queue import QUEUE
from desk.web.turns import Turn
from prism.errors import PrismError, Superseded
from prism.limits import current, limited

SECONDS = 20.0  # of computing for one answer; what takes longer is a job's
WAITING = 8  # answers that wait to be computed for one user, for so long:
IN_LINE = 15.0
LESS_URGENT = 2.0  # seconds by which thumbnails let others go first
PATIENCE = 5.0  # for a place that is not in this line
LOOK_EVERY = 0.03
COMPUTING = 2  # answers that one process computes at once while the queue's server does not answer
View = Callable[..., HttpResponse]
_computing = BoundedSemaphore(COMPUTING)


class Busy(PrismError):
    """More at once than one user may ask for."""

    code = "work.busy"


class LimitMiddleware:
    """Ends the work of a request that takes too long, or that nobody waits for any longer."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        is_gone = request.META.get("waitress.client_disconnected") or (lambda: False)
        with limited(SECONDS, is_gone):
            return self.get_response(request)


@contextmanager
def one_of_few(
    places: str, *, at_once: int, waiting: int = 2, is_stale: Callable[[], bool] = lambda: False
) -> Iterator[None]:
    """One of so many places under a name, in all processes together.

    Raises Busy if too many wait for one already, or if none is free after PATIENCE. While the queue's server does not
    answer, there is a place for everybody.
    """
    key, own = f"places:{places}", secrets.token_hex(8)
    try:
        _wait(key, own, at_once, waiting, is_stale)
    except redis.RedisError:
        own = ""
    try:
        yield
    finally:
        if own:
            with suppress(redis.RedisError):
                QUEUE.zrem(key, own)


def _wait(key: str, own: str, at_once: int, waiting: int, is_stale: Callable[[], bool]) -> None:
    """First come, first served."""
    begun = time.time()
    with QUEUE.pipeline() as line:
        line.zremrangebyscore(key, 0, begun - 2 * SECONDS)  # of processes that were killed
        line.zadd(key, {own: begun})
        line.expire(key, int(2 * SECONDS))
        line.zrank(key, own)
        rank = line.execute()[-1] or 0
    while rank >= at_once and not is_stale():
        if rank >= at_once + waiting or time.time() - begun > PATIENCE:
            QUEUE.zrem(key, own)
            raise Busy(
                "This is being done for others, or for you, as often as there is room for.",
                advice="Try again in a moment.",
            )
        time.sleep(LOOK_EVERY)
        rank = QUEUE.zrank(key, own) or 0


@contextmanager
def computing(
    what: str, user_id: int, *, waiting: int = WAITING, is_stale: Callable[[], bool] = lambda: False
) -> Iterator[None]:
    """A place among what is computed, in turn. what: "thumbs" let everything else go first. While the queue's server
    does not answer, there are places in this process alone.

    Raises Busy, TooCostly, or Superseded if nobody waits any more.
    """
    place = Turn(user_id, 2 * SECONDS, waiting, later=LESS_URGENT if what == "thumbs" else 0.0)
    try:
        try:
            _until(place.ask, is_stale)
        except redis.RedisError:
            with _alone(is_stale):
                yield
            return
        yield
    finally:
        with suppress(redis.RedisError):
            place.give_back()


@contextmanager
def _alone(is_stale: Callable[[], bool]) -> Iterator[None]:
    _until(lambda: _computing.acquire(timeout=LOOK_EVERY), is_stale)
    try:
        yield
    finally:
        _computing.release()


def _until(ask: Callable[[], bool | None], is_stale: Callable[[], bool]) -> None:
    """Ask again and again until it is granted."""
    limit, begun = current(), time.monotonic()
    while not (granted := ask()):
        if is_stale() or limit.is_gone():
            raise Superseded("A newer request took over.")
        if granted is None or limit.is_over or time.monotonic() - begun > IN_LINE:
            raise Busy("Everybody asks for pictures at once.", advice="Try again in a moment.")
        time.sleep(LOOK_EVERY)


def computed(what: str = "work", *, waiting: int = WAITING) -> Callable[[View], View]:
    """A view of a shot whose answer is computed from pixels; see `computing`."""

    def decorate(view: View) -> View:
        @computes
        @wraps(view)
        def wrapped(request: HttpRequest, *arguments, **named) -> HttpResponse:
            with computing(what, request.user.pk, waiting=waiting):
                return view(request, *arguments, **named)

        return wrapped

    return decorate


def computes(view: View) -> View:
    """Mark a view that computes: it is answered by a process that does nothing else, see `desk.web.forwarding`."""
    view.computes = True  # type: ignore[attr-defined]
    return view


def require_few_tries(name: str, *, most: int, seconds: int) -> None:
    """Count one more try under a name. Raises Busy after so many within that time."""
    with suppress(redis.RedisError):
        with QUEUE.pipeline() as line:
            line.incr(f"tries:{name}")
            line.expire(f"tries:{name}", seconds, nx=True)
            count = line.execute()[0]
        if count > most:
            raise Busy("Too many tries.", advice=f"Wait {seconds} seconds.")
