"""Twenty artists who drag, and then one beside a reviewer who asks for the dearest pictures there are, on the running
demo: answers, their times, and the memory of the web processes."""

from __future__ import annotations

import http.client
import json
import os
import random
import re
import threading
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from html import unescape
from pathlib import Path

from bench.servers import House

CLIENTS, SECONDS, HOSTILE = 20, 40, 16
MEMORY_AIM = 1.2e9  # bytes of all web processes and what decodes for them
KEPT_AIM = 250e6  # bytes more after all of it than after the first picture: their caches, and no more
WORKER_AIM = 200e6  # bytes of one worker process without a task
SETTLED = 100  # seconds after which nothing is left of what was done: idle decoders have ended
PAGE_AIM, LATE_AIM = 1.0, 2.0  # seconds: p95 of a simple page, and by which a reviewer may make a picture late
ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("EAGER_VAR", ROOT / "var"))
PORT = int(os.environ.get("EAGER_PORT", "8710"))
ADDRESS = f"http://127.0.0.1:{PORT}"
TOKEN = "0" * 32

OPEN_SESSIONS = f"""
import json
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY, get_user_model
from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore
from desk.shots.models import Membership, Production
keys = []
for number in range({CLIENTS + 1}):
    user, _ = get_user_model().objects.get_or_create(username=f"bench-{{number}}")
    role = "reviewer" if number == {CLIENTS} else "artist"
    production = Production.objects.get(code="ORR")
    Membership.objects.update_or_create(production=production, user=user, defaults={{"role": role}})
    session = SessionStore()
    session[SESSION_KEY], session[BACKEND_SESSION_KEY] = str(user.pk), settings.AUTHENTICATION_BACKENDS[-1]
    session[HASH_SESSION_KEY] = user.get_session_auth_hash()
    session.save()
    keys.append(session.session_key)
print(json.dumps(keys))
"""
CLOSE_SESSIONS = """
from django.contrib.auth import get_user_model
get_user_model().objects.filter(username__startswith="bench-").delete()
"""


class Client:
    """One browser that is logged in."""

    def __init__(self, session: str) -> None:
        self._cookie = f"sessionid={session}; csrftoken={TOKEN}"
        self.codes: Counter[int] = Counter()
        self.seconds: list[float] = []

    def ask(self, path: str, body: dict | None = None, *, patience: float = 60) -> str:
        """The text of an answer; code 0 is none at all."""
        headers = {"Cookie": self._cookie, "X-CSRFToken": TOKEN, "Content-Type": "application/json", "Accept": "*/*"}
        begun = time.perf_counter()
        line = http.client.HTTPConnection("127.0.0.1", PORT, timeout=patience)
        try:
            line.request("GET" if body is None else "POST", path, None if body is None else json.dumps(body), headers)
            answer = line.getresponse()
            code, text = answer.status, answer.read().decode(errors="replace")
        except (OSError, http.client.HTTPException):
            code, text = 0, ""
        finally:
            line.close()
        self.codes[code] += 1
        self.seconds.append(time.perf_counter() - begun)
        return text


def run(seconds: float) -> dict[str, object]:
    """Simple pages should take less than PAGE_AIM (p95), a reviewer make no picture later than LATE_AIM, and the memory
    of the web stay below MEMORY_AIM."""
    house = House(VAR, {})
    sessions = json.loads(house.python(OPEN_SESSIONS))
    most: list[float] = []
    over = threading.Event()
    watching = threading.Thread(target=_watch_memory, args=(over, most))
    watching.start()
    try:
        page = Client(sessions[0]).ask("/shots/ORR/ORR_010/rebuild/")
        data = json.loads(unescape(re.search(r'<script id="page-data"[^>]*>(.*?)</script>', page, re.S)[1]))
        _drag(Client(sessions[0]), data, 99, 3)
        begun = _web_bytes()
        answers = {"seconds of each part": seconds, **_crowd(sessions[:-1], data, seconds)}
        answers |= _siege(sessions[0], sessions[-1], data, seconds)
        time.sleep(SETTLED)
        worker = max(map(_own_bytes, _family(_master("worker"))))
        return answers | {
            f"most memory of the web in GB, at most {MEMORY_AIM / 1e9}": f"{max(most) / 1e9:.2f}",
            f"more after it than before in MB, at most {KEPT_AIM / 1e6:.0f}": f"{(_web_bytes() - begun) / 1e6:.0f}",
            f"largest worker process in MB, at most {WORKER_AIM / 1e6:.0f}": f"{worker / 1e6:.0f}",
        }
    finally:
        over.set()
        watching.join()
        house.python(CLOSE_SESSIONS)


def _crowd(sessions: list[str], data: dict, seconds: float) -> dict[str, object]:
    """All artists drag, and one of them looks at a simple page."""
    artists, simple, over = [Client(key) for key in sessions], Client(sessions[0]), threading.Event()
    with ThreadPoolExecutor(len(artists) + 1) as pool:
        looking = pool.submit(_look, over, simple)
        for done in [pool.submit(_drag, artist, data, number, seconds) for number, artist in enumerate(artists)]:
            done.result()
        over.set()
        looking.result()
    late = sum(taken > PAGE_AIM for taken in simple.seconds) > len(simple.seconds) / 20
    return {
        **_said("pictures of twenty", artists),
        **_said("simple page beside them", [simple]),
        f"p95 of it over {PAGE_AIM} s, must be 0": int(late),
    }


def _siege(artist: str, reviewer: str, data: dict, seconds: float) -> dict[str, object]:
    """One artist drags alone, and then beside a reviewer with many connections."""
    alone, beside, over = Client(artist), Client(artist), threading.Event()
    attackers = [Client(reviewer) for _ in range(HOSTILE)]
    _drag(alone, data, 100, seconds / 4)
    with ThreadPoolExecutor(HOSTILE) as pool:
        attacking = [pool.submit(_attack, over, attacker, data, number) for number, attacker in enumerate(attackers)]
        _drag(beside, data, 101, seconds)
        over.set()
        for done in attacking:
            done.result()
    usual = _at(sorted(alone.seconds), 0.5)
    return {
        **_said("pictures of one alone", [alone]),
        **_said("pictures beside a hostile reviewer", [beside]),
        **_said("the reviewer's", attackers),
        f"later than {LATE_AIM} s by the reviewer, must be 0": sum(t - usual > LATE_AIM for t in beside.seconds),
    }


def _said(name: str, clients: list[Client]) -> dict[str, object]:
    taken = sorted(taken for client in clients for taken in client.seconds)
    codes = sorted(sum((client.codes for client in clients), Counter()).items())
    return {
        f"{name}: median, p95, most in seconds": f"{_at(taken, 0.5):.2f} {_at(taken, 0.95):.2f} {_at(taken, 1):.2f}",
        **{f"{name}: {code or 'no answer'}": count for code, count in codes},
    }


def _at(ordered: list[float], share: float) -> float:
    return ordered[min(len(ordered) - 1, int(len(ordered) * share))] if ordered else 0.0


def _drag(client: Client, data: dict, number: int, seconds: float) -> None:
    """As the Rebuild page does."""
    dice, ledger, until = random.Random(number), json.loads(json.dumps(data["ledger"])), time.monotonic() + seconds
    serial = int(time.time() * 100)  # later than of any run before
    while time.monotonic() < until:
        serial += 1
        row = dice.choice(ledger["rows"])
        row["amount"] = round(dice.uniform(0, 2), 2)
        body = {"ledgerId": data["ledgerId"], "ledger": ledger, "frame": dice.choice(data["frames"]), "view": "srgb"}
        body |= {"subject": {"kind": "ledger"}, "edited": row["id"]}
        client.ask(
            data["urls"]["picture"], body | {"viewer": f"c{number}", "serial": serial, "width": 960, "encoding": "jpeg"}
        )
        if serial % 4 == 0:
            client.ask(data["urls"]["contributions"], body)
            client.ask(data["urls"]["probe"], body | {"x": dice.randrange(400), "y": dice.randrange(200)})
        time.sleep(dice.uniform(0, 0.3))


def _attack(over: threading.Event, client: Client, data: dict, number: int) -> None:
    """Up to two hundred parts, each blurred, in a picture that is asked for again as soon as it was left."""
    dice = random.Random(1000 + number)
    while not over.is_set():
        parts = [
            {"kind": "range", "source": data["ledger"]["beauty"], "high": dice.random(), "blur": 40, "grow": 15}
            for _ in range(dice.choice([5, 20, 60, 200]))
        ]
        matte = {"id": "m", "kind": "made", "parts": parts}
        rows = [row | {"matte": "m"} for row in data["ledger"]["rows"] if row["kind"] == "pass"]
        ledger = data["ledger"] | {"mattes": [matte], "rows": rows}
        body = {"ledgerId": data["ledgerId"], "ledger": ledger, "frame": data["frames"][0], "view": "srgb"}
        body |= {"viewer": str(dice.random()), "serial": 1, "subject": {"kind": "ledger"}}
        client.ask(
            data["urls"][dice.choice(["picture", "contributions", "balance"])], body, patience=dice.uniform(1, 20)
        )


def _look(over: threading.Event, client: Client) -> None:
    while not over.wait(0.3):
        client.ask("/work/")


def _watch_memory(over: threading.Event, most: list[float]) -> None:
    while not over.wait(1):
        most.append(_web_bytes())


def _web_bytes() -> float:
    """Of the web server, what computes for it, and all their children, shared pages counted once."""
    return sum(_own_bytes(pid) for name in ("web", "pictures") for pid in _family(_master(name)))


def _master(name: str) -> int:
    return int((VAR / "run" / f"{name}.pid").read_text().split()[0])


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
