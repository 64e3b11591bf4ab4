"""What concerns the house as a whole: logins, HTTPS, several processes, requests at once, and a backup put back."""

import json
import os
import re
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import zipfile
from pathlib import Path
from unittest import mock
from uuid import uuid4

from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import OperationalError, connection, connections
from django.test import Client, RequestFactory, TransactionTestCase, override_settings
from django.urls import reverse
from redis.exceptions import ConnectionError as RedisConnectionError

from demo.conservatory import build_scene
from desk.accounts.services import checking_passwords
from desk.elements.models import Place
from desk.house import backup, health
from desk.jobs import engine
from desk.jobs.models import Task
from desk.plan.services import open_plan
from desk.serving import MOST_UNFINISHED, SLOWEST, WHOLE_WITHIN, BoundedChannel
from desk.shots.models import Production, Shot
from desk.tests.world import Together, World, WorldCase
from desk.viewer.newest import claim_newest
from desk.web import limits
from desk.web.limits import Busy, one_of_few
from prism.delivery.presets import PRESETS
from prism.errors import BadDocument, UnreadableFile


class Logins(WorldCase):
    def log_in(self, client, name="ada", password="light-and-shade"):
        return client.post(reverse("login"), {"username": name, "password": password})

    def test_wrong_passwords_are_slowed_and_logged(self):
        client = Client()
        with self.assertLogs("axes", "WARNING") as logged:
            codes = [self.log_in(client, password=f"guess{n}").status_code for n in range(6)]
        self.assertEqual(codes, [200] * 4 + [429] * 2)
        self.assertIn("ada", " ".join(logged.output))
        self.assertNotIn("guess", " ".join(logged.output))
        refused = self.log_in(client)
        self.assertContains(refused, "Too many wrong passwords", status_code=429)
        self.assertEqual(
            self.log_in(Client(REMOTE_ADDR="10.1.2.3")).status_code, 302
        )  # from elsewhere, with the right one
        self.assertEqual(self.log_in(client, "rex").status_code, 302)  # nor is anybody else kept out

    def test_names_that_are_none_are_refused_like_any(self):
        for name in ("x" * 151, "x" * 5000, "☃" * 150, "a\x00b", " "):
            self.assertEqual(self.log_in(Client(REMOTE_ADDR="10.1.2.4"), name).status_code, 200)

    def test_guesses_of_the_old_password_are_slowed_alike(self):
        new = {"new_password1": "a-fine-word-9", "new_password2": "a-fine-word-9"}
        with self.assertLogs("axes", "WARNING"):
            codes = [
                self.client.post(reverse("password"), {"old_password": f"guess{n}"} | new).status_code for n in range(6)
            ]
        self.assertEqual(codes, [422] * 4 + [429] * 2)
        self.artist.refresh_from_db()
        self.assertTrue(self.artist.check_password("light-and-shade"))

    def test_passwords_that_everybody_guesses_are_not_chosen(self):
        for bad in ("password123", "8520147963", "short1"):
            new = {"old_password": "light-and-shade", "new_password1": bad, "new_password2": bad}
            self.assertEqual(self.client.post(reverse("password"), new).status_code, 422)

    def test_few_are_checked_at_once_and_few_from_one_address(self):
        client = Client(REMOTE_ADDR="10.9.9.9")
        places = f"passwords {client.defaults['REMOTE_ADDR']}"
        with one_of_few(places, at_once=2), one_of_few(places, at_once=2), mock.patch.object(limits, "PATIENCE", 0.0):
            self.assertEqual(self.log_in(client).status_code, 429)
            self.assertEqual(self.log_in(Client(REMOTE_ADDR="10.9.9.8")).status_code, 302)
        with mock.patch("desk.accounts.services.MOST_TRIES", 3):
            codes = [self.log_in(Client(REMOTE_ADDR="10.9.9.7"), f"name{n}").status_code for n in range(5)]
        self.assertEqual(codes, [200] * 3 + [429] * 2)

    def test_sixty_passwords_a_minute_are_checked_from_one_address(self):
        """Enough for a house behind one address, too few for a list of a thousand."""
        request = RequestFactory(REMOTE_ADDR="10.9.9.6").get("/")
        for _ in range(60):
            with checking_passwords(request):
                pass
        with self.assertRaises(Busy), checking_passwords(request):
            self.fail("it was let in")

    def test_a_right_one_begins_the_count_anew(self):
        client = Client()
        with self.assertLogs("axes", "WARNING"):
            for _ in range(3):
                codes = [self.log_in(client, password="guess").status_code for _ in range(3)]
                self.assertEqual((codes, self.log_in(client).status_code), ([200] * 3, 302))
                client.logout()


class Deployed(WorldCase):
    def run_with(self, code: str) -> str:
        variables = os.environ | {"EAGER_HTTPS": "1", "EAGER_HOSTS": "prism.example", "EAGER_ROOTS": str(self.root)}
        result = subprocess.run(
            [sys.executable, "manage.py", *code.split()],
            cwd=settings.BASE,
            env=variables,
            capture_output=True,
            text=True,
        )
        return f"{result.returncode} {result.stdout}{result.stderr}"

    def test_the_check_for_deployment_is_clean(self):
        self.assertIn(
            "0 System check identified no issues (0 silenced).", self.run_with("check --deploy --fail-level WARNING")
        )

    def test_it_can_say_no(self):
        with mock.patch.dict(os.environ, EAGER_SECRET_KEY="short"):
            self.assertIn("security.W009", self.run_with("check --deploy --fail-level WARNING"))


def is_closed(line: socket.socket) -> bool:
    line.setblocking(False)
    try:
        return line.recv(1) == b""
    except BlockingIOError:
        return False
    except OSError:
        return True


class Health(WorldCase):
    """It says no to each of its parts, to nobody anything of the machine, and waits for none."""

    def asked(self):
        answer = Client().get("/health/")
        body = answer.json()
        self.assertEqual(answer.status_code, 200 if body["ok"] else 503)
        self.assertNotIn(str(settings.STORAGE_ROOTS[0]), answer.content.decode())
        return {name for name, part in body["parts"].items() if not part["ok"]}

    def test_each_part(self):
        answers = dict.fromkeys(health.PARTS, lambda: "is there")
        with mock.patch.dict(health.PARTS, answers):
            self.assertEqual(self.asked(), set())
        broken = (
            ("database", type(connections["default"]), "get_new_connection", OperationalError(2002, "gone")),
            ("queue", health.QUEUE, "ping", RedisConnectionError()),
        )
        for name, owner, method, error in broken:
            part = health.PARTS[name]
            others = answers | {name: part}
            with mock.patch.dict(health.PARTS, others), mock.patch.object(owner, method, side_effect=error):
                self.assertEqual(self.asked(), {name})
        for found, faulty in (([], {"workers"}), (["one"], set())):
            part = answers | {"workers": health.PARTS["workers"]}
            with mock.patch.dict(health.PARTS, part), mock.patch.object(health, "running_workers", return_value=found):
                self.assertEqual(self.asked(), faulty)

    def test_the_disk(self):
        answers = dict.fromkeys(health.PARTS, lambda: "is there") | {"storage": health.PARTS["storage"]}
        with mock.patch.dict(health.PARTS, answers):
            for free, faulty in ((health.LEAST_FREE, set()), (health.LEAST_FREE - 1, {"storage"})):
                with mock.patch.object(health.shutil, "disk_usage", return_value=mock.Mock(free=free)):
                    self.assertEqual(self.asked(), faulty)
            with mock.patch.object(health.os, "access", return_value=False):
                self.assertEqual(self.asked(), {"storage"})

    def test_what_hangs_is_not_waited_for(self):
        over = threading.Event()
        self.addCleanup(over.set)
        answers = dict.fromkeys(health.PARTS, lambda: "is there") | {"database": lambda: over.wait(60)}
        with mock.patch.dict(health.PARTS, answers), mock.patch.object(health, "PATIENCE", 0.05):
            self.assertEqual(self.asked(), {"database"})

    def test_the_records_of_a_session_are_not_asked(self):
        """Nor are the pictures there before somebody listens."""
        answers = dict.fromkeys(health.PARTS, lambda: "is there") | {"pictures": health.PARTS["pictures"]}
        asked = mock.patch("django.contrib.sessions.backends.db.SessionStore.load", side_effect=OperationalError)
        self.client.force_login(self.artist)
        with mock.patch.dict(health.PARTS, answers), asked as load:
            self.assertEqual(self.client.get(reverse("health")).status_code, 200)
            with mock.patch.dict(os.environ, EAGER_PICTURES="/nowhere/pictures.sock"):
                answer = self.client.get(reverse("health"))
        self.assertEqual((answer.status_code, answer.json()["parts"]["pictures"]["ok"]), (503, False))
        load.assert_not_called()

    def test_a_page_without_a_database_says_so_under_a_number(self):
        gone = OperationalError(2002, "Can't connect to server on '127.0.0.1'")
        self.client.raise_request_exception = False
        for target in ("django.contrib.sessions.backends.db.SessionStore.load", "desk.house.views._row"):
            with mock.patch(target, side_effect=gone), self.assertLogs("desk.web.faults") as logged:
                answer = self.client.get("/")
                self.assertEqual(answer.status_code, 503)
                number = re.search(r"fault ([0-9a-f]{8})", answer.content.decode())[1]
                self.assertIn(number, logged.output[0])
                self.assertIn("The database does not answer", answer.content.decode())
                self.assertNotIn("127.0.0.1", answer.content.decode())


class Late(unittest.TestCase):
    """A request has a time in which it must have come whole, whatever pauses it makes."""

    def is_late(self, after, length=None, begun=100.0):
        channel = mock.Mock(begun=begun, request=mock.Mock(content_length=length))
        return BoundedChannel.is_late(channel, 100 + after)

    def test_headers_and_bodies(self):
        self.assertFalse(self.is_late(WHOLE_WITHIN - 1))
        self.assertTrue(self.is_late(WHOLE_WITHIN + 1))
        self.assertFalse(self.is_late(WHOLE_WITHIN + 1, length=8 << 20))
        self.assertTrue(self.is_late(WHOLE_WITHIN + (8 << 20) / SLOWEST + 1, length=8 << 20))
        self.assertFalse(self.is_late(1e6, begun=None))  # idle, between two requests


class Serving(WorldCase):
    """Real web processes, several, as the launcher starts them."""

    def serve(self, **environment) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        variables = os.environ | {"EAGER_DB_NAME": connection.settings_dict["NAME"], "EAGER_ROOTS": str(self.root)}
        self.server = subprocess.Popen(
            [
                sys.executable, "-m", "gunicorn", "desk.wsgi", "--bind", f"127.0.0.1:{self.port}", "--workers", "2",
                "--worker-class", "desk.serving.BufferedWorker", "--no-control-socket",
            ],
            cwd=settings.BASE, env=variables | environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        self.addCleanup(self.server.wait)
        self.addCleanup(self.server.terminate)
        deadline = time.monotonic() + 120
        while not self.ask():
            self.assertLess(time.monotonic(), deadline, "the server does not answer")
            time.sleep(0.2)

    def ask(self, path: str = "/login/", **headers: str) -> bytes:
        try:
            with socket.create_connection(("127.0.0.1", self.port), timeout=20) as line:
                lines = "".join(f"{name.replace('_', '-')}: {value}\r\n" for name, value in headers.items())
                line.sendall(f"GET {path} HTTP/1.0\r\nHost: 127.0.0.1\r\n{lines}\r\n".encode())
                return b"".join(iter(lambda: line.recv(4000), b""))
        except OSError:
            return b""

    def workers(self) -> set[int]:
        children = Path(f"/proc/{self.server.pid}/task/{self.server.pid}/children").read_text()
        return set(map(int, children.split()))

    def test_behind_a_proxy_with_https(self):
        """Whoever comes without HTTPS is sent there; the proxy's word is taken, and from others nobody's."""
        self.serve(EAGER_HTTPS="1", EAGER_PROXY="127.0.0.1")
        self.assertIn(b"301 Moved", self.ask("/login/"))
        self.assertIn(b"200 OK", secure := self.ask("/login/", X_Forwarded_Proto="https", X_Forwarded_For="10.1.2.3"))
        self.assertIn(b"Strict-Transport-Security", secure)
        self.assertRegex(secure, rb"Set-Cookie: +csrftoken=.*[Ss]ecure")
        self.serve(EAGER_HTTPS="1", EAGER_PROXY="10.9.9.9")
        self.assertIn(b"301 Moved", self.ask("/login/", X_Forwarded_Proto="https"))

    def test_slow_clients_and_killed_processes_stop_nobody(self):
        self.serve()
        held = []
        for start in (
            b"GET /login/ HTTP/1.1\r\nHost: 127.0.0.1\r\nX: ",
            b"POST /login/ HTTP/1.1\r\nContent-Length: 99999\r\n\r\n",
        ):
            for _ in range(60):
                held.append(socket.create_connection(("127.0.0.1", self.port)))
                self.addCleanup(held[-1].close)
                held[-1].sendall(start)
        self.assertTrue(all(self.ask().startswith(b"HTTP/1.0 200") for _ in range(20)))
        for _ in range(120):  # more of one address than may be unfinished: those that began first are closed
            held.append(socket.create_connection(("127.0.0.1", self.port)))
            self.addCleanup(held[-1].close)
            held[-1].sendall(b"GET / HTTP/1.1\r\nX: ")
        deadline = time.monotonic() + 30
        while sum(is_closed(line) for line in held) < len(held) - 2 * MOST_UNFINISHED:
            self.assertLess(time.monotonic(), deadline, "unfinished connections stay open")
            time.sleep(0.2)
        self.assertTrue(self.ask().startswith(b"HTTP/1.0 200"))
        before = self.workers()
        self.assertEqual(len(before), 2)
        os.kill(min(before), 9)
        answers = [self.ask() for _ in range(20)]
        self.assertGreaterEqual(sum(answer.startswith(b"HTTP/1.0 200") for answer in answers), 18)
        deadline = time.monotonic() + 30
        while len(self.workers() - before) < 1:
            self.assertLess(time.monotonic(), deadline, "the killed process was not replaced")
            time.sleep(0.1)


class Newest(WorldCase):
    def test_it_is_known_to_every_process(self):
        viewer = f"a page of {uuid4()}"
        stale = claim_newest(viewer, 5)
        self.assertFalse(stale())
        code = f"from desk.viewer.newest import claim_newest; print(claim_newest('{viewer}', {{}})())"

        def elsewhere(serial):
            return subprocess.run(
                [sys.executable, "-c", "import django; django.setup(); " + code.format(serial)], cwd=settings.BASE,
                env=os.environ | {"DJANGO_SETTINGS_MODULE": "desk.settings"}, capture_output=True, text=True,
            ).stdout.strip()  # fmt: skip

        self.assertEqual(elsewhere(4), "True")
        self.assertEqual(elsewhere(6), "False")
        self.assertTrue(stale())

    def test_without_a_queue_nothing_is_dropped(self):
        with mock.patch("desk.viewer.newest.QUEUE") as gone:
            gone.pipeline.side_effect = claim_newest.__globals__["redis"].ConnectionError
            self.assertFalse(claim_newest("x", 1)())


class AtOnce(World, Together, TransactionTestCase):
    """First visits and creations, eight of each in the same moment: none fails otherwise than in words, none is
    doubled."""

    def setUp(self):
        super().setUp()
        self.build()
        patched = mock.patch.object(engine, "send", return_value=True)
        patched.start()
        self.addCleanup(patched.stop)
        self.artist.is_staff = True
        self.artist.save()
        self.production.memberships.filter(user=self.artist).update(role="owner")

    def ask_together(self, method: str, address: str, **arguments) -> list[int]:
        def ask():
            client = Client()
            client.force_login(self.artist)
            return getattr(client, method)(address, **arguments).status_code

        return self.together(ask, 8)

    def test_first_visits(self):
        self.render(1001)
        self.bring_in()
        for name in ("rebuild", "plan", "render", "hand-off", "intake"):
            self.assertEqual(set(self.ask_together("get", self.url(name))), {200}, name)
        self.assertEqual(self.shot.ledgers.count(), 1)

    def test_creations(self):
        self.render(1001)
        self.give_scene(build_scene())
        plan = open_plan(self.shot).document
        as_json = {"content_type": "application/json"}
        shot = {
            "code": "NEW_010",
            "title": "",
            "frames": "1-2",
            "rate": "24",
            "size": "",
            "width": "64",
            "height": "36",
            "space": "lin_rec709",
            "camera": "",
        }
        cases = (
            (reverse("production-new"), {"data": {"code": "NEW", "title": "x"}}, Production.objects.filter(code="NEW")),
            (reverse("production", args=["TST"]), {"data": shot}, Shot.objects.filter(code="NEW_010")),
            (
                self.url("intake-bring"),
                {"data": json.dumps({"folder": str(self.folder), "name": "files"}), **as_json},
                Place.objects.filter(name="files"),
            ),
            (
                self.url("plan-presets"),
                {"data": json.dumps({"action": "keep", "new": "mine", "plan": plan}), **as_json},
                self.production.presets.filter(name="mine"),
            ),
            (
                self.url("plan-sizes"),
                {"data": json.dumps({"title": "s", "width": 9, "height": 9}), **as_json},
                self.production.sizes.filter(title="s"),
            ),
            (
                self.url("plan-measure"),
                {"data": json.dumps({"camera": "wide"}), **as_json},
                Task.objects.filter(title="wide"),
            ),
            (reverse("accounts"), {"data": {"name": "eve"}}, get_user_model().objects.filter(username="eve")),
        )
        for address, arguments, made in cases:
            with self.subTest(address):
                codes = self.ask_together("post", address, **arguments)
                self.assertLess(max(codes), 500, codes)
                self.assertEqual(made.count(), 1)

    def test_the_same_order_eight_times_is_one_delivery(self):
        self.with_ledger()
        order = {"frames": "1001-1002", "document": PRESETS["picture"].as_json()}
        asked = {"data": json.dumps(order), "content_type": "application/json"}
        self.assertEqual(set(self.ask_together("post", self.url("hand-off-order"), **asked)), {200})
        self.assertEqual((self.shot.deliveries.count(), Task.objects.count()), (1, 3))  # two frames, and the closing
        self.assertEqual(self.ledger.versions.count(), 1)


class Backup(World, TransactionTestCase):
    def setUp(self):
        super().setUp()
        self.build()
        self.file = Path(tempfile.mkdtemp(dir=self.root)) / "house.zip"

    def everything(self) -> dict[str, list]:
        """Every record as the database has it."""
        return {model._meta.label: list(model._default_manager.order_by("pk").values()) for model in backup._models()}

    def empty(self):
        for model in reversed(list(backup._models())):
            with connection.constraint_checks_disabled():
                model._default_manager.all().delete()

    def test_put_back_into_an_empty_house_everything_is_as_it_was(self):
        self.with_ledger()
        self.give_scene(build_scene())
        with mock.patch.object(engine, "send", return_value=True):
            engine.begin("render", self.shot, "a job", [Task(number=n, title=f"{n}") for n in range(3)])
        before = self.everything()
        self.assertGreater(sum(map(len, before.values())), 12)
        counts = backup.backup(self.file)
        self.assertEqual(self.file.stat().st_mode & 0o077, 0)
        self.empty()
        get_user_model().objects.create_user("owner")  # of a first start
        self.assertEqual(backup.restore(self.file), {label: count for label, count in counts.items() if count})
        self.assertEqual(self.everything(), before)
        client = Client()
        self.assertEqual(
            client.post(reverse("login"), {"username": "ada", "password": "light-and-shade"}).status_code, 302
        )
        self.assertContains(client.get(self.url("rebuild")), "page-data")

    def test_storage_that_lies_elsewhere_is_found(self):
        self.with_ledger()
        backup.backup(self.file)
        self.empty()
        elsewhere = Path(tempfile.mkdtemp(dir=self.root))
        with override_settings(STORAGE_ROOTS=[elsewhere]):
            backup.restore(self.file)
            self.assertEqual(Place.objects.get().folder, str(elsewhere / "TST" / "TST_010" / "render"))

    def test_what_is_refused_changes_nothing(self):
        self.with_ledger()
        backup.backup(self.file)
        with self.assertRaisesRegex(BadDocument, "productions here already"):
            backup.restore(self.file)
        self.empty()
        whole = self.file.read_bytes()
        broken = {"cut": whole[: len(whole) // 2], "empty": b"", "text": b"records", "flipped": self.flipped(whole)}
        for name, content in broken.items():
            self.file.write_bytes(content)
            with self.subTest(name), self.assertRaises(UnreadableFile):
                backup.restore(self.file)
        for change, text in (
            ({"migrations": ["shots.0001_initial"]}, "another version"),
            ({"format": "eager-prism.plan"}, "eager-prism.backup"),
            ({"roots": 7}, "list"),
            ({"roots": []}, "At least 1"),
            ({"counts": [1]}, "Names with values"),
            ({"migrations": None}, "list"),
            ({"made": 9}, "A text"),
            ({"counts": {"auth.user": 9}}, "Records are missing"),
        ):
            self.changed(whole, change)
            with self.subTest(text), self.assertRaisesRegex((BadDocument, UnreadableFile), text):
                backup.restore(self.file)
        self.assertEqual(sum(map(len, self.everything().values())), 0)

    def test_a_crafted_record_is_refused_by_its_name(self):
        """Each as the database would have taken it: folders outside, documents that are none, kinds that are in no
        backup."""
        self.with_ledger()
        self.give_scene(build_scene())
        backup.backup(self.file)
        self.empty()
        whole = self.file.read_bytes()
        for label, change, text in (
            ("shots.shot", {"folder": "../../etc"}, "does not belong"),
            ("shots.shot", {"folder": "OTHER/TST_010"}, "does not belong"),
            ("shots.shot", {"code": "a b"}, "Letters, digits"),
            ("elements.place", {"folder": "/etc"}, "does not belong"),
            ("elements.element", {"document": []}, "kind of value"),
            ("elements.element", {"choices": {"beauty": {"state": "odd"}}}, "state"),
            ("plan.plan", {"document": {"shot": 7}}, "plan.plan"),
            ("rebuild.ledger", {"document": {"rows": [{}]}}, "rebuild.ledger"),
            ("scenes.sceneversion", {"document": {}}, "neither a scene"),
            ("shots.membership", {"role": "king"}, "king"),
        ):
            with self.subTest(label, change=change):
                self.recorded(whole, label, change)
                with self.assertRaisesRegex((BadDocument, UnreadableFile), text):
                    backup.restore(self.file)
                self.assertEqual(sum(map(len, self.everything().values())), 0)
        self.file.write_bytes(whole)
        self.assertGreater(sum(backup.restore(self.file).values()), 9)

    def recorded(self, whole: bytes, label: str, change: dict) -> None:
        """The backup with fields of the first record of a kind changed."""
        self.file.write_bytes(whole)
        with zipfile.ZipFile(self.file) as archive:
            held = {name: archive.read(name) for name in archive.namelist()}
        records = [json.loads(line) for line in held["records.jsonl"].splitlines()]
        next(record for record in records if record["model"] == label)["fields"].update(change)
        held["records.jsonl"] = "\n".join(map(json.dumps, records)).encode()
        with zipfile.ZipFile(self.file, "w") as archive:
            for name, content in held.items():
                archive.writestr(name, content)

    def flipped(self, whole: bytes) -> bytes:
        at = whole.index(b"records.jsonl") + 200
        return whole[:at] + bytes([whole[at] ^ 255]) + whole[at + 1 :]

    def changed(self, whole: bytes, change: dict) -> None:
        self.file.write_bytes(whole)
        with zipfile.ZipFile(self.file) as archive:
            held = {name: archive.read(name) for name in archive.namelist()}
        held["manifest.json"] = json.dumps(json.loads(held["manifest.json"]) | change).encode()
        with zipfile.ZipFile(self.file, "w") as archive:
            for name, content in held.items():
                archive.writestr(name, content)
