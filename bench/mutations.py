"""`python -m bench.mutations SEED [COUNT]`: small changes of the core, made one by one, and whether a test notices.

Each is made in a copy of the project: a constant moved, a comparison or a sign turned, a condition inverted. Of the
tests of `prism` those run that call the changed function, the quickest first, until one fails; for what is compiled or
stands in no function, all, nearest first by how many imports lie between. Those that no test notices are printed; some
change nothing that can be seen. The same seed makes the same changes of the same code. With `--jobs` several are tried
side by side, each in a copy of its own.
"""

from __future__ import annotations

import argparse
import ast
import json
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue

PROJECT = Path(__file__).resolve().parent.parent
LONGEST = 900  # seconds for all tests of one change; what takes longer hangs, which is noticed too
_TURNED: dict[type, type] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.And: ast.Or, ast.Or: ast.And,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Change:
    """One line of a module in other words."""

    path: str
    line: int
    before: str
    after: str


def modules() -> list[Path]:
    """Every module of the core, without its tests, and without what compiles loops ahead: its numbers mean nothing."""
    found = (path for path in (PROJECT / "prism").rglob("*.py") if "tests" not in path.parts)
    return sorted(path for path in found if path.name != "warming.py")


def sites(tree: ast.Module) -> Iterator[ast.AST]:
    """What can be changed. Left out are words, annotations, whose limits stand in the pages of formats, decorators, and
    whether lists that are as long must be so."""
    waiting: list[ast.AST] = [tree]
    while waiting:
        node = waiting.pop()
        left_out = {id(getattr(node, name, None)) for name in ("annotation", "returns")}
        left_out |= {id(part) for part in getattr(node, "decorator_list", ())}
        left_out |= {id(part) for part in getattr(node, "keywords", ()) if part.arg == "strict"}
        waiting += [child for child in ast.iter_child_nodes(node) if id(child) not in left_out]
        if _can_turn(node):
            yield node


def _can_turn(node: ast.AST) -> bool:
    if isinstance(node, ast.Compare):
        return len(node.ops) == 1 and type(node.ops[0]) in _TURNED
    if isinstance(node, ast.BinOp | ast.BoolOp | ast.UnaryOp):
        return type(node.op) in _TURNED or isinstance(node.op, ast.Not)
    return isinstance(node, ast.Constant) and type(node.value) in (int, float, bool)


def turned(node: ast.AST) -> str:
    """A node in other words, as source text."""
    if isinstance(node, ast.Constant):
        value = node.value
        new = not value if isinstance(value, bool) else value + 1 if isinstance(value, int) else value * 1.5 or 0.5
        return repr(new)
    if isinstance(node, ast.UnaryOp):
        return f"({ast.unparse(node.operand)})"
    if isinstance(node, ast.Compare):
        other: ast.AST = ast.Compare(node.left, [_TURNED[type(node.ops[0])]()], node.comparators)
    elif isinstance(node, ast.BinOp):
        other = ast.BinOp(node.left, _TURNED[type(node.op)](), node.right)
    else:
        other = ast.BoolOp(_TURNED[type(node.op)](), node.values)
    return f"({ast.unparse(other)})"


def changes(seed: int, count: int) -> Iterator[tuple[Change, str]]:
    """So many changes, each with the text of the module that it makes."""
    choose = random.Random(seed)
    found = []
    for path in modules():
        text = path.read_text()
        found += [(path, node) for node in sites(ast.parse(text)) if node.lineno == node.end_lineno]
    for path, node in choose.sample(found, count):
        lines = path.read_text().splitlines(keepends=True)
        line = lines[node.lineno - 1].encode()
        new = line[: node.col_offset] + turned(node).encode() + line[node.end_col_offset :]
        lines[node.lineno - 1] = new.decode()
        change = Change(str(path.relative_to(PROJECT)), node.lineno, line.decode().strip(), new.decode().strip())
        yield change, "".join(lines)


def tests_near(path: str) -> list[str]:
    """All tests of the core, those first between which and the module the fewest imports lie."""
    graph = {_name(file): _imports(file) for file in (PROJECT / "prism").rglob("*.py")}
    reached, wave = {}, {_name(PROJECT / path)}
    for distance in range(len(graph)):
        reached |= dict.fromkeys(wave, distance)
        wave = {name for name, targets in graph.items() if name not in reached and targets & wave}
        if not wave:
            break
    tests = [name for name in graph if ".test_" in name]
    return sorted(tests, key=lambda name: (reached.get(name, len(graph)), _file(name).stat().st_size))


def _file(name: str) -> Path:
    return PROJECT.joinpath(*name.split(".")).with_suffix(".py")


def _name(path: Path) -> str:
    return ".".join(path.relative_to(PROJECT).with_suffix("").parts).removesuffix(".__init__")


def _imports(path: Path) -> set[str]:
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
    return found


def tests_of(change: Change, calls: Mapping[str, list[str]]) -> list[str]:
    """The classes of tests that call the function a change is in, or all modules of tests."""
    functions = (
        node
        for node in ast.walk(ast.parse((PROJECT / change.path).read_text()))
        if isinstance(node, ast.FunctionDef) and node.lineno <= change.line <= (node.end_lineno or node.lineno)
    )
    around = max(functions, key=lambda node: node.lineno, default=None)
    if around is None:
        return tests_near(change.path)
    begins = min([around.lineno, *(decorator.lineno for decorator in around.decorator_list)])
    return calls.get(f"{change.path}:{begins}") or tests_near(change.path)


def calls_of(copy: Path, known: Path | None) -> dict[str, list[str]]:
    """The classes of tests that call a function, the quickest first, by its file and first line."""
    if known is None:
        known = copy / "calls.json"
        subprocess.run([sys.executable, "-m", "bench.calls", known], cwd=copy, check=True, capture_output=True)
    return json.loads(known.read_text())


def noticed(copy: Path, change: Change, text: str, tests: list[str]) -> str:
    """The first line that says what failed; empty if nothing did."""
    path = copy / change.path
    before = path.read_text()
    path.write_text(text)
    command = [sys.executable, "-m", "unittest", "-f", *tests]
    try:
        made = subprocess.run(command, cwd=copy, capture_output=True, text=True, timeout=LONGEST)
    except subprocess.TimeoutExpired:
        return "it never ends"
    finally:
        path.write_text(before)
    said = [line for line in made.stderr.splitlines() if line.startswith(("ERROR:", "FAIL:"))]
    return "" if made.returncode == 0 else next(iter(said), "it does not even begin")


def copied(folder: Path) -> Path:
    """A copy of the project to make changes in."""
    left_out = shutil.ignore_patterns("var", ".git", "__pycache__", "node_modules")
    return shutil.copytree(PROJECT, folder, ignore=left_out)


def main() -> None:
    """Make changes and count those that nothing notices."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seed", type=int)
    parser.add_argument("count", type=int, nargs="?", default=60)
    parser.add_argument("--jobs", type=int, default=1)
    parser.add_argument("--calls", type=Path, help="what `python -m bench.calls` wrote of the same code")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(asked.jobs) as threads:
        idle: SimpleQueue[Path] = SimpleQueue()
        for number in range(asked.jobs):
            idle.put(copied(Path(folder) / str(number)))
        calls = calls_of(copied(Path(folder) / "calls"), asked.calls)

        def tried(made: tuple[Change, str]) -> tuple[Change, str]:
            copy = idle.get()
            try:
                return made[0], noticed(copy, *made, tests_of(made[0], calls))
            finally:
                idle.put(copy)

        survived = 0
        for number, (change, by) in enumerate(threads.map(tried, changes(asked.seed, asked.count)), start=1):
            survived += not by
            print(f"{number:3} {change.path}:{change.line}: {change.before}\n    -> {change.after}")
            print(f"    {by or 'SURVIVED'}", flush=True)
    print(f"{survived} of {asked.count} survived")


if __name__ == "__main__":
    main()
