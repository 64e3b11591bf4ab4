"""Campaigns of faults at full size, with counts; the tests carry a seeded tenth of each. All that is no answer must be 0.

`python -m bench faults` runs them all; `python -m bench.faults NAME` one of them. Clients want a house that runs with its
demo: `./eager start`.
"""

from __future__ import annotations

import http.client
import http.cookiejar
import json
import os
import random
import re
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from html import unescape
from pathlib import Path
from urllib.parse import urlencode

from bench import servers
from prism.tests.damaged import damaged_files, odd_files
from prism.tests.readers import READERS, outcome

FILES = 4_500
CLIENTS, SECONDS = 20, 60
MEMORY_AIM = 1.2e9  # bytes of all web processes and what decodes for them
ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("EAGER_VAR", ROOT / "var"))
ADDRESS = f"http://127.0.0.1:{os.environ.get('EAGER_PORT', '8710')}"


def run() -> None:
    for campaign in CAMPAIGNS.values():
        campaign()


def files() -> None:
    """Damaged files, and the worst ever met, by every reader."""
    counts: Counter[tuple[str, str]] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        for path in damaged_files(Path(folder), FILES, seed=1):
            counts.update((name, outcome(read, path)) for name, read in READERS.items())
    with tempfile.TemporaryDirectory() as folder:
        for path in odd_files(Path(folder)).values():
            counts.update((name, outcome(read, path)) for name, read in READERS.items())
    print(f"{FILES} damaged files and the worst ever met")
    for (name, ended), count in sorted(counts.items()):
        print(f"  {name:<14}{ended:<12}{count:>6}")


def requests() -> None:
    """Mutated requests, on a database of the tests."""
    _tests("desk.tests.test_requests")


def kills() -> None:
    """Workers, decoders, the queue's and the database's connections, on a database of the tests."""
    _tests("desk.tests.test_kills")


def clients() -> None:
    """Twenty at once for a minute on the running demo: answers, their times, and the memory of the web processes."""
    counts: Counter[int] = Counter()
    seconds: list[float] = []
    most: list[float] = []
    over = threading.Event()
    watching = threading.Thread(target=lambda: _watch_memory(over, most))
    watching.start()
    with ThreadPoolExecutor(CLIENTS) as pool:
        for codes, taken in pool.map(_visit, range(CLIENTS)):
            counts.update(codes)
            seconds += taken
    over.set()
    watching.join()
    ordered = sorted(seconds)
    print(
        f"{CLIENTS} clients for {SECONDS} s: {len(seconds)} answers, median {statistics.median(seconds) * 1e3:.0f} ms, "
        f"one in twenty over {ordered[int(len(ordered) * 0.95)] * 1e3:.0f} ms; most memory {max(most) / 1e9:.2f} GB "
        f"(aim: under {MEMORY_AIM / 1e9} GB)"
    )
    for code, count in sorted(counts.items()):
        print(f"  {code:<6}{count:>6}")


CAMPAIGNS = {"files": files, "requests": requests, "kills": kills, "servers": servers.run, "clients": clients}


def _tests(name: str) -> None:
    subprocess.run([ROOT / "eager", "test", name], env=os.environ | {"EAGER_FAULTS": "full"}, check=False)


class Visitor:
    """One browser: logged in, and asking as the Rebuild page does."""

    def __init__(self) -> None:
        self._jar = http.cookiejar.CookieJar()
        self._open = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self._jar)).open
        self.codes: list[int] = []
        self.seconds: list[float] = []
        password = json.loads((VAR / "secrets.json").read_text()).get("demo", "demo")
        self.get("/login/")
        form = {"username": "demo", "password": password, "csrfmiddlewaretoken": self._token}
        self._ask(urllib.request.Request(f"{ADDRESS}/login/", urlencode(form).encode()))

    def get(self, path: str) -> str:
        return self._ask(urllib.request.Request(ADDRESS + path)).decode(errors="replace")

    def post(self, path: str, body: dict) -> None:
        headers = {"Content-Type": "application/json", "Accept": "application/json", "X-CSRFToken": self._token}
        self._ask(urllib.request.Request(ADDRESS + path, json.dumps(body).encode(), headers))

    @property
    def _token(self) -> str:
        return next(cookie.value for cookie in self._jar if cookie.name == "csrftoken")

    def _ask(self, request: urllib.request.Request) -> bytes:
        begun = time.perf_counter()
        try:
            with self._open(request, timeout=60) as answer:
                code, body = answer.status, answer.read()
        except urllib.error.HTTPError as error:
            code, body = error.code, b""
        except (OSError, http.client.HTTPException):
            code, body = 0, b""  # no answer at all
        self.codes.append(code)
        self.seconds.append(time.perf_counter() - begun)
        return body


def _visit(number: int) -> tuple[list[int], list[float]]:
    dice, visitor, begun = random.Random(number), Visitor(), time.time()
    page = visitor.get("/shots/ORR/ORR_010/rebuild/")
    data = json.loads(unescape(re.search(r'<script id="page-data"[^>]*>(.*?)</script>', page, re.S)[1]))
    ledger, serial = data["ledger"], 0
    until = time.monotonic() + SECONDS
    while time.monotonic() < until:
        serial += 1
        row = dice.choice(ledger["rows"])
        row["amount"] = round(dice.uniform(0, 2), 2)
        frame = dice.choice(data["frames"])
        body = {"ledgerId": data["ledgerId"], "ledger": ledger, "frame": frame, "view": "srgb"}
        subject = {"subject": {"kind": "ledger", "edited": row["id"]}}
        picture = {
            "viewer": f"client {number} {begun}",
            "serial": serial,
            "width": 960,
            "encoding": "jpeg",
        }
        visitor.post(data["urls"]["picture"], body | subject | picture)
        if serial % 4 == 0:
            visitor.post(data["urls"]["contributions"], body)
            visitor.post(data["urls"]["probe"], body | subject | {"x": dice.randrange(400), "y": dice.randrange(200)})
        if serial % 10 == 0:
            visitor.get(dice.choice(["/", "/work/", "/shots/ORR/ORR_010/plan/", "/shots/ORR/ORR_010/render/"]))
        time.sleep(dice.uniform(0, 0.3))
    return visitor.codes, visitor.seconds


def _watch_memory(over: threading.Event, most: list[float]) -> None:
    """Of the web server and all its children, shared pages counted once."""
    master = int((VAR / "run" / "web.pid").read_text().split()[0])
    while not over.wait(1):
        most.append(sum(map(_own_bytes, _family(master))))


def _family(pid: int) -> Iterator[int]:
    yield pid
    for children in Path(f"/proc/{pid}/task").glob("*/children"):
        for child in children.read_text().split():
            yield from _family(int(child))


def _own_bytes(pid: int) -> float:
    try:
        rollup = Path(f"/proc/{pid}/smaps_rollup").read_text()
    except OSError:
        return 0
    return int(re.search(r"^Pss:\s+(\d+)", rollup, re.M)[1]) * 1024


if __name__ == "__main__":
    for name in sys.argv[1:] or CAMPAIGNS:
        CAMPAIGNS[name]()
