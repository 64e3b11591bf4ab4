"""Files sent in pieces and notes said while web processes are killed, on the running demo: each file arrives whole,
and no note that was said is gone."""

from __future__ import annotations

import hashlib
import http.client
import json
import os
import random
import signal
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path
from urllib.parse import quote

import numpy as np

from bench.clients import CLOSE_SESSIONS, OPEN_SESSIONS, PORT, TOKEN, VAR
from bench.servers import House
from prism.formats.exr import write_exr
from prism.pixels.image import Image

KILL_EVERY = (1.5, 3.0)  # seconds between kills, from and to: a process that is killed is there again within one
PIECE = 200_000  # bytes
WHERE = "/shots/ORR/ORR_010"
PREPARE = """
import json
from django.contrib.auth import get_user_model
from desk.handoff.models import Delivery
from desk.handoff.services import order
from desk.rebuild.services import open_ledger
from desk.shots.models import Shot
from prism.delivery.document import Delivery as Document
shot, user = Shot.objects.get(code="ORR_010"), get_user_model().objects.get(username="bench-0")
movie = Document.from_json({"items": [{"id": "movie", "encoding": {"kind": "movie"}}]})
print(json.dumps([shot.folder, order(shot, open_ledger(shot), user, "1001", movie).pk]))
"""
JUDGE = """
import json
from desk.handoff.models import Note
print(json.dumps(list(Note.objects.filter(text__startswith="bench-sent ").values_list("text", flat=True))))
Note._base_manager.filter(text__startswith="bench-sent ").delete()
"""


def run(files: int) -> dict[str, object]:
    """files: that are sent, each with as many notes as it has pieces."""
    house = House(VAR, {})
    session = json.loads(house.python(OPEN_SESSIONS))[0]
    folder, delivery = json.loads(house.python(PREPARE))
    over, kills = threading.Event(), [0]
    killing = threading.Thread(target=_kill, args=(over, kills))
    killing.start()
    client, sent, lost, said = _Client(session), {}, 0, []
    try:
        for number in range(files):
            name, whole = f"bench.{number:04d}.exr", _picture(number)
            sent[name] = whole
            said += _send(client, name, whole, f"{WHERE}/hand-off/{delivery}/review/movie/note/")
    finally:
        over.set()
        killing.join()
        known = json.loads(house.python(JUDGE))
        house.python(CLOSE_SESSIONS)
    for name, whole in sent.items():
        path = VAR / "storage" / folder / "uploads" / "bench" / name
        lost += not path.is_file() or path.read_bytes() != whole
        path.unlink(missing_ok=True)
    return {
        "files sent": files,
        "web processes killed": kills[0],
        "requests without an answer": client.without,
        "files not whole, must be 0": lost,
        "notes said": len(said),
        "notes that are gone, must be 0": len(set(said) - set(known)),
    }


class _Client:
    """One browser that asks again until it is answered."""

    def __init__(self, session: str) -> None:
        self._headers = {
            "Cookie": f"sessionid={session}; csrftoken={TOKEN}", "X-CSRFToken": TOKEN, "Accept": "application/json",
        }  # fmt: skip
        self.without = 0

    def ask(self, path: str, body: bytes, kind: str = "application/json") -> dict:
        while True:
            line = http.client.HTTPConnection("127.0.0.1", PORT, timeout=30)
            try:
                line.request("POST", path, body, self._headers | {"Content-Type": kind})
                answer = line.getresponse()
                text = answer.read()
                if answer.status == 200:
                    return json.loads(text)
                raise RuntimeError(f"{path} answered {answer.status}: {text[:200]!r}")
            except (OSError, http.client.HTTPException):
                self.without += 1
                time.sleep(0.1)
            finally:
                line.close()


def _send(client: _Client, name: str, whole: bytes, note: str) -> list[str]:
    """A file as the page sends it, and a note after each piece. Returns the notes."""
    digest, at, said = hashlib.sha256(whole).hexdigest(), 0, []
    coming = {"folder": "bench", "files": [{"name": name, "size": len(whole), "digest": digest}]}
    at = client.ask(f"{WHERE}/intake/upload/", json.dumps(coming).encode())["files"][0]["at"]
    while at < len(whole):
        query = f"folder=bench&name={quote(name)}&size={len(whole)}&at={at}&digest={digest}"
        piece = whole[at : at + PIECE]
        at = client.ask(f"{WHERE}/intake/upload/piece/?{query}", piece, "application/octet-stream")["at"]
        said.append(f"bench-sent {name} {at}")
        client.ask(note, json.dumps({"frame": 1001, "x": 0.5, "y": 0.5, "text": said[-1]}).encode())
    return said


def _picture(seed: int) -> bytes:
    """A small OpenEXR file that does not pack."""
    rng = np.random.default_rng(seed)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.exr"
        planes = {name: rng.random((300, 400)).astype(np.float32) for name in "RGB"}
        write_exr(path, Image.of_planes(planes), compression="none")
        return path.read_bytes()


def _kill(over: threading.Event, kills: list[int]) -> None:
    """One of the processes that answer pages, now and then."""
    dice = random.Random(4)
    while not over.wait(dice.uniform(*KILL_EVERY)):
        master = int((VAR / "run" / "web.pid").read_text().split()[0])
        children = Path(f"/proc/{master}/task/{master}/children").read_text().split()
        with suppress(ProcessLookupError, IndexError):
            os.kill(int(dice.choice(children)), signal.SIGKILL)
            kills[0] += 1
