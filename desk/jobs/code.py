"""Which code this process runs, so that a worker with other code than the web server takes no work."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import Any

import redis

from desk.web.queue import QUEUE

ROOT = Path(__file__).resolve().parents[2]
KEY = "code"  # in the queue's memory: of the web server that began last
DIFFERS = "has other code than the web server: bring both to one version and start it again"


@cache
def own() -> str:
    """A digest of every module that runs, as it was when first asked."""
    digest = hashlib.sha256()
    for path in sorted(path for room in ("prism", "desk") for path in (ROOT / room).rglob("*.py")):
        if "tests" not in path.parts:
            digest.update(path.relative_to(ROOT).as_posix().encode() + path.read_bytes())
    return digest.hexdigest()


def announce() -> None:
    """Say what the web server runs. Without a queue nobody compares."""
    with suppress(redis.RedisError):
        QUEUE.set(KEY, own())


def refusal() -> str:
    """Why this process should take no work, after its name; empty if it may."""
    with suppress(redis.RedisError):
        served: Any = QUEUE.get(KEY)
        if served is not None and served.decode() != own():
            return DIFFERS
    return ""
