"""Pages, and what is computed, answered by processes of their own: those for pages hand a request whose view computes
to those for pictures, and wait for the answer without using the processor. So no page waits for a picture.
"""

from __future__ import annotations

import http.client
import json
import select
import socket
from collections.abc import Callable, Iterable
from typing import Any
from urllib.parse import quote

from django.urls import Resolver404, resolve

Environ = dict[str, Any]
Application = Callable[[Environ, Callable[..., Any]], Iterable[bytes]]
LOOK_EVERY = 0.1  # seconds between looks whether the client still waits
OF_A_HOP = frozenset({"connection", "keep-alive", "transfer-encoding", "upgrade", "content-length", "server", "date"})
RESTARTED = {
    "code": "work.busy", "what": "What computes pictures was restarted.", "where": "",
    "advice": "Try again in a moment.",
}  # fmt: skip


class Forwarding:
    """An application whose computed answers come from the processes behind a socket; while nobody listens there, from
    here."""

    def __init__(self, application: Application, path: str) -> None:
        self._application = application
        self._path = path

    def __call__(self, environ: Environ, start_response: Callable[..., Any]) -> Iterable[bytes]:
        if not _computes(environ):
            return self._application(environ, start_response)
        line = _Line(self._path)
        try:
            line.connect()
        except OSError:
            return self._application(environ, start_response)
        try:
            status, headers, body = _answer(line, environ)
        except (OSError, http.client.HTTPException):
            body = json.dumps({"error": RESTARTED}).encode()
            status, headers = "429 Too Many Requests", [("Content-Type", "application/json")]
        finally:
            line.close()
        start_response(status, [*headers, ("Content-Length", str(len(body)))])
        return [body]


class _Line(http.client.HTTPConnection):
    def __init__(self, path: str) -> None:
        super().__init__("localhost")
        self._socket_path = path

    def connect(self) -> None:
        self.sock = socket.socket(socket.AF_UNIX)
        self.sock.connect(self._socket_path)


def _computes(environ: Environ) -> bool:
    try:
        path = environ["PATH_INFO"].encode("latin-1").decode()
        return getattr(resolve(path).func, "computes", False)
    except (Resolver404, UnicodeDecodeError):
        return False


def _answer(line: _Line, environ: Environ) -> tuple[str, list[tuple[str, str]], bytes]:
    """Status, headers and body. Raises OSError or HTTPException if the other side went away, or the client did."""
    body = environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))
    query = environ.get("QUERY_STRING", "")
    path = quote(environ["PATH_INFO"].encode("latin-1"), safe="/:@&+$,;=~!*'()") + (f"?{query}" if query else "")
    line.request(environ["REQUEST_METHOD"], path, body, _headers(environ))
    is_gone = environ.get("waitress.client_disconnected") or (lambda: False)
    arrived = select.poll()
    arrived.register(line.sock, select.POLLIN)
    while not arrived.poll(LOOK_EVERY * 1000):
        if is_gone():
            raise ConnectionAbortedError
    answer = line.getresponse()
    kept = [(name, value) for name, value in answer.getheaders() if name.lower() not in OF_A_HOP]
    return f"{answer.status} {answer.reason}", kept, answer.read()


def _headers(environ: Environ) -> dict[str, str]:
    """The headers of the client, and from where and how it came."""
    given = {name[5:].replace("_", "-").title(): value for name, value in environ.items() if name.startswith("HTTP_")}
    kept = {
        name: value for name, value in given.items()
        if name.lower() not in OF_A_HOP and not name.startswith("X-Forwarded")
    }  # fmt: skip
    if environ.get("CONTENT_TYPE"):
        kept["Content-Type"] = environ["CONTENT_TYPE"]
    return kept | {"X-Forwarded-For": environ["REMOTE_ADDR"], "X-Forwarded-Proto": environ["wsgi.url_scheme"]}
