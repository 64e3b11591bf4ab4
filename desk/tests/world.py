"""A production with a shot, its members, and a rendered frame on disk."""

from __future__ import annotations

import json
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Barrier
from unittest import mock

import numpy as np
from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import TestCase, override_settings
from django.urls import reverse

from desk.accounts.models import Tour
from desk.elements.models import Element, Place
from desk.house.setup import create_shot
from desk.intake.looking import look
from desk.jobs import code, work
from desk.rebuild.services import open_ledger
from desk.scenes.services import keep
from desk.shots.models import Membership, Production, Shot
from prism.errors import PrismError
from prism.formats.exr import write_exr
from prism.mattes.cryptomatte import header, name_floats, ranked
from prism.pixels.image import Image
from prism.tests.frames import passes

HEIGHT, WIDTH = 12, 18


def write_named(path: Path, seed: int) -> None:
    """A frame as any other, with a Cryptomatte: `left` and `right` share one column, `away` is nowhere."""
    names = ["left", "right", "away"]
    things, shares = np.full((HEIGHT, WIDTH, 2), -1, np.int32), np.zeros((HEIGHT, WIDTH, 2))
    middle = WIDTH // 2 - 1
    for columns, held in (
        (slice(0, middle), [(0, 1)]),
        (slice(middle, middle + 1), [(0, 0.5), (1, 0.5)]),
        (slice(middle + 1, None), [(1, 1)]),
    ):
        for slot, (thing, share) in enumerate(held):
            things[:, columns, slot], shares[:, columns, slot] = thing, share
    planes = passes(np.random.default_rng(seed), HEIGHT, WIDTH, np.float16)
    for plane, channel in zip(ranked(things, shares, name_floats(names), 2), "RGBA", strict=True):
        planes[f"crypto_object00.{channel}"] = plane
    write_exr(path, Image.of_planes(planes, **header("crypto_object", names)))


def log_in(client, name: str, password: str) -> bool:
    """By the login page, as people do."""
    return client.post(reverse("login"), {"username": name, "password": password}).status_code == 302


class World:
    """Mixed into a TestCase: `self.shot`, its people, and a storage folder of its own."""

    def build(self) -> None:
        self.root = Path(tempfile.mkdtemp(prefix="desk-test-")).resolve()
        self.addCleanup(shutil.rmtree, self.root, ignore_errors=True)
        storage = override_settings(STORAGE_ROOTS=[self.root])
        storage.enable()
        self.addCleanup(storage.disable)
        users = get_user_model().objects
        self.artist = users.create_user("ada", password="light-and-shade")
        self.reviewer = users.create_user("rex", password="light-and-shade")
        self.stranger = users.create_user("sam", password="light-and-shade")
        Tour.objects.bulk_create(Tour(user=user) for user in (self.artist, self.reviewer, self.stranger))
        self.production = Production.objects.create(code="TST", title="Test")
        for user, role in ((self.artist, Membership.Role.ARTIST), (self.reviewer, Membership.Role.REVIEWER)):
            Membership.objects.create(production=self.production, user=user, role=role)
        self.shot = self.make_shot("TST_010", title="A test")
        self.folder = self.root / "TST" / "TST_010" / "render"
        self.folder.mkdir(parents=True)

    def make_shot(self, code: str, title: str = "", **settings) -> Shot:
        return create_shot(
            self.production, code, title, **{"frames": "1001-1004", "width": WIDTH, "height": HEIGHT} | settings
        )

    def give_scene(self, scene, shot: Shot | None = None):
        """A scene or a sheet of facts for a shot."""
        return keep(shot or self.shot, scene, self.artist)

    def render(self, frame: int, name: str = "TST_010", seed: int | None = None, **attributes) -> Path:
        path = self.folder / f"{name}.{frame:04d}.exr"
        planes = passes(np.random.default_rng(seed or frame), HEIGHT, WIDTH, np.float16)
        write_exr(path, Image.of_planes(planes, **attributes))
        return path

    def bring_in(self, folder: Path | None = None, name: str = "render", shot: Shot | None = None) -> Element:
        """A folder with the files of one image, looked at."""
        place = Place.objects.create(shot=shot or self.shot, folder=str(folder or self.folder), name=name)
        (element,) = look(place)
        return element

    def look_again(self) -> None:
        """At every place of the shot, as a worker does."""
        for place in self.shot.places.all():
            look(place)

    def work_all(self) -> None:
        """Carry out all that waits."""
        while work.next_task("me"):
            pass

    def with_ledger(self):
        """Two frames, an element and the first ledger."""
        self.render(1001)
        self.render(1002)
        self.element = self.bring_in()
        self.ledger = open_ledger(self.shot)
        return self.ledger

    def start_worker(
        self, name: str = "first", *, pool: str = "solo", limit: str = "", **environment
    ) -> subprocess.Popen:
        """A worker as the launcher starts it, on the database of this test. limit: of the shell, such as `ulimit -f
        8`."""
        code.announce()  # of the web server that this test is: an earlier one's may still be remembered
        variables = os.environ | {"EAGER_DB_NAME": connection.settings_dict["NAME"], "EAGER_ROOTS": str(self.root)}
        arguments = ["-m", "celery", "-A", "desk", "worker", "--pool", pool, "--hostname", f"{name}@test"]
        command = [sys.executable, *arguments, "--without-gossip", "--without-mingle"]
        if limit:
            command = ["sh", "-c", f"{limit}; exec {shlex.join(command)}"]
        log = (self.root / f"{name}.log").open("ab")
        worker = subprocess.Popen(
            command, env=variables | environment, cwd=settings.BASE, stdout=log, stderr=log, start_new_session=True
        )
        self.addCleanup(log.close)
        self.addCleanup(worker.wait)
        self.addCleanup(worker.terminate)
        return worker

    def url(self, name: str, **more) -> str:
        return reverse(name, kwargs={"production": "TST", "shot": "TST_010"} | more)

    def ask(self, name: str, /, **body):
        """POST JSON to a view of the shot."""
        return self.client.post(
            self.url(name), json.dumps(body), content_type="application/json", headers={"accept": "application/json"}
        )


class Together:
    """Mixed into a TransactionTestCase: requests at the same moment, each in a thread and a connection of its own."""

    def together(self, work, count=4):
        return self.all_at_once(*[work] * count)

    def all_at_once(self, *works):
        """What each answers, or the PrismError it raises."""
        start = Barrier(len(works))

        def alone(work):
            try:
                connection.ensure_connection()
                start.wait()
                return work()
            except PrismError as error:
                return error
            finally:
                connection.close()

        with ThreadPoolExecutor(len(works)) as threads:
            return list(threads.map(alone, works))


class WorldCase(World, TestCase):
    """A world inside one transaction. No other thread sees into that, so tasks that are worked here do not beat: a beat
    would wait for the rows of the task until the database gives up."""

    def setUp(self) -> None:
        super().setUp()
        self.enterContext(mock.patch.object(work, "BEAT_EVERY", 3600.0))
        self.build()
        self.client.force_login(self.artist)
