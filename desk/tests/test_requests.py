"""Requests that no page would send: every one is refused or carried out, and none brings the server down."""

from __future__ import annotations

import copy
import json
import os
import random
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any
from unittest import mock

from django.db import transaction
from django.urls import NoReverseMatch, get_resolver, reverse

from demo.conservatory import build_scene
from demo.load import SHOTS, plan_of
from desk.handoff.boards import make
from desk.handoff.services import order
from desk.jobs import engine
from desk.tests.test_access import addresses
from desk.tests.world import WorldCase
from desk.viewer import views as viewer_views
from desk.web import limits
from prism.delivery.presets import PRESETS
from prism.formats import guarded
from prism.sources.store import PixelStore

MUTATIONS = 100 if os.environ.get("EAGER_FAULTS") == "full" else 20  # of each request
DEEP: list = []
for _ in range(400):
    DEEP = [DEEP]
NASTY = (
    None,
    True,
    0,
    -1,
    7,
    2**31,
    2**70,
    -(2**70),
    1e308,
    -0.5,
    "",
    " ",
    "x",
    "a\x00b",
    "\ud800",
    "ü" * 5000,
    "../../etc",
    "{frame:0500000000}",
    "{shot.__class__}",
    "{",
    "}{",
    "1-99999999",
    "1-9,11-19x0",
    "%s%n",
    "<script>",
    [],
    {},
    [[]],
    [None],
    {"a": None},
    {"": ""},
    list(range(3000)),
    DEEP,
    [1.5, "x", {}],
    "NaN",
    "2026-13-45",
)


TEXTS = (
    "",
    " ",
    "0",
    "-1",
    "1001",
    "99999999999999999999",
    "1e9",
    "nan",
    "x",
    "a\x00b",
    "ü" * 3000,
    "../../etc/passwd",
    "/",
    "\\",
    "{shot.__class__}",
    "1-99999999",
    "1-9x0",
    "%00",
    "<script>alert(1)</script>",
    "١٢",
    "1001,",
    "on",
    "²",
    "[]",
)
QUERIES = {
    "work-detail": ("job",),
    "plan": ("version",),
    "plan-export": ("version",),
    "plan-preset": ("name",),
    "plan-side": ("camera", "frame"),
    "plan-mist": ("camera", "frame", "near", "far", "power"),
    "render": ("run",),
    "render-progress": ("run",),
    "render-compare": ("a", "b", "frame", "layer", "camera", "pass"),
    "render-difference": ("a", "b", "frame", "layer", "camera", "pass"),
    "rebuild": ("frame", "row"),
    "hand-off": ("frame",),
    "shot-picture": ("frame",),
}
FORMS = {
    "production-new": ("code", "title"),
    "production": ("code", "title", "frames", "rate", "size", "width", "height", "space", "camera"),
    "production-members": ("name", "role"),
    "shot-settings": ("action", "code", "title"),
    "scene": ("path", "number"),
    "intake": ("folder", "name"),
    "accounts": ("name", "may_set_up"),
    "password": ("old_password", "new_password1", "new_password2"),
}


class Rollback(Exception):
    """Ends a request's changes."""


def places_in(value: Any, path: tuple = ()) -> Iterator[tuple]:
    """The paths to everything within a document."""
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield (*path, key)
        yield from places_in(inner, (*path, key))


def mutated(body: dict[str, Any], rng: random.Random) -> Any:
    """The body with one to three things in it replaced, taken away, doubled or added."""
    changed = copy.deepcopy(body)
    for _ in range(rng.choice((1, 1, 1, 2, 3))):
        places = list(places_in(changed))
        if not places or rng.random() < 0.03:
            return rng.choice(NASTY)
        *above, last = rng.choice(places)
        holder = changed
        for key in above:
            holder = holder[key]
        way = rng.random()
        if way < 0.75:
            holder[last] = copy.deepcopy(rng.choice(NASTY))
        elif way < 0.85 and isinstance(holder, list):
            holder.append(copy.deepcopy(holder[last]))
        elif way < 0.85:
            holder[str(rng.choice(("extra", "id", "__class__", last)))] = copy.deepcopy(rng.choice(NASTY))
        else:
            del holder[last]
    return changed


class Mutated(WorldCase):
    def setUp(self):
        super().setUp()
        self.scene = build_scene()
        self.give_scene(self.scene)
        self.with_ledger()
        plan = plan_of(SHOTS[0])
        self.plan = plan.replace(shot=plan.shot.replace(production="TST", code="TST_010")).as_json()
        self.client.get(self.url("plan"))
        self.client.raise_request_exception = False

    def bodies(self) -> dict[str, dict[str, Any]]:
        """A sound request to every address that takes JSON."""
        look = {"view": "film", "stops": 0.0, "gamma": 1.0, "channel": "rgb", "ground": "black", "encoding": "jpeg"}
        ledger = {"ledgerId": self.ledger.pk, "ledger": self.ledger.document, "frame": 1001}
        stage = {"kind": "ledger", "show": "rebuilt", "key": "", "version": None}
        depth = {"kind": "pass", "element": self.element.pk, "key": "depth"}
        shown = look | {"subject": depth, "frame": 1001}
        delivery = {"frames": "1001", "document": PRESETS["overlay"].as_json()}
        preset = {"action": "keep", "plan": self.plan, "new": "ours", "purpose": "p", "base": "everything", "name": "x"}
        return {
            "plan-answer": {"plan": self.plan},
            "plan-save": {"plan": self.plan, "revision": 1},
            "plan-bring-in": {"plan": self.plan, "takeOver": True},
            "plan-copy": {"plan": self.plan, "shot": "TST_010"},
            "plan-name": {"plan": self.plan, "path": "render/v001/all/wide/TST_010_all_wide_passes_v001.1001.exr"},
            "plan-lock": {},
            "plan-audit": {"plan": self.plan},
            "plan-measure": {"camera": "wide"},
            "plan-presets": preset,
            "plan-sizes": {"action": "keep", "title": "wide", "width": 100, "height": 50},
            "rebuild-contributions": ledger | look,
            "rebuild-balance": ledger,
            "rebuild-save": ledger | {"revision": 1},
            "rebuild-version": {"ledgerId": self.ledger.pk},
            "rebuild-add": ledger | {"source": "render/emission"},
            "rebuild-sweep": ledger | {"action": "begin"},
            "rebuild-names": ledger | {"source": "render/crypto_object00"},
            "rebuild-pick": ledger | {"source": "render/emission", "what": "first", "x": 1, "y": 1, "x1": 2, "y1": 2},
            "rebuild-histogram": ledger | {"row": "emission", "measure": False},
            "rebuild-copy": ledger | {"row": "emission"},
            "rebuild-paste": ledger | {"row": "emission", "text": json.dumps(self.ledger.document)},
            "rebuild-place": ledger | {"row": "emission"},
            "rebuild-template": {"ledgerId": self.ledger.pk, "frame": 1001, "template": self.ledger.pk, "chosen": {}},
            "rebuild-first": {"ledgerId": self.ledger.pk, "frame": 1001, "by": "components", "denoised": False},
            "rebuild-element": {"ledgerId": self.ledger.pk, "element": self.element.pk, "ledger": self.ledger.document},
            "look-picture": ledger
            | shown
            | {
                "width": 16,
                "edited": None,
                "viewer": "v",
                "serial": 1,
                "encoding": "png",
                "remap": {"way": "range", "near": 1.0, "far": 9.0, "log": True},
                "marks": ["over", "nan"],
                "against": {"subject": stage, "frame": 1001},
                "gain": 4.0,
            },
            "hand-off-order": delivery,
            "hand-off-names": delivery,
            "hand-off-preview": delivery,
            "hand-off-draft": delivery | {"revision": 1},
            "hand-off-preset": delivery | {"name": "ours"},
            "hand-off-board-new": {"template": "pair"},
            "look-probe": shown | {"x": 1, "y": 2, "x1": 3, "y1": 4},
            "look-values": shown | {"x": 1, "y": 2, "x1": 3, "y1": 4},
            "intake-bring": {"folder": str(self.folder), "name": "again"},
            "intake-upload-begin": {
                "folder": "sent",
                "files": [{"name": "a.1001.exr", "size": 900, "digest": "0" * 64}],
            },
            "intake-act": {
                "action": "choose",
                "element": self.element.pk,
                "pass": "beauty",
                "state": "straight",
                "curve": "srgb",
                "fit": "scale",
            },
            "render-start": {
                "frames": "1001-1002",
                "every": 1,
                "layers": ["all"],
                "lightGroups": [],
                "onlyMissing": True,
            },
            "render-change": {"run": 1, "action": "cancel"},
            "work-change": {"job": 1, "action": "cancel", "priority": 1},
            "scene-facts": {"sheet": {"groups": [{"name": "g", "materials": [], "moves": False}], "lights": []}},
        }

    def test_what_is_no_request_is_refused(self):
        """No JSON, JSON that no document may hold, and numbers that JSON has not."""
        cases = {
            b"": "not JSON",
            b"[" * 200_000: "deep",
            b'{"plan":' + b'{"a":' * 100 + b"1" + b"}" * 101: "deep",
            b'{"plan": "\xff\xfe"}': "not JSON",
            b"[1]": "not a JSON object",
            b'{"plan": NaN}': "NaN is not a number",
            b'{"plan": 1e999}': "too large a number",
            b'{"plan": ' + b"9" * 5000 + b"}": "not JSON",
            b'{"plan": "a\\u0000"}': "invalid character",
            b'{"\\ud800": 1}': "invalid character",
        }
        for body, said in cases.items():
            with self.subTest(body[:30]):
                response = self.client.post(
                    self.url("plan-answer"),
                    body,
                    content_type="application/json",
                    headers={"accept": "application/json"},
                )
                self.assertEqual(response.status_code, 422)
                self.assertIn(said, response.json()["error"]["what"])

    def test_an_unforeseen_fault_is_logged_under_the_number_that_is_shown(self):
        with mock.patch("desk.plan.views.services.answer", side_effect=ZeroDivisionError("by design")):
            with self.assertLogs("desk.web.faults", "ERROR") as logged:
                error = self.ask("plan-answer", plan=self.plan).json()["error"]
        self.assertEqual(error["code"], "server.fault")
        self.assertIn(error["where"], logged.output[0])
        self.assertIn("ZeroDivisionError: by design", logged.output[0])
        with mock.patch("desk.plan.views.services.open_plan", side_effect=KeyError("gone")):
            with self.assertLogs("desk.web.faults", "ERROR"):
                page = self.client.get(self.url("plan"))
        self.assertContains(page, "report it with this number", status_code=500)

    def test_what_was_accepted_opens_again(self):
        """Plans, with what was noted of their preset, and ledgers: changed in any way and kept, they lock no page."""
        kept, broken = 0, []
        cases = (
            ("plan-save", ("plan",), "plan"),
            ("plan-save", ("plan", "applied", "settings"), "plan"),
            ("plan-save", ("plan", "layers"), "plan"),
            ("rebuild-save", ("ledger",), "rebuild"),
            ("rebuild-save", ("ledger", "rows"), "rebuild"),
        )
        for number, (name, path, page) in enumerate(cases):
            rng = random.Random(number)
            for _ in range(2 * MUTATIONS):
                body = copy.deepcopy(self.bodies()[name])
                *above, last = path
                holder = body
                for key in above:
                    holder = holder[key]
                holder[last] = mutated(holder[last], rng)
                with suppress(Rollback), transaction.atomic():
                    if self.ask(name, **body).status_code == 200:
                        kept += 1
                        opened = self.client.get(self.url(page))
                        if opened.status_code != 200:
                            broken.append(f"{path}: {opened.status_code} {holder[last]!r}"[:300])
                    raise Rollback
        self.assertEqual(broken, [], "\n".join(broken))
        self.assertGreater(kept, MUTATIONS)  # enough were accepted for that to say something

    def address(self, name: str) -> str:
        """Of a view of the shot, of its production, or of the house."""
        for kwargs in ({"production": "TST", "shot": "TST_010"}, {"production": "TST"}, {}):
            with suppress(NoReverseMatch):
                return reverse(name, kwargs=kwargs)
        raise AssertionError(f"There is no {name}.")

    def test_no_query_or_form_brings_the_server_down(self):
        """Every field of every address with every odd text, and with all fields odd."""
        self.artist.is_staff = True
        self.artist.save()
        self.production.memberships.filter(user=self.artist).update(role="owner")
        broken, rng = [], random.Random(5)
        with mock.patch.object(engine, "top_up"):
            for send, fields in ((self.client.get, QUERIES), (self.client.post, FORMS)):
                for name, known in fields.items():
                    for number in range(len(TEXTS)):
                        given = {field: rng.choice(TEXTS) for field in known}
                        given[known[number % len(known)]] = TEXTS[number]
                        response = self.undone(send, self.address(name), given)
                        if response.status_code >= 500:
                            broken.append(f"{name} {given}: {str(response.exc_info[1])[:160]}")
        self.assertEqual(broken, [], "\n".join(broken))

    def test_whatever_touches_pixels_waits_for_a_place(self):
        """Every address, with a sound request and nothing cached: none decodes pixels outside of `computing`, where it
        has a limit, its turn, and ends when nobody waits."""
        delivery = order(self.shot, self.ledger, self.artist, "1001", PRESETS["picture"])
        values = {
            "production": "TST", "shot": "TST_010", "element": self.element.pk, "ledger": self.ledger.pk, "number": 1,
            "delivery": delivery.pk, "item": "beauty", "board": make(self.shot, "empty", self.artist).pk,
            "size": "small", "name": "plan.png", "file": "a.exr", "camera": "wide", "pk": delivery.job.tasks.first().pk,
        }  # fmt: skip
        bodies, decode, name = self.bodies(), guarded._decode, ""
        outside, inside, places = set(), set(), []

        @contextmanager
        def computing(*of, **more):
            with limits_computing(*of, **more):
                places.append(name)
                yield
                places.pop()

        def decoded(path, request, cache):
            if request["kind"] != "describe":
                (inside if places else outside).add(name)
            return decode(path, request, None)

        limits_computing = limits.computing
        for module in (limits, viewer_views):
            self.enterContext(mock.patch.object(module, "computing", computing))
        cold = mock.patch.object(PixelStore, "get", lambda store, key, make: make())
        with mock.patch.object(guarded, "_decode", decoded), cold:
            for name, arguments in addresses(get_resolver().url_patterns):
                address = reverse(name, kwargs={argument: values[argument] for argument in arguments})
                shown = {"frame": "1001", "pass": "beauty", "key": "beauty", "kind": "shot", "shot": "TST_010"}
                places.clear()
                self.client.force_login(self.artist)  # one of them logs out
                for query in ({}, shown):
                    self.undone(self.client.get, address, query)
                body = json.dumps(bodies.get(name, {}))
                self.undone(self.client.post, address, body, content_type="application/json")
        self.assertEqual(outside, set())
        self.assertGreater(len(inside), 8)

    def undone(self, send, *request, **more):
        """The answer to a request, whose changes are taken back."""
        with suppress(Rollback), transaction.atomic():
            response = send(*request, **more)
            raise Rollback
        return response

    def test_no_mutation_brings_the_server_down(self):
        broken = []
        with mock.patch.object(engine, "top_up"):
            for name, body in self.bodies().items():
                address = self.address(name)
                rng = random.Random(name)
                for number in range(MUTATIONS):
                    request = mutated(body, rng)
                    response = self.undone(
                        self.client.post, address, json.dumps(request), content_type="application/json",
                        headers={"accept": "application/json"},
                    )  # fmt: skip
                    if response.status_code >= 500:
                        broken.append(f"{name} {number}: {str(response.exc_info[1])[:160]}")
        self.assertEqual(broken, [], "\n".join(broken))
