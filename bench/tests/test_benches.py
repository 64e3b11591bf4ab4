"""Every benchmark runs, at a size that tells nothing but that it does."""

import unittest
from contextlib import ExitStack, redirect_stdout
from io import StringIO
from unittest import mock

from bench import measure
from bench.__main__ import BENCHES

FRAME = {"HEIGHT": 36, "WIDTH": 64}
SMALL = {
    "costs": FRAME,
    "deeps": FRAME | {"FULL": (36, 64)},
    "deliveries": FRAME | {"FRAMES": 3, "DPI": 20},
    "denoisers": FRAME,
    "doors": FRAME | {"PASSES": 2},
    "finishes": FRAME,
    "intake": FRAME | {"FILES": 20},
    "ledgers": FRAME,
    "mattes": {"HEIGHT": 80, "WIDTH": 120, "THINGS": 9},
    "pictures": FRAME,
    "plans": {"LAYERS": 2, "LABELS": 2},
    "renders": {"HEIGHT": 9, "WIDTH": 16, "MANY": 8},
}
ON_A_HOUSE = {"drags", "faults", "presses"}  # these ask a copy that runs


class Benches(unittest.TestCase):
    def test_each_runs(self):
        self.assertEqual(SMALL.keys() | ON_A_HOUSE, BENCHES.keys())
        once = {
            "in_turn": lambda works, runs=1: measure.in_turn(works, runs=1),
            "measure": lambda work, runs=1: measure.measure(work, runs=1),
        }
        for name, constants in SMALL.items():
            module = BENCHES[name]
            with self.subTest(name), ExitStack() as stack, redirect_stdout(StringIO()) as said:
                shorter = {timer: replaced for timer, replaced in once.items() if hasattr(module, timer)}
                stack.enter_context(mock.patch.multiple(module, **constants, **shorter))
                module.run()
                self.assertRegex(said.getvalue(), r"\d")
