"""The test runner: Django's own, over every package of the project."""

import time
import unittest

from django.conf import settings
from django.test.runner import DiscoverRunner
from django.test.utils import TimeKeeper

SLOWEST = 15  # tests named with --timing
PACKAGES = ["prism", "desk", "launcher", "bench"]


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


class Runner(DiscoverRunner):
    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        # The real hasher is slow by design, and every test makes three users.
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

    def get_resultclass(self):
        return Timed

    def run_suite(self, suite, **kwargs):
        result = super().run_suite(suite, **kwargs)
        if isinstance(self.time_keeper, TimeKeeper):  # asked for with --timing
            for seconds, test in sorted(result.seconds, reverse=True)[:SLOWEST]:
                print(f"{seconds:6.1f} s  {test}")
        return result

    def build_suite(self, test_labels=None, **kwargs):
        return super().build_suite(test_labels or PACKAGES, **kwargs)
