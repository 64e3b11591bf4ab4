"""`./eager start | worker | stop | status | demo | backup | restore | test`."""

from __future__ import annotations

import argparse
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from launcher import parts
from launcher.house import ROOT, SHARED, House
from launcher.install import install
from launcher.services import is_running
from launcher.tested import run_test
from launcher.times import Times
from launcher.trouble import Trouble


def run_start(house: House, *, empty: bool = False) -> int:
    """Without the demo if that is asked for, now or at an earlier start. What fails leaves nothing running that it
    began."""
    house.prepare()
    with house.alone("Start", wait=True):
        before = parts.running(house)
        try:
            return _started(house, empty)
        except (Trouble, KeyboardInterrupt):
            parts.stop_all(house, but=before)
            raise


def _started(house: House, empty: bool) -> int:
    times = Times()
    _records_ready(house, times)
    marker = house.var / "empty"
    if empty:
        marker.touch()
    empty = marker.exists()
    with times.of("what is outdated stopped"):
        parts.stop_outdated(house)
    if not parts.is_ready(house, empty=empty):
        parts.start_warming(house)
    with times.of("records and demo"):
        parts.make_ready(house, empty=empty)
    with times.of("servers and worker"):
        parts.start_serving(house)
    print(f"\nEager Prism is ready after {times.seconds:.0f} s at {parts.address(house)}")
    if words := times.in_words():
        print(f"That took: {words}.")
    if not empty:
        print(f"Demo account: demo / {house.secrets()['demo']}")
    return 0


def _records_ready(house: House, times: Times) -> None:
    """Everything installed, and the database and the queue running."""
    house.secrets()
    parts.require_ports(house)
    with times.of("packages"):
        install()
    with times.of("database"):
        parts.start_database(house)
    with times.of("queue"):
        parts.start_queue(house)


@contextmanager
def _records_for_now(house: House) -> Iterator[None]:
    """The database and the queue running while inside, and afterwards only if they ran before."""
    house.prepare()
    with house.alone("Start", wait=True):
        before = parts.running(house)
        try:
            _records_ready(house, Times())
            yield
        finally:
            parts.stop_all(house, but=before)


@contextmanager
def _reachable(house: House, file: Path) -> Iterator[Path]:
    """A file, or a place for its copy: the application may run as a user that cannot reach what its caller can."""
    user = parts.serving_user(house)
    if user is None:
        yield file.absolute()
        return
    folder = Path(tempfile.mkdtemp(dir=house.var / "cache"))
    shutil.chown(folder, user.name)
    try:
        yield folder / file.name
    finally:
        shutil.rmtree(folder)


def run_backup(house: House, file: Path) -> int:
    """Back up a house that runs or not."""
    with _records_for_now(house), _reachable(house, file) as place:
        code = parts.manage(house, "backup", str(place))
        if code == 0 and place != file.absolute():
            shutil.copy(place, file)
        return code


def run_restore(house: House, file: Path) -> int:
    """Into a house without productions; it stays without the demo."""
    with _records_for_now(house):
        if parts.manage(house, "migrate", "--verbosity", "0"):
            raise Trouble("The database could not be made ready; the lines above say why.")
        with _reachable(house, file) as place:
            if place != file.absolute() and file.is_file():
                shutil.copyfile(file, place)
            code = parts.manage(house, "restore", str(place))
    if code == 0:
        (house.var / "empty").touch()
        parts.forget_ready(house)
    return code


def run_worker(house: House, name: str, processes: int, *, settings: bool) -> int:
    """One more worker, here or for a house elsewhere, until it is interrupted. settings: print what it would need there
    instead."""
    if settings:
        shared = {"EAGER_DB_HOST": "127.0.0.1", "EAGER_ROOTS": str(house.var / "storage")} | house.environment()
        print("\n".join(f"export {variable}={shlex.quote(shared[variable])}" for variable in SHARED))
        return 0
    elsewhere = "EAGER_QUEUE_URL" in os.environ
    lacking = [variable for variable in SHARED if variable not in os.environ] if elsewhere else []
    if lacking:
        raise Trouble(f"Not set: {', '.join(lacking)}. `./eager worker --settings` prints them where the house runs.")
    if not elsewhere and not is_running(house, "queue"):
        raise Trouble("The house does not run. Use `./eager start` first, or set the variables of one elsewhere.")
    install()
    environment = parts.environment(house) | {variable: os.environ[variable] for variable in SHARED if elsewhere}
    command = parts.worker_command(name, processes)
    user = parts.serving_user(house)
    ended = subprocess.run(command, cwd=ROOT, env=environment, **(user.process if user else {}))
    return ended.returncode


def run_stop(house: House) -> int:
    ended = parts.stop_all(house)
    print(f"Stopped {', '.join(ended)}." if ended else "Nothing was running.")
    return 0


def run_status(house: House) -> int:
    states = {name: is_running(house, name) for name in reversed(parts.STOP_ORDER)}
    for name, running in states.items():
        print(f"{name:<10}{'running' if running else 'not running'}")
    if all(states.values()):
        print(parts.address(house))
    return 0 if all(states.values()) else 3


def run_demo(house: House) -> int:
    """Put the demo back as it was, in a running house."""
    if not is_running(house, "database"):
        raise Trouble("The database does not run. Use `./eager start` first.")
    (house.var / "empty").unlink(missing_ok=True)
    return parts.manage(house, "load_demo", "--again")


def main() -> int:
    parser = argparse.ArgumentParser(prog="./eager", description="Start, stop and test Eager Prism.")
    verbs = parser.add_subparsers(dest="verb", metavar="VERB", required=True)
    start = verbs.add_parser("start", help="install what is missing, start everything, print the address")
    start.add_argument(
        "--empty", action="store_true", help="without the demo; an account of your own, and nothing else"
    )
    worker = verbs.add_parser("worker", help="one more worker in this terminal, here or for a house elsewhere")
    worker.add_argument("--name", default="second", help="which tells it from others of this machine")
    worker.add_argument("--processes", type=int, default=parts.WORKER_PROCESSES, help="tasks at once")
    worker.add_argument("--settings", action="store_true", help="print the variables that it needs on another machine")
    verbs.add_parser("stop", help="end what start started")
    verbs.add_parser("status", help="what runs")
    verbs.add_parser("demo", help="put the demo back as it was")
    for verb, does in (
        ("backup", "all records and documents in one file"),
        ("restore", "a backup into an empty house"),
    ):
        verbs.add_parser(verb, help=does).add_argument("file", type=Path)
    verbs.add_parser("test", help="run all tests, or those named")
    args, rest = parser.parse_known_args()
    if rest and args.verb != "test":
        parser.error(f"{args.verb} takes no arguments: {' '.join(rest)}")
    try:
        if args.verb == "test":
            return run_test(rest)
        if args.verb == "start":
            return run_start(House.of_user(), empty=args.empty)
        if args.verb == "worker":
            return run_worker(House.of_user(), args.name, args.processes, settings=args.settings)
        if args.verb in ("backup", "restore"):
            return {"backup": run_backup, "restore": run_restore}[args.verb](House.of_user(), args.file)
        run = {"stop": run_stop, "status": run_status, "demo": run_demo}[args.verb]
        return run(House.of_user())
    except Trouble as trouble:
        print(f"\n{trouble}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("\nInterrupted. `./eager stop` ends what was started.", file=sys.stderr)
        return 130
    except subprocess.SubprocessError as error:
        print(f"\n{error}. Run `./eager stop`, then start again.", file=sys.stderr)
        return 1
