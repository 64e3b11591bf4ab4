"""JSON from elsewhere: what is refused, at both sides of every limit."""

import unittest

from prism.errors import BadDocument
from prism.json_text import MOST_BYTES, MOST_NESTED, read_json


class Limits(unittest.TestCase):
    def refused(self, text, words):
        with self.assertRaisesRegex(BadDocument, words):
            read_json(text, where="here")

    def test_length(self):
        self.assertEqual(read_json("1".rjust(MOST_BYTES)), 1)
        self.refused("1".rjust(MOST_BYTES + 1), "longer than 16 MB")

    def test_depth(self):
        """What lies in so many lists is read."""
        deepest = "[" * MOST_NESTED + "1" + "]" * MOST_NESTED
        read_json(deepest)
        self.refused(f"[{deepest}]", "60 deep in one another")
        self.refused("[" * 100_000, "60 deep in one another")

    def test_numbers_that_are_none(self):
        self.assertEqual(read_json("1e308"), 1e308)
        for text in ("1e309", "NaN", "-Infinity"):
            self.refused(text, "")
