"""Lights in words: what was done to them, from where on it is worth a word."""

import unittest

import numpy as np

from prism.ledger.dimmers import in_words
from prism.ledger.document import Ledger
from prism.ledger.rows import PassRow
from prism.tests.memory import MemoryFrame


class Words(unittest.TestCase):
    def setUp(self):
        keys = ("light_key", "diffuse_direct_light_key", "light_rim")
        self.frame = MemoryFrame({key: (np.ones((3, 2, 2), np.float32), None) for key in keys})
        self.ledger = Ledger(rows=tuple(PassRow(id=key, source=key) for key in keys))

    def words(self, ledger):
        return in_words(ledger, self.frame)

    def test_a_light_is_off_only_when_all_its_rows_are(self):
        one = self.ledger.with_setting("light_key", "on", False)
        self.assertEqual(self.words(one), "key changed part by part")
        self.assertEqual(self.words(one.with_setting("diffuse_direct_light_key", "on", False)), "key off")
        self.assertTrue(self.words(self.ledger.with_setting("light_key", "solo", True)).startswith("only key"))

    def test_changes_are_said_from_a_two_hundredth_of_a_stop_and_half_a_mired_on(self):
        for field, value, due in (
            ("exposure", 0.0049, ""), ("exposure", 0.0051, "rim +0.0051 st"), ("exposure", -0.25, "rim -0.25 st"),
            ("warmth", 0.49, ""), ("warmth", 0.51, "rim warmer"), ("warmth", -0.51, "rim cooler"),
            ("tint", [1.0, 0.9, 1.0], "rim tinted"), ("gamma", 1.1, "rim graded"),
        ):  # fmt: skip
            with self.subTest(field, value=value):
                self.assertEqual(self.words(self.ledger.with_setting("light_rim", field, value)), due)
