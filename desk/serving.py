"""The worker of the web server. gunicorn keeps several of these processes and replaces those that end or hang; in each,
waitress reads a request whole before a thread is taken for it, and sends answers without one. So slow and idle clients
hold no thread, however many they are; a request has a time in which it must have come whole, and an address may have so
many that have not.
"""

from __future__ import annotations

import os
import threading
import time
from collections import defaultdict
from collections.abc import Iterable

from gunicorn.workers.base import Worker
from waitress import wasyncore
from waitress.channel import HTTPChannel
from waitress.server import create_server

from prism.warming import warm

THREADS = 32  # most of which wait: see `desk.web.limits.COMPUTING`
MOST_CONNECTIONS = 1000  # of each process
IDLE_SECONDS = 30  # after which a connection is closed that sends nothing
MOST_BODY = 32 << 20  # bytes; the application itself allows less nearly everywhere
LOOK_EVERY = 1.0  # seconds between signs of life
# Seconds from its first byte that the headers of a request have; its body has them besides what its length explains.
WHOLE_WITHIN = 15.0
SLOWEST = 50_000  # bytes a second of a body
MOST_UNFINISHED = 60  # connections of one address that no whole request came by, in each process


class BoundedChannel(HTTPChannel):
    """A connection that knows when what it is receiving began."""

    begun: float | None = None

    def received(self, data: bytes) -> bool:
        """Take what came, and note when the first of it did."""
        if self.begun is None:
            self.begun = time.time()
        taken = super().received(data)
        if self.request is None:
            self.begun = None
        return taken

    @property
    def is_unfinished(self) -> bool:
        """Whether no whole request is here, nor an answer to one."""
        return not self.requests and not self.total_outbufs_len

    def is_late(self, now: float) -> bool:
        """Whether the request that it is receiving should be here by now."""
        length = getattr(self.request, "content_length", 0) or 0
        return self.begun is not None and now - self.begun > WHOLE_WITHIN + length / SLOWEST


def end_slow(channels: Iterable[wasyncore.dispatcher], now: float, *, proxy: str = "") -> None:
    """Close connections whose requests are late, and of an address that has too many unfinished ones those that began
    first; a proxy may have any number, since it speaks for many."""
    by_address: dict[str, list[BoundedChannel]] = defaultdict(list)
    for channel in channels:
        if not isinstance(channel, BoundedChannel):
            continue
        if channel.is_late(now):
            channel.will_close = True
        elif channel.is_unfinished and channel.addr[0] != proxy:
            by_address[channel.addr[0]].append(channel)
    for unfinished in by_address.values():
        unfinished.sort(key=lambda channel: channel.creation_time)
        for channel in unfinished[:-MOST_UNFINISHED]:
            channel.will_close = True


class BufferedWorker(Worker):
    """For `gunicorn --worker-class`."""

    def run(self) -> None:
        """Serve until gunicorn asks to end; requests that are being answered are finished."""
        if not os.environ.get("EAGER_PICTURES"):  # else others compute
            threading.Thread(target=warm, daemon=True).start()  # before someone drags
        channels: dict[int, wasyncore.dispatcher] = {}
        proxy = os.environ.get("EAGER_PROXY", "")
        server = create_server(
            self.wsgi,
            map=channels,
            sockets=[listener.sock for listener in self.sockets],
            threads=THREADS,
            connection_limit=MOST_CONNECTIONS,
            channel_timeout=IDLE_SECONDS,
            cleanup_interval=5,
            channel_request_lookahead=1,  # so that work for clients that have left is seen to be in vain
            max_request_body_size=MOST_BODY,
            ident=None,
            **_behind(proxy),
        )
        server.channel_class = BoundedChannel
        looked = 0.0
        while self.alive and os.getppid() == self.ppid:
            self.notify()
            wasyncore.loop(timeout=LOOK_EVERY, use_poll=True, map=channels, count=1)
            if time.time() - looked > LOOK_EVERY:
                looked = time.time()
                end_slow(list(channels.values()), looked, proxy=proxy)
        server.task_dispatcher.shutdown()


def _behind(proxy: str) -> dict[str, object]:
    """Whose word on the client's address and scheme is taken: of the reverse proxy of that address, of nobody else."""
    headers = (
        {"trusted_proxy": proxy, "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto"}} if proxy else {}
    )
    return {**headers, "clear_untrusted_proxy_headers": True}
