"""The test runner: Django's own, over every package of the project."""

from django.test.runner import DiscoverRunner

PACKAGES = ["prism", "desk", "launcher", "bench"]


class Runner(DiscoverRunner):
    def build_suite(self, test_labels=None, **kwargs):
        return super().build_suite(test_labels or PACKAGES, **kwargs)
