"""The parts outside: MariaDB, Redis, the Celery worker and the web server, each as a service of one house."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import socket
import subprocess
import sys
import urllib.error
import urllib.request
from collections.abc import Collection, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cache

from launcher import users
from launcher.house import ROOT, House, user_name
from launcher.install import PYTHON
from launcher.services import Service, is_running, require_free, start, stop
from launcher.trouble import Trouble, step
from launcher.users import User

DATABASE = "eager"
WEB_PROCESSES = 2  # one goes on answering while the other is busy or replaced; as many for pages as for pictures
WORKER_PROCESSES = 2  # one stays free for hand-off while the other renders
PORT_VARIABLES = {"database": "EAGER_DB_PORT", "queue": "EAGER_QUEUE_PORT", "web": "EAGER_PORT"}
READY = "prepared"  # name of the file that says what was made ready
PREPARED = ("demo", "desk", "prism", "standin")  # folders whose files decide what has to be made ready
SERVED = ("desk", "prism", "standin")  # folders whose files the web server and the worker keep in memory
SERVING, RECORDS = ("web", "pictures", "worker", "loops", "logs"), ("queue", "database")
STOP_ORDER = (*SERVING, *RECORDS)


def running(house: House) -> set[str]:
    """Names of what runs of this house."""
    return {name for name in STOP_ORDER if is_running(house, name)}


def require_ports(house: House) -> None:
    """Before any work: raises Trouble if a port we are about to use belongs to another program."""
    for name, port in (("database", house.database_port), ("queue", house.queue_port), ("web", house.web_port)):
        if not is_running(house, name):
            require_free(name, port, PORT_VARIABLES[name])


def start_database(house: House) -> None:
    """Start MariaDB on a private folder, made on first use, with one database and one user for the application."""
    folder = house.var / "mariadb"
    if not (folder / "complete").exists():
        _make_database_folder(house)
    start(house, _database(house))
    password = house.secrets()["database"]
    digest = hashlib.sha256(password.encode()).hexdigest()[:16]
    granted = folder / "granted"
    if not granted.exists() or granted.read_text() != digest:  # the first time, or secrets.json was made anew
        # The user may make databases for tests, and nothing outside its own names.
        _sql(
            house,
            f"CREATE DATABASE IF NOT EXISTS {DATABASE} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;"
            f"CREATE OR REPLACE USER {DATABASE}@'127.0.0.1' IDENTIFIED BY '{password}';"
            f"GRANT ALL ON {DATABASE}.* TO {DATABASE}@'127.0.0.1';"
            f"GRANT ALL ON `test\\_{DATABASE}%`.* TO {DATABASE}@'127.0.0.1';",
        )
        granted.write_text(digest)


def start_queue(house: House) -> None:
    folder = house.var / "redis"
    folder.mkdir(exist_ok=True)
    config = folder / "redis.conf"
    config.touch(0o600)
    config.write_text(
        f"bind 127.0.0.1\nport {house.queue_port}\nrequirepass {house.secrets()['queue']}\n"
        f'dir "{folder}"\nappendonly yes\nappendfsync no\nsave ""\n'  # nothing in it that the database lacks
    )
    ready = _queue_ready(house)
    if is_running(house, "queue") and not ready():  # begun with another password
        stop(house, "queue")
    command = ["redis-server", str(config)]
    start(house, Service("queue", command, os.environ, ready, house.queue_port, PORT_VARIABLES["queue"]))


def start_serving(house: House) -> None:
    """Start the web server, the worker, and what keeps their logs short. Pages answer while the worker still loads:
    what they ask of it waits in the queue."""
    logs = [sys.executable, "-m", "launcher.logs", str(house.var / "log")]
    start(house, _pictures(house), _web(house), Service("logs", logs, os.environ, lambda: True), _worker(house))


def start_warming(house: House) -> None:
    """Compile the loops that were never run here, as urgently as the pictures that wait for them."""
    command = ["nice", "-n", "5", str(PYTHON), "-m", "prism.warming"]
    start(house, Service("loops", command, environment(house), lambda: True, user=serving_user(house)))


def stop_outdated(house: House) -> None:
    """End a web server and a worker that began with other files or secrets than there are now: they keep what they
    read."""
    stamp = house.var / "run" / "served"
    now = _digest_of(house, SERVED)
    before = stamp.read_text() if stamp.exists() else ""
    running = [name for name in ("web", "pictures", "worker") if is_running(house, name)]
    if before != now and running:
        step(f"Reloading {' and '.join(running)}: their files or secrets have changed")
        for name in running:
            stop(house, name)
    stamp.write_text(now)


def _digest_of(house: House, folders: Sequence[str]) -> str:
    """The digest of the secrets, and of when the files of some folders changed."""
    digest = hashlib.sha256(json.dumps(house.secrets()).encode())
    for path in sorted(path for folder in folders for path in (ROOT / folder).rglob("*")):
        if path.is_file() and "__pycache__" not in path.parts and "tests" not in path.parts:
            digest.update(f"{path.relative_to(ROOT)} {path.stat().st_mtime_ns} {path.stat().st_size}\n".encode())
    return digest.hexdigest()


def is_ready(house: House, *, empty: bool) -> bool:
    """Whether the application, its database and its static files are those that were made ready."""
    stamp = house.var / "run" / READY
    return stamp.exists() and stamp.read_text() == _made_of(house, empty)


def make_ready(house: House, *, empty: bool) -> None:
    """Migrations, static files and the demo; not again while it is ready. Raises Trouble."""
    if is_ready(house, empty=empty):
        return
    forget_ready(house)
    if manage(house, "prepare", *(["--empty"] if empty else [])):
        raise Trouble("The application could not be made ready; the lines above say why.")
    (house.var / "run" / READY).write_text(_made_of(house, empty))


def _made_of(house: House, empty: bool) -> str:
    paths = (house.var / "mariadb" / "complete", house.var / "static")
    there = [path.stat().st_mtime_ns if path.exists() else 0 for path in paths]
    return json.dumps([_digest_of(house, PREPARED), empty, *there])


def forget_ready(house: House) -> None:
    """Records came from elsewhere: the next start looks at them again."""
    (house.var / "run" / READY).unlink(missing_ok=True)


@cache
def serving_user(house: House) -> User | None:
    """Whom the web server and the worker run as; None for whoever starts them."""
    return users.serving(house.var, users.made(), house.environment())


def environment(house: House) -> dict[str, str]:
    """What the application's processes need to know."""
    user = serving_user(house)
    return house.environment() | {"PRISM_DECODER": users.made()} | (user.environment if user else {})


def worker_command(name: str, processes: int) -> list[str]:
    """What runs a worker. processes: tasks that it carries out at once."""
    # Nice: rendering must not make the page slow.
    return [
        "nice", "-n", "10", str(PYTHON), "-m", "celery", "-A", "desk", "worker", "--loglevel", "info",
        "--concurrency", str(processes), "--hostname", f"{name}@%h", "--without-gossip", "--without-mingle",
    ]  # fmt: skip


def _worker(house: House) -> Service:
    command = worker_command(f"eager-{house.web_port}", WORKER_PROCESSES)
    alive = lambda: is_running(house, "worker")  # noqa: E731
    return Service("worker", command, environment(house), alive, user=serving_user(house))


def _web(house: House) -> Service:
    known = environment(house) | {"EAGER_PICTURES": str(house.pictures_socket)}
    command = _gunicorn(f"127.0.0.1:{house.web_port}")
    port, variable = house.web_port, PORT_VARIABLES["web"]
    return Service("web", command, known, _web_ready(house), port, variable, serving_user(house))


def _pictures(house: House) -> Service:
    """What the web server has computed, a little nicer: pages go first."""
    path = house.pictures_socket
    known = environment(house) | {"EAGER_PROXY": "localhost"}  # that is whom the socket connects to

    def ready() -> bool:
        with socket.socket(socket.AF_UNIX) as probe:
            return probe.connect_ex(str(path)) == 0

    command = ["nice", "-n", "5", *_gunicorn(f"unix:{path}")]
    return Service("pictures", command, known, ready, user=serving_user(house))


def _gunicorn(place: str) -> list[str]:
    return [
        str(PYTHON), "-m", "gunicorn", "desk.wsgi", "--bind", place, "--preload",
        "--workers", str(WEB_PROCESSES), "--worker-class", "desk.serving.BufferedWorker", "--timeout", "120",
        "--no-control-socket",
    ]  # fmt: skip


def stop_all(house: House, *, but: Collection[str] = ()) -> list[str]:
    """End what runs of this house, some aside: what serves side by side, then the records that it writes. Returns the
    names of what was ended."""
    ended: list[str] = []
    with ThreadPoolExecutor(len(SERVING)) as threads:
        for together in (SERVING, RECORDS):
            names = [name for name in together if name not in but]
            ran = list(threads.map(lambda name: stop(house, name), names))
            ended += [name for name, was_running in zip(names, ran, strict=True) if was_running]
    return ended


def address(house: House) -> str:
    return f"http://127.0.0.1:{house.web_port}/"


def manage(house: House, *arguments: str) -> int:
    """Run a management command of the application. Returns its exit code."""
    user = serving_user(house)
    command = [str(PYTHON), "manage.py", *arguments]
    return subprocess.run(command, cwd=ROOT, env=environment(house), **(user.process if user else {})).returncode


def _database(house: House) -> Service:
    command = [
        shutil.which("mariadbd", path=f"{os.environ['PATH']}:/usr/sbin") or "mariadbd",
        "--no-defaults",
        f"--datadir={house.var / 'mariadb'}",
        f"--socket={house.socket}",
        f"--port={house.database_port}",
        "--bind-address=127.0.0.1",
        "--skip-name-resolve",
        "--character-set-server=utf8mb4",
        "--collation-server=utf8mb4_bin",
        "--innodb-buffer-pool-size=128M",
        f"--user={_user()}",
        *(() if house.lasting else ("--innodb-flush-log-at-trx-commit=0", "--skip-innodb-doublewrite")),
    ]
    ready = lambda: _sql(house, "SELECT 1", check=False)  # noqa: E731
    return Service(
        "database", command, os.environ | _own_temporary(house), ready, house.database_port, PORT_VARIABLES["database"]
    )


def _own_temporary(house: House) -> dict[str, str]:
    """A folder for the temporary tables of this database: in one that several share, each that starts deletes those of
    the others."""
    folder = house.var / "mariadb-temporary"
    folder.mkdir(exist_ok=True)
    return {"TMPDIR": str(folder)}


def _make_database_folder(house: House) -> None:
    """Lay out MariaDB's files; its administrator is this system user, by socket only."""
    step("Making the database")
    folder = house.var / "mariadb"
    shutil.rmtree(folder, ignore_errors=True)  # what an interrupted attempt left
    user = _user()
    result = subprocess.run(
        [
            "mariadb-install-db", "--no-defaults", f"--datadir={folder}", "--skip-test-db", f"--user={user}",
            "--auth-root-authentication-method=socket", f"--auth-root-socket-user={user}",
        ],
        capture_output=True,
        text=True,
        env=os.environ | _own_temporary(house),
    )  # fmt: skip
    if result.returncode:
        raise Trouble(f"MariaDB could not lay out its files: {result.stderr.strip() or result.stdout.strip()}")
    (folder / "complete").touch()


def _sql(house: House, statement: str, *, check: bool = True) -> bool:
    """The statement goes in by the pipe: it may hold a password, and command lines are seen by everybody."""
    command = ["mariadb", "--no-defaults", f"--socket={house.socket}", f"--user={_user()}"]
    result = subprocess.run(command, input=statement, capture_output=True, text=True)
    if check and result.returncode:
        raise Trouble(f"MariaDB refused: {result.stderr.strip()}")
    return result.returncode == 0


def _user() -> str:
    """Whom the database knows by its socket. Raises Trouble for a number that the system has no name for."""
    name = user_name(os.geteuid())
    if not name:
        raise Trouble(f"The system has no name for user {os.geteuid()}. Add one to /etc/passwd, then start again.")
    return name


def _queue_ready(house: House):
    environment = {**os.environ, "REDISCLI_AUTH": house.secrets()["queue"]}

    def ready() -> bool:
        command = ["redis-cli", "-h", "127.0.0.1", "-p", str(house.queue_port), "ping"]
        return "PONG" in subprocess.run(command, capture_output=True, text=True, env=environment).stdout

    return ready


def _web_ready(house: House):
    def ready() -> bool:
        try:
            with urllib.request.urlopen(f"{address(house)}health/", timeout=5) as answer:
                return answer.status == 200
        except urllib.error.HTTPError as refusal:  # a full disk or no worker is no reason not to begin
            parts = json.loads(refusal.read()).get("parts", {})
            return all(parts.get(name, {}).get("ok") for name in ("database", "queue"))
        except (OSError, ValueError):
            return False

    return ready
