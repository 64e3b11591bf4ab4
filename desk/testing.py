"""The test runner: Django's own, over every package of the project."""

from django.conf import settings
from django.test.runner import DiscoverRunner

PACKAGES = ["prism", "desk", "launcher", "bench"]


class Runner(DiscoverRunner):
    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        # The real hasher is slow by design, and every test makes three users.
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

    def build_suite(self, test_labels=None, **kwargs):
        return super().build_suite(test_labels or PACKAGES, **kwargs)
