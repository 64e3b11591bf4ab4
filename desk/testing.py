"""The test runner: Django's own, over every package of the project, shared with other processes where the launcher
began several."""

import json
import logging
import os
import time
import unittest
from collections.abc import Iterable, Iterator
from itertools import groupby
from pathlib import Path
from typing import Any

from django.conf import settings
from django.test import LiveServerTestCase, TransactionTestCase
from django.test import TestCase as DatabaseCase
from django.test.runner import DiscoverRunner

from desk.jobs import registry
from desk.jobs.models import State
from desk.jobs.registry import CarryOut

PACKAGES = ["prism", "standin", "desk", "launcher", "bench"]


class Timed(unittest.TextTestResult):
    """Knows how long each test took."""

    def __init__(self, *args, **kwargs) -> None:
        super().__init__(*args, **kwargs)
        self.seconds: list[tuple[float, str]] = []

    def startTest(self, test) -> None:
        self._begun = time.monotonic()
        super().startTest(test)

    def stopTest(self, test) -> None:
        super().stopTest(test)
        self.seconds.append((time.monotonic() - self._begun, test.id()))


class Shared(unittest.TestSuite):
    """Classes of tests, each run by the process that claims it first, the longest kinds first so that none is left for
    the end."""

    _cleanup = False  # what others ran is no test of ours to forget

    def __init__(self, suite: Iterable[unittest.TestCase], folder: Path) -> None:
        classes = [list(tests) for _, tests in groupby(suite, key=_class_name)]
        super().__init__(unittest.TestSuite(tests) for tests in sorted(classes, key=_kind))
        self._folder = folder

    def __iter__(self) -> Iterator[Any]:
        suites: list[Any] = self._tests  # each made above of one class
        for suite in suites:
            try:
                (self._folder / _class_name(next(iter(suite)))).touch(exist_ok=False)
            except FileExistsError:
                continue
            yield suite


def _class_name(test: unittest.TestCase) -> str:
    return f"{type(test).__module__}.{type(test).__qualname__}"


def _kind(tests: list[unittest.TestCase]) -> int:
    """Browsers first, except for those that wait for frames: meanwhile the renderer's loops are compiled."""
    order = (LiveServerTestCase, DatabaseCase, TransactionTestCase)
    found = [number for number, kind in enumerate(order) if isinstance(tests[0], kind)]
    kind = {0: 0, 1: 2, 2: 1}[found[0]] if found else 3
    return kind if not getattr(tests[0], "renders", False) else max(kind, 1)


def _noting_what_is_done() -> set[str]:
    """The kinds of work of which a task was carried out well; empty as long as none was."""
    done: set[str] = set()

    def noting(name: str, carry_out: CarryOut) -> CarryOut:
        def carried_out(task, watch):
            outcome = carry_out(task, watch)
            if outcome.state == State.DONE:
                done.add(name)
            return outcome

        return carried_out

    for name in registry.names():
        registry.kind(name, station=registry.station_of(name))(noting(name, registry.of_kind(name)))
    return done


class Runner(DiscoverRunner):
    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        # The real hasher is slow by design, and every test makes three users.
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
        self.carried_out = _noting_what_is_done()
        for name in settings.LOGGING["loggers"]:  # what tests provoke on purpose is no news
            logging.getLogger(name).handlers = [logging.NullHandler()]

    def get_resultclass(self):
        return Timed

    def run_suite(self, suite, **kwargs):
        folder = os.environ.get("EAGER_TESTS_SHARED")
        result = super().run_suite(Shared(suite, Path(folder)) if folder else suite, **kwargs)
        if folder:
            found = {
                "seconds": result.seconds,
                "failed": self.suite_result(suite, result),
                "carried_out": sorted(self.carried_out),
                "kinds": registry.names(),
            }
            (Path(folder) / f"{os.getpid()}.json").write_text(json.dumps(found))
        return result

    def build_suite(self, test_labels=None, **kwargs):
        return super().build_suite(test_labels or PACKAGES, **kwargs)
