"""`/health/`: what the house needs, and whether it is there, for whoever watches over it."""

from __future__ import annotations

import os
import shutil
import socket
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from concurrent.futures import TimeoutError as TooLate
from functools import cache, partial

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from redis.exceptions import RedisError

from desk.jobs.engine import running_workers
from desk.web.queue import QUEUE

PATIENCE = 1.5  # seconds for all parts together, which are asked side by side
LEAST_FREE = 512 << 20  # bytes of the disk, below which nothing can be relied on to be written


class Missing(Exception):
    """Why a part is not there, in words that tell a stranger nothing of the machine."""


def _database() -> str:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    finally:
        connection.close()  # of a thread of its own
    return "answers"


def _queue() -> str:
    try:
        QUEUE.ping()
    except (RedisError, OSError) as error:
        raise Missing("does not answer") from error
    return "answers"


def _workers() -> str:
    try:
        count = len(running_workers())
    finally:
        connection.close()
    if not count:
        raise Missing("none is running; ./eager start begins one")
    return f"{count} running"


def _storage() -> str:
    root = settings.STORAGE_ROOTS[0]
    if not os.access(root, os.W_OK | os.X_OK):
        raise Missing("cannot be written to")
    free = shutil.disk_usage(root).free
    if free < LEAST_FREE:
        raise Missing(f"only {free >> 20} MB are left")
    return f"{free >> 30} GB left"


def _pictures() -> str:
    """What computes for the pages; without such processes they compute themselves."""
    path = os.environ.get("EAGER_PICTURES")
    with socket.socket(socket.AF_UNIX) as line:
        line.settimeout(PATIENCE)
        if path and line.connect_ex(path):
            raise Missing("do not answer; ./eager start begins them")
    return "answer"


PARTS: dict[str, Callable[[], str]] = {
    "database": _database,
    "queue": _queue,
    "workers": _workers,
    "storage": _storage,
    "pictures": _pictures,
}
ADDRESS = "/health/"


class NobodyMiddleware:
    """Before all that looks who asks: the health is told to anyone, and a browser that is logged in must not wait for
    the records of its session."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.path == ADDRESS:
            request.META.pop("HTTP_COOKIE", None)
        return self.get_response(request)


@login_not_required
def health(request: HttpRequest) -> JsonResponse:
    """Every part with `ok` and what it `says`; 503 unless all are there. No part is waited for longer than a second or
    two: what hangs is not there."""
    asked = {name: _thread(name).submit(part) for name, part in PARTS.items()}
    wait(asked.values(), timeout=PATIENCE)
    parts = {name: _said(partial(each.result, 0)) for name, each in asked.items()}
    fine = all(part["ok"] for part in parts.values())
    answer = JsonResponse({"ok": fine, "parts": parts}, status=200 if fine else 503)
    answer["Cache-Control"] = "no-store"
    return answer


@cache
def _thread(name: str) -> ThreadPoolExecutor:
    """One for each part, so that what hangs takes no second one when it is asked again."""
    return ThreadPoolExecutor(1, thread_name_prefix=f"health-{name}")


def _said(ask: Callable[[], str]) -> dict[str, bool | str]:
    try:
        return {"ok": True, "says": ask()}
    except Missing as missing:
        return {"ok": False, "says": str(missing)}
    except TooLate:
        return {"ok": False, "says": "does not answer in time"}
    except Exception:  # of any library: the part is not there, and why is in its own log
        return {"ok": False, "says": "does not answer"}
