"""Whose request is the newest: an older one for the same picture may be dropped."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock

_REMEMBERED = 1000
_newest: OrderedDict[str, int] = OrderedDict()
_lock = Lock()


def claim_newest(viewer: str, serial: int) -> Callable[[], bool]:
    """Register a request of one viewer (an open page) and return a question: has a newer one come since?"""
    with _lock:
        _newest[viewer] = max(serial, _newest.get(viewer, serial))
        _newest.move_to_end(viewer)
        while len(_newest) > _REMEMBERED:
            _newest.popitem(last=False)
    return lambda: _newest.get(viewer, serial) > serial
