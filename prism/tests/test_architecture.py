"""The shape of the code: what may import what."""

import ast
import runpy
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from prism import compiled

ROOT = Path(__file__).resolve().parent.parent
PROJECT = ROOT.parent

# Rooms and what stands beside them, from the ground: pixels know no files, files no passes, passes no files, elements
# no ledger;
# the engine knows a ledger's document and no balance; the renderer nothing of the rebuild.
FLOORS = (
    {"compiled", "pages", "text"},
    {"errors"},
    {"json_text", "limits", "naming"},
    {"bands", "documents"},
    {"colour", "curves", "keyed", "pixels"},
    {"fields", "formats", "passes"},
    {"judging", "scenes"},
    {"movies", "plan"},
    {"deep"},
    {"elements"},
    {"sources"},
    {"mattes"},
    {"finish"},
    {"ledger"},
    {"combine"},
    {"balance", "warming"},
    {"intake", "viewing"},
    {"sheets"},
    {"delivery"},
    {"commands"},
    {"__main__"},
)


def room_of(name: str) -> str:
    """Of a module's full name; empty for other packages."""
    return name.split(".")[1] if name.startswith("prism.") else ""


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
        asked = "[m for m in sys.modules if m.split('.')[0] in ('django', 'desk', 'celery')]"
        script = f"{everything}; import sys; print({asked})"
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

    def test_no_room_imports_from_its_own_floor_or_above(self):
        floor = {room: number for number, rooms in enumerate(FLOORS) for room in rooms}
        seen = 0
        for name, path in modules().items():
            room = room_of(name)
            for other in {room_of(imported) for imported in imports_of(path) & modules().keys()} - {room, ""}:
                self.assertLess(floor[other], floor[room], f"{name} imports prism.{other}")
                seen += 1
        self.assertGreater(seen, 300)


def _has_loops(path: Path) -> bool:
    return "prism.compiled" in path.read_text()


class CompiledCode(unittest.TestCase):
    """What of the machine code in the cache an edit makes stale."""

    def digests(self) -> dict[str, str]:
        compiled.digest_of.cache_clear()
        paths = [path for each in compiled.PACKAGES for path in (self.copy / each).rglob("*.py") if _has_loops(path)]
        return {str(path.relative_to(self.copy)): compiled.digest_of(path) for path in paths}

    def stale_after_edit(self, name: str) -> set[str]:
        before = self.digests()
        with open(self.copy / name, "a") as file:
            file.write("\n# edited\n")
        return {name for name, digest in self.digests().items() if digest != before[name]}

    def test_an_edit_recompiles_what_depends_on_it_and_nothing_else(self):
        folder = Path(tempfile.mkdtemp(prefix="prism-test-"))
        self.addCleanup(shutil.rmtree, folder)
        self.addCleanup(compiled.digest_of.cache_clear)
        self.copy = self.copied(folder)
        with mock.patch.object(compiled, "HOUSE", self.copy):
            kept = self.stale_after_edit("prism/combine/powers.py")
            self.assertLessEqual({"prism/combine/powers.py", "prism/combine/machine.py"}, kept)
            others = ("standin", "prism/mattes", "prism/colour")
            self.assertFalse([name for name in kept if name.startswith(others)])
            constants = self.stale_after_edit("standin/stage.py")  # names of shapes and materials, no loop
            self.assertLessEqual({"standin/rays.py", "standin/tracing.py"}, constants)
            self.assertNotIn("prism/combine/machine.py", constants)
            self.assertEqual(self.stale_after_edit("standin/write.py"), set())

    def copied(self, folder: Path) -> Path:
        for package in compiled.PACKAGES:
            left_out = shutil.ignore_patterns("tests", "__pycache__")
            shutil.copytree(PROJECT / package, folder / package, ignore=left_out)
        return folder

    def test_copies_of_the_same_text_share_their_code(self):
        folder = Path(tempfile.mkdtemp(prefix="prism-test-"))
        self.addCleanup(shutil.rmtree, folder)
        self.copy = PROJECT
        here = self.digests()
        self.copy = self.copied(folder)
        with mock.patch.object(compiled, "HOUSE", self.copy):
            self.assertEqual(self.digests().items(), {name: here[name] for name in self.digests()}.items())


class Map(unittest.TestCase):
    def test_the_map_is_that_of_the_code(self):
        """Drawn anew from the imports, which also says that there is no circle of rooms, inside functions neither."""
        tool = runpy.run_path(str(PROJECT / "docs" / "draw_map.py"))
        stale = "The map is stale: run python docs/draw_map.py"
        self.assertEqual((PROJECT / "docs" / "architecture.svg").read_text(), tool["drawn"](), stale)
        self.assertGreater(len(tool["imports"]()), 40)
        with self.assertRaisesRegex(ValueError, "a > b > a"):
            tool["floors"]({"a": {"b"}, "b": {"a"}})
