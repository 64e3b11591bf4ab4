"""The worker of the web server. gunicorn keeps several of these processes and replaces those that end or hang; in each,
waitress reads a request whole before a thread is taken for it, and sends answers without one. So slow and idle clients hold
no thread, however many they are.
"""

from __future__ import annotations

import os
import threading

from gunicorn.workers.base import Worker
from waitress import wasyncore
from waitress.server import create_server

from prism.warming import warm

THREADS = 8
MOST_CONNECTIONS = 1000  # of each process
IDLE_SECONDS = 30  # after which a connection is closed that sends nothing
MOST_BODY = 32 << 20  # bytes; the application itself allows less nearly everywhere
LOOK_EVERY = 1.0  # seconds between signs of life


class BufferedWorker(Worker):
    """For `gunicorn --worker-class`."""

    def run(self) -> None:
        """Serve until gunicorn asks to end; requests that are being answered are finished."""
        threading.Thread(target=warm, daemon=True).start()  # before someone drags
        channels: dict[int, wasyncore.dispatcher] = {}
        server = create_server(
            self.wsgi,
            map=channels,
            sockets=[listener.sock for listener in self.sockets],
            threads=THREADS,
            connection_limit=MOST_CONNECTIONS,
            channel_timeout=IDLE_SECONDS,
            cleanup_interval=5,
            max_request_body_size=MOST_BODY,
            ident=None,
            **_behind_proxy(),
        )
        while self.alive and os.getppid() == self.ppid:
            self.notify()
            wasyncore.loop(timeout=LOOK_EVERY, use_poll=True, map=channels, count=1)
        server.task_dispatcher.shutdown()


def _behind_proxy() -> dict[str, object]:
    """Whose word on the client's address and scheme is taken: of the reverse proxy that EAGER_PROXY names, of nobody else."""
    proxy = os.environ.get("EAGER_PROXY", "")
    headers = (
        {"trusted_proxy": proxy, "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto"}} if proxy else {}
    )
    return {**headers, "clear_untrusted_proxy_headers": True}
