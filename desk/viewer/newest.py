"""Whose request is the newest: an older one for the same picture may be dropped, whichever web process has it."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress

import redis

from desk.web.queue import QUEUE

ASK_EVERY = 0.03  # seconds
_REMEMBERED = 600  # seconds after the last request of a viewer


def claim_newest(viewer: str, serial: int) -> Callable[[], bool]:
    """Register a request of one viewer (an open page) and return a question: has a newer one come since?

    Serials are kept to 53 bits. While the queue's server does not answer, nothing is dropped.
    """
    key, serial = f"newest:{viewer}", max(0, min(serial, 1 << 53))
    try:
        with QUEUE.pipeline() as line:
            line.zadd(key, {"serial": serial}, gt=True)
            line.expire(key, _REMEMBERED)
            line.zscore(key, "serial")
            newest = line.execute()[-1]
    except redis.RedisError:
        return lambda: False
    asked, stale = time.monotonic(), newest > serial

    def is_stale() -> bool:
        nonlocal asked, stale
        if not stale and time.monotonic() - asked >= ASK_EVERY:
            asked = time.monotonic()
            with suppress(redis.RedisError):
                stale = (QUEUE.zscore(key, "serial") or 0) > serial
        return stale

    return is_stale
