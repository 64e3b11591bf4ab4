"""`./eager test`: the tests shared out among processes, each with a database, a queue and a folder of its own."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from launcher import parts, users
from launcher.house import ROOT, House
from launcher.install import PYTHON, install
from launcher.trouble import step

MOST_PROCESSES = 5
SLOWEST = 15  # tests that are named in the end


def run_test(arguments: list[str]) -> int:
    """All tests on all cores, or those named in one process."""
    # More than there are cores: much of the time is spent waiting for browsers, and for what was killed to be missed.
    count = 1 if arguments else min((os.cpu_count() or 1) + 1, MOST_PROCESSES)
    first = House.of_tests(0)
    first.prepare()
    install(for_tests=True)
    with first.alone("Tests"), _temporary() as temporary:
        houses = [first, *(House.of_tests(number) for number in range(1, count))]
        begun = time.monotonic()
        # Loops that were never compiled are, while the first tests run.
        warming = [] if arguments else [subprocess.Popen([PYTHON, "-m", "prism.warming"], cwd=ROOT)]
        try:
            with ThreadPoolExecutor(count) as threads:
                list(threads.map(_records, houses))
            codes = _run(houses, arguments, temporary)
        finally:
            for process in warming:
                process.wait()
            for house in houses:
                parts.stop_all(house)
        return _report(temporary, codes, time.monotonic() - begun, whole=not arguments)


@contextmanager
def _temporary() -> Iterator[Path]:
    """What tests make goes below one folder, which is there before the first decoder shuts itself in and gone with the
    last test."""
    folder = Path(tempfile.mkdtemp(prefix="eager-test-"))
    (folder / "claims").mkdir()
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _records(house: House) -> None:
    house.prepare()
    parts.stop_all(house)  # left by a run that was killed, on ports of its own
    parts.start_database(house)
    parts.start_queue(house)


def _run(houses: list[House], arguments: list[str], temporary: Path) -> list[int]:
    """The exit code of each process. What the first says is seen at once, what the others say when they have ended."""
    logs = [house.var / "log" / "tests.log" for house in houses]
    running = [
        _process(house, arguments, temporary, log if number else None)
        for number, (house, log) in enumerate(zip(houses, logs, strict=True))
    ]
    try:
        codes = [process.wait() for process in running]
    except BaseException:
        for process in running:
            process.send_signal(signal.SIGINT)
        for process in running:
            process.wait()
        raise
    for log in logs[1:]:
        print(log.read_text(errors="replace"), flush=True)
    return codes


def _process(house: House, arguments: list[str], temporary: Path, log: Path | None) -> subprocess.Popen:
    environment = house.environment() | {
        "PRISM_DECODER": users.made(),
        "TMPDIR": str(temporary),
        "EAGER_TESTS_SHARED": str(temporary / "claims"),
    }
    command = [str(PYTHON), "manage.py", "test", "--noinput", *arguments]
    if log is None:
        return subprocess.Popen(command, cwd=ROOT, env=environment)
    with open(log, "wb") as file:
        return subprocess.Popen(command, cwd=ROOT, env=environment, stdout=file, stderr=subprocess.STDOUT)


def _report(temporary: Path, codes: list[int], seconds: float, *, whole: bool) -> int:
    """One verdict of all processes. A process that ended without a result of its own has failed; so has a whole run in
    which some kind of work was never carried out by a worker."""
    results = [json.loads(path.read_text()) for path in (temporary / "claims").glob("*.json")]
    for taken, test in sorted((entry for result in results for entry in result["seconds"]), reverse=True)[:SLOWEST]:
        print(f"{taken:6.1f} s  {test}")
    ran = sum(len(result["seconds"]) for result in results)
    failed = sum(result["failed"] for result in results)
    broken = len(codes) - len(results)
    if broken:
        step(f"{broken} of {len(codes)} processes broke off (exit codes {codes})")
    untried = _untried(results) if whole else []
    if untried:
        step(f"No test has a worker carry out work of these kinds to its end: {', '.join(untried)}")
    print(f"\nRan {ran} tests in {seconds:.0f} s by {len(codes)} processes\n")
    print(f"FAILED (failures={failed})" if failed or broken else "OK" if not any(codes) and not untried else "FAILED")
    return max(*map(abs, codes), int(bool(untried or broken)))


def _untried(results: Sequence[Mapping[str, Any]]) -> list[str]:
    """The kinds of work of which no process carried out a task."""
    kinds, done = (set[str]().union(*(result[key] for result in results)) for key in ("kinds", "carried_out"))
    return sorted(kinds - done)
