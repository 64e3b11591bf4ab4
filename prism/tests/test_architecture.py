"""The shape of the code: what may import what."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PROJECT = ROOT.parent


def modules() -> dict[str, Path]:
    found = {}
    for path in ROOT.rglob("*.py"):
        if "tests" not in path.parts:
            name = ".".join(path.relative_to(PROJECT).with_suffix("").parts).removesuffix(".__init__")
            found[name] = path
    return found


def imports_of(path: Path) -> set[str]:
    """Names of modules that a file imports when it is loaded, not inside functions."""
    names: set[str] = set()
    for node in ast.parse(path.read_text()).body:
        if isinstance(node, ast.Import):
            names.update(alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            names.add(node.module)
            names.update(f"{node.module}.{alias.name}" for alias in node.names)
    return names


class Architecture(unittest.TestCase):
    def test_the_core_knows_no_web(self):
        """Importing all of prism in a fresh interpreter loads neither Django nor the desk."""
        everything = "; ".join(f"import {name}" for name in modules() if not name.endswith("__main__"))
        script = f"{everything}; import sys; print([m for m in sys.modules if m.split('.')[0] in ('django', 'desk', 'celery')])"
        result = subprocess.run([sys.executable, "-c", script], cwd=PROJECT, capture_output=True, text=True, check=True)
        self.assertEqual(result.stdout.strip(), "[]")

    def test_no_circle_of_imports(self):
        graph = {name: imports_of(path) & modules().keys() for name, path in modules().items()}
        finished: set[str] = set()

        def walk(name: str, trail: tuple[str, ...]) -> None:
            self.assertNotIn(name, trail, f"circle: {' > '.join((*trail, name))}")
            if name not in finished:
                for target in graph[name]:
                    walk(target, (*trail, name))
                finished.add(name)

        for name in graph:
            walk(name, ())
        self.assertGreater(len(finished), 30)

    def test_rooms_build_on_each_other_one_way(self):
        """Pixels know no files, files no passes, passes no files, elements no ledger; the renderer knows
        nothing of the rebuild, and what is judged nothing of how it is shown."""
        above = ("prism.elements", "prism.combine", "prism.intake", "prism.standin", "prism.viewing", "prism.sheets")
        forbidden = {
            "prism.naming": ("prism.pixels", "prism.formats", "prism.passes", *above),
            "prism.pixels": ("prism.formats", "prism.colour", "prism.passes", *above),
            "prism.formats": ("prism.passes", *above),
            "prism.passes": ("prism.formats", *above),
            "prism.elements": above[1:],
            "prism.combine": above[2:],
            "prism.intake": above[3:],
            "prism.standin": ("prism.combine", "prism.intake", "prism.viewing", "prism.sheets"),
            "prism.viewing": ("prism.intake", "prism.standin", "prism.sheets"),
        }
        for name, path in modules().items():
            for room, others in forbidden.items():
                if name.startswith(room):
                    reached = [imported for imported in imports_of(path) if imported.startswith(others)]
                    self.assertEqual(reached, [], f"{name} reaches into another room")
