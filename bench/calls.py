"""`python -m bench.calls FILE`: which tests of the core call which of its functions, as JSON.

By a function's file and first line, the classes of tests, the quickest first. What is compiled, or runs in a process of
its own, is called by nobody here.
"""

from __future__ import annotations

import json
import sys
import threading
import time
import unittest
from collections import defaultdict
from itertools import groupby
from pathlib import Path
from types import CodeType, FrameType
from typing import Any

PROJECT = Path(__file__).resolve().parent.parent
CORE = f"{PROJECT / 'prism'}/"


def _tests(suite: unittest.TestSuite) -> list[unittest.TestCase]:
    return [test for part in suite for test in (_tests(part) if isinstance(part, unittest.TestSuite) else [part])]


def _class_of(test: unittest.TestCase) -> str:
    return f"{type(test).__module__}.{type(test).__qualname__}"


def called_by(tests: list[unittest.TestCase]) -> set[str]:
    """The functions of the core that some tests call."""
    seen: dict[int, CodeType] = {}

    def note(frame: FrameType, event: str, _: Any) -> None:
        if event == "call":
            seen[id(frame.f_code)] = frame.f_code

    threading.setprofile(note)
    sys.setprofile(note)
    try:
        unittest.TestSuite(tests).run(unittest.TestResult())
    finally:
        sys.setprofile(None)
        threading.setprofile(None)  # type: ignore[arg-type]
    inside = (code for code in seen.values() if code.co_filename.startswith(CORE) and "/tests/" not in code.co_filename)
    return {f"{Path(code.co_filename).relative_to(PROJECT)}:{code.co_firstlineno}" for code in inside}


def main() -> None:
    """Run every test of the core once."""
    tests = _tests(unittest.defaultTestLoader.discover(str(PROJECT / "prism"), top_level_dir=str(PROJECT)))
    callers: dict[str, list[tuple[float, str]]] = defaultdict(list)
    for name, members in groupby(tests, key=_class_of):
        begun = time.monotonic()
        functions = called_by(list(members))
        for function in functions:
            callers[function].append((time.monotonic() - begun, name))
    quickest = {function: [name for _, name in sorted(found)] for function, found in callers.items()}
    Path(sys.argv[1]).write_text(json.dumps(quickest))


if __name__ == "__main__":
    main()
