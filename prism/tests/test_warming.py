"""Loops brought in before someone waits for them: every part can be, by one process at a time."""

import fcntl
import unittest
from unittest import mock

from prism import warming
from prism.compiled import one_at_a_time


class Warming(unittest.TestCase):
    def test_every_part(self):
        with mock.patch("gc.disable"):
            warming.main(list(warming.PARTS))
        warming.warm()

    def test_others_wait_while_one_compiles(self):
        with open(warming.__file__, "rb") as other:
            with one_at_a_time(warming.__file__), self.assertRaises(BlockingIOError):
                fcntl.flock(other, fcntl.LOCK_EX | fcntl.LOCK_NB)
            fcntl.flock(other, fcntl.LOCK_EX | fcntl.LOCK_NB)
