"""What one request may cost: time, and pictures of one user that are made at once."""

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
from prism.errors import PrismError, Superseded
from prism.limits import current, limited

SECONDS = 20.0  # of computing for one answer; what takes longer is a job's
AT_ONCE = 2  # answers that are being computed for one user
WAITING = 8  # more that wait for that, for so long:
PATIENCE = 5.0
LOOK_EVERY = 0.02
COMPUTING = 2  # answers that one process computes at once; they share its cores
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
    """A place among what is computed for one user, and then among what this process computes: the other threads answer
    what costs nothing. Raises Busy or TooCostly."""
    with one_of_few(f"{what} {user_id}", at_once=AT_ONCE, waiting=waiting, is_stale=is_stale):
        limit = current()
        while not _computing.acquire(timeout=LOOK_EVERY):
            if limit.is_over:
                raise Busy("Everybody asks for pictures at once.", advice="Try again in a moment.")
            if is_stale():
                raise Superseded("A newer request took over.")
        try:
            yield
        finally:
            _computing.release()


def computed(what: str = "work", *, waiting: int = WAITING) -> Callable[[View], View]:
    """A view of a shot whose answer is computed from pixels; see `computing`."""

    def decorate(view: View) -> View:
        @wraps(view)
        def wrapped(request: HttpRequest, *arguments, **named) -> HttpResponse:
            with computing(what, request.user.pk, waiting=waiting):
                return view(request, *arguments, **named)

        return wrapped

    return decorate


def require_few_tries(name: str, *, most: int, seconds: int) -> None:
    """Count one more try under a name. Raises Busy after so many within that time."""
    with suppress(redis.RedisError):
        with QUEUE.pipeline() as line:
            line.incr(f"tries:{name}")
            line.expire(f"tries:{name}", seconds, nx=True)
            count = line.execute()[0]
        if count > most:
            raise Busy("Too many tries.", advice=f"Wait {seconds} seconds.")
