"""The shape of the application: its apps stand on floors, and nothing reaches up."""

import ast
import unittest
from pathlib import Path

from django.apps import apps

from desk.stations.registry import Mark, titles

DESK = Path(__file__).resolve().parent.parent
FLOORS = (
    {"web"},
    {"accounts", "shots"},
    {"jobs", "elements", "stations"},
    {"scenes", "viewer"},
    {"plan", "intake"},
    {"render", "rebuild"},
    {"finish", "handoff"},
    {"house"},
)
FLOOR = {app: number for number, floor in enumerate(FLOORS) for app in floor}


def imported_apps(path: Path) -> set[str]:
    """Apps of the desk that a file imports anywhere, inside functions too."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
        if isinstance(node, ast.ImportFrom) and node.module:
            names = [node.module, *(f"{node.module}.{alias.name}" for alias in node.names)]
        found |= {name.split(".")[1] for name in names if name.startswith("desk.")}
    return found & FLOOR.keys()


class Floors(unittest.TestCase):
    def test_every_app_has_a_floor(self):
        installed = {config.name.split(".")[1] for config in apps.get_app_configs() if config.name.startswith("desk.")}
        self.assertEqual(installed - FLOOR.keys(), set())

    def test_no_app_imports_from_its_own_floor_or_above(self):
        seen = 0
        for path in DESK.rglob("*.py"):
            app = path.relative_to(DESK).parts[0]
            if app not in FLOOR or "migrations" in path.parts:
                continue
            for other in imported_apps(path) - {app}:
                self.assertLess(FLOOR[other], FLOOR[app], f"{path.relative_to(DESK)} imports desk.{other}")
                seen += 1
        self.assertGreater(seen, 100)

    def test_stations_in_the_order_of_the_work(self):
        self.assertEqual(titles(), ["Plan", "Render", "Intake", "Rebuild", "Finish", "Hand-off"])
        self.assertEqual([mark.value for mark in Mark], ["untouched", "in work", "needs attention", "done"])
