"""The pages of formats: their tables are those of the documents, and every kind there is has its place in them, and in
the tables of the tests that go through all kinds."""

import re
import runpy
import unittest
from pathlib import Path

from prism.delivery.second_opinion import __main__ as script
from prism.delivery.second_opinion.mattes import KINDS as MATTE_PARTS
from prism.tests.finishing import STRONG

DOCS = Path(__file__).resolve().parents[2] / "docs"


class Pages(unittest.TestCase):
    maxDiff = 3000

    @classmethod
    def setUpClass(cls):
        cls.tool = runpy.run_path(str(DOCS / "write_tables.py"))

    def test_tables_are_those_of_the_documents(self):
        for page in sorted(set(self.tool["PAGES"].values())):
            with self.subTest(page):
                stale = f"docs/{page} is stale: run python -m docs.write_tables"
                self.assertEqual((DOCS / page).read_text(), self.tool["written"](page), stale)

    def test_every_kind_is_told_of(self):
        for family, kinds in self.tool["KINDS"].items():
            page = self.tool["PAGES"][family]
            for kind in kinds:
                where = f"docs/{page} says nothing of {kind}: add a section with <!-- fields of {family} {kind} -->"
                self.assertIn((family, kind), self.tool["marked"](), where)
                self.assertIn(f"`{kind}`", (DOCS / page).read_text(), where)

    def test_titles_are_words_for_people(self):
        """Not what the code calls a kind, and none twice in a family."""
        for family, kinds in self.tool["KINDS"].items():
            titles = [title for kind in kinds.values() if (title := getattr(kind, "title", ""))]
            self.assertEqual(len(set(titles)), len(titles), family)
            for title in titles:
                self.assertNotRegex(title, "[a-z][A-Z][a-z]|_", f"a title of {family}")

    def test_every_kind_is_tried(self):
        kinds = self.tool["KINDS"]
        for kind in kinds["finish"]:
            self.assertIn(kind, STRONG, f"STRONG in prism/tests/test_finish.py has no step of the kind {kind}")
        told = {"row": {*script.KNOWN, *script.CANNOT}, "part": {*MATTE_PARTS}}
        for family, known in told.items():
            for kind in kinds[family]:
                where = f"prism/delivery/second_opinion knows no {family} of the kind {kind}: sum it, or list it there"
                self.assertIn(kind, known, where)


class Promises(unittest.TestCase):
    def test_every_promise_names_tests_that_there_are(self):
        """`room.name` stands for room/tests/test_name.py, words behind it for classes in there."""
        rows = [line.split("|")[2] for line in (DOCS / "promises.md").read_text().splitlines() if line.startswith("| ")]
        named = [found for row in rows for found in re.finditer(r"`(\w+)\.(\w+)`([^`;]*)", row)]
        self.assertGreater(len(named), 60)
        for room, name, classes in (found.groups() for found in named):
            path = DOCS.parent / room / "tests" / f"test_{name}.py"
            self.assertTrue(path.is_file(), f"docs/promises.md names {room}.{name}, and {path.name} is not there")
            for word in re.findall(r"\b[A-Z]\w+", re.sub(r"\(.*?\)", "", classes)):
                self.assertIn(f"class {word}(", path.read_text(), f"docs/promises.md names {word} of {room}.{name}")
