"""Whose turn it is to compute, and where."""

import http.server
import io
import json
import socketserver
import tempfile
import threading
import time
from pathlib import Path
from unittest import mock

import redis
from django.test import SimpleTestCase
from django.urls import reverse

from desk.web import turns
from desk.web.forwarding import Forwarding
from desk.web.limits import Busy, computing
from desk.web.queue import QUEUE
from desk.web.turns import OF_ONE, SILENT, Turn
from prism.errors import Superseded


@mock.patch.object(turns, "MOST", 3)
class Turns(SimpleTestCase):
    def setUp(self):
        QUEUE.delete(*turns._KEYS)
        self.addCleanup(QUEUE.delete, *turns._KEYS)

    def line(self, *users, **more):
        return [Turn(user, 60, 8, **more) for user in users]

    def later(self, seconds):
        """What is asked inside is asked so much later."""
        return mock.patch("desk.web.turns.time", mock.Mock(time=lambda: time.time() + seconds))

    def given(self, asked):
        """Which of them are granted when all ask, the last first: the order of asking decides nothing."""
        for place in asked:
            place.ask()
        granted = {number for number, place in reversed(list(enumerate(asked))) if place.ask()}
        return sorted(granted)

    def test_whoever_has_fewest_goes_first_and_then_whoever_came_first(self):
        asked = self.line(1, 1, 1, 1, 2)
        self.assertEqual(self.given(asked[:4]), [0, 1])
        self.assertEqual(self.given(asked[2:]), [2])  # the second user, though a third of the first came before
        late = self.line(3, 2)
        self.assertEqual(self.given([*asked[2:4], *late]), [])
        asked[0].give_back()
        self.assertEqual(self.given([*asked[2:4], *late]), [2])  # who has none, before who has one
        late[0].give_back()
        self.assertEqual(self.given([*asked[2:4], late[1]]), [0])  # both have one: who came first

    def test_what_is_less_urgent_lets_others_go_first(self):
        taken = self.line(4, 5, 5)
        self.assertEqual(self.given(taken), [0, 1, 2])
        waiting = [*self.line(6, later=2.0), *self.line(7)]
        self.assertEqual(self.given(waiting), [])
        taken[0].give_back()
        self.assertEqual(self.given(waiting), [1])

    def test_one_that_asks_no_more_or_waits_behind_too_many_leaves_the_line(self):
        first, second = self.line(1, 1)
        self.assertTrue(first.ask() and second.ask())
        waiting = [Turn(1, 60, longest) for longest in (8, 8, 2, 1)]
        self.assertEqual([place.ask() for place in waiting], [False, False, None, None])
        first.give_back()
        self.assertFalse(waiting[1].ask())  # its turn comes after that of the first
        with self.later(SILENT * 1.1):
            self.assertTrue(waiting[1].ask())

    def test_a_place_of_a_process_that_was_killed_becomes_free(self):
        for _ in range(OF_ONE):
            self.assertTrue(Turn(1, 5, 8).ask())
        waiting = Turn(1, 60, 8)
        self.assertFalse(waiting.ask())
        with self.later(5.5):
            self.assertTrue(waiting.ask())

    def test_whoever_waits_too_long_or_left_is_told(self):
        self.given(self.line(1, 1, 2))
        with mock.patch("desk.web.limits.IN_LINE", 0.1), self.assertRaises(Busy), computing("work", 2):
            self.fail("There was no place.")
        with self.assertRaises(Superseded), computing("work", 2, is_stale=lambda: True):
            self.fail("Nobody waits for it.")
        self.assertEqual(QUEUE.zcard("places:waiting"), 0)

    def test_without_the_queue_there_are_places_in_this_process(self):
        self.given(self.line(1, 1, 2))
        with mock.patch.object(turns, "_ASK", side_effect=redis.ConnectionError), computing("work", 1):
            self.assertEqual(QUEUE.zcard("places:taken"), 3)


class Echo(http.server.BaseHTTPRequestHandler):
    """Answers what it was asked, or waits or ends if that is what it was asked for."""

    def do_POST(self):
        body = self.rfile.read(int(self.headers["Content-Length"] or 0)).decode()
        if "end" in body:
            return self.connection.close()
        if "wait" in body:
            self.server.left.wait(5)
        said = {"path": self.path, "body": body, "headers": {name.lower(): text for name, text in self.headers.items()}}
        self.send_response(203)
        self.send_header("X-Step", "2")
        self.end_headers()
        self.wfile.write(json.dumps(said).encode())

    do_GET = do_POST

    def log_message(self, *_):
        pass


class Server(socketserver.ThreadingMixIn, socketserver.UnixStreamServer):
    daemon_threads = True

    def handle_error(self, *_):
        """The other side has left: that is what is tested."""

    def get_request(self):
        return super().get_request()[0], ("localhost", 0)


class Elsewhere(SimpleTestCase):
    def setUp(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.path = str(Path(folder) / "pictures.sock")
        self.server = Server(self.path, Echo)
        self.server.left = threading.Event()
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        self.addCleanup(self.server.server_close)
        self.addCleanup(self.server.shutdown)
        self.page = reverse("shots")
        self.picture = reverse("look-picture", kwargs={"production": "TST", "shot": "TST_010"})

    def ask(self, path, body=b"", *, to=None, **environ):
        local = mock.Mock(return_value=[b"here"])
        started = mock.Mock()
        environ = {
            "PATH_INFO": path, "QUERY_STRING": "", "REQUEST_METHOD": "POST", "CONTENT_LENGTH": str(len(body)),
            "REMOTE_ADDR": "10.1.1.1", "wsgi.url_scheme": "https", "wsgi.input": io.BytesIO(body),
            "HTTP_HOST": "house", "HTTP_COOKIE": "a=b", "HTTP_X_FORWARDED_FOR": "made up",
        } | environ  # fmt: skip
        body = b"".join(Forwarding(local, to or self.path)(environ, started))
        return body, *(started.call_args.args if started.called else ("", []))

    def test_what_computes_is_asked_elsewhere_with_all_that_belongs_to_it(self):
        body, status, headers = self.ask(self.picture, b'{"x": 1}', QUERY_STRING="a=%20b&c", CONTENT_TYPE="text/x")
        said = json.loads(body)
        self.assertEqual((status[:3], dict(headers)["X-Step"]), ("203", "2"))
        self.assertEqual(dict(headers)["Content-Length"], str(len(body)))
        self.assertEqual((said["path"], said["body"]), (f"{self.picture}?a=%20b&c", '{"x": 1}'))
        wanted = {
            "host": "house", "cookie": "a=b", "content-type": "text/x", "x-forwarded-for": "10.1.1.1",
            "x-forwarded-proto": "https",
        }  # fmt: skip
        self.assertEqual({name: said["headers"].get(name) for name in wanted}, wanted)

    def test_pages_and_all_while_nobody_listens_are_answered_here(self):
        for path in (self.page, "/nowhere/", "/\xff/"):
            self.assertEqual(self.ask(path)[0], b"here", path)
        self.assertEqual(self.ask(self.picture, to=f"{self.path}.gone")[0], b"here")

    def test_whoever_computes_may_end_and_the_client_may_leave(self):
        """The page asks again for what was cut off; what nobody waits for is not waited for."""
        body, status, _ = self.ask(self.picture, b"end")
        self.assertEqual((status[:3], json.loads(body)["error"]["code"]), ("429", "work.busy"))
        gone = {"waitress.client_disconnected": lambda: True}
        begun = time.monotonic()
        self.ask(self.picture, b"wait", **gone)
        self.assertLess(time.monotonic() - begun, 4)  # the other side would take 5
        self.server.left.set()
