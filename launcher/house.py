"""Where things lie and on which ports they listen. Everything the application makes is under one private folder."""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import pwd
import secrets
import shutil
import socket
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from launcher.trouble import Trouble, step

ROOT = Path(__file__).resolve().parent.parent
LEAST_FREE_BYTES = 1 << 30
HIDDEN = (
    "secrets.json",
    "mariadb",
    "redis",
    "run",
    "log",
)  # from what decodes foreign files, where the system can hide it
SOCKET_PATH_LIMIT = 100  # Unix sockets take 107 bytes


@dataclass(frozen=True)
class House:
    """One running copy: its folder and its three ports, all on 127.0.0.1."""

    var: Path
    web_port: int
    database_port: int
    queue_port: int
    lasting: bool = True  # whether its records must be there after the machine breaks down; those of tests need not

    @classmethod
    def of_user(cls) -> House:
        """The copy that `./eager start` runs; ports can be moved by environment variables."""
        var = Path(os.environ.get("EAGER_VAR", ROOT / "var")).resolve()
        return cls(var, _port("EAGER_PORT", 8710), _port("EAGER_DB_PORT", 8711), _port("EAGER_QUEUE_PORT", 8712))

    @classmethod
    def of_tests(cls, number: int) -> House:
        """A copy of its own for each process of tests, on ports that are free now, so all can run side by side."""
        web, database, queue = _free_ports(3)
        return cls(ROOT / "var" / f"test-{number}", web, database, queue, lasting=False)

    def prepare(self) -> None:
        """Make the folders. Raises Trouble if there is no room or no right to, or the folder is someone else's."""
        try:
            self._require_own()
            self.var.mkdir(mode=0o700, parents=True, exist_ok=True)
            for name in ("log", "run", "cache", "redis", "serve", "storage", "static", "pictures"):
                (self.var / name).mkdir(exist_ok=True)
            for name in ("log", "run", "cache", "redis", "serve"):  # of nobody but whoever runs it
                (self.var / name).chmod(0o700)
            with tempfile.TemporaryFile(dir=self.var / "run") as probe:
                probe.write(b"x")
        except OSError as error:
            raise Trouble(
                f"Cannot write in {self.var}: {error.strerror}. Give yourself the right to, or set EAGER_VAR "
                "to another folder."
            ) from error
        free = shutil.disk_usage(self.var).free
        if free < LEAST_FREE_BYTES:
            raise Trouble(
                f"Only {free >> 20} MB are free for {self.var}; 1 GB is needed. Free some space, then start again."
            )

    def _require_own(self) -> None:
        """A folder that is there already keeps its rights, and must be a house or empty."""
        if not self.var.exists():
            return
        owner = self.var.stat().st_uid
        if owner != os.geteuid():
            name = user_name(owner) or f"user {owner}"
            raise Trouble(f"{self.var} belongs to {name}. Start as {name}, or set EAGER_VAR to a folder of your own.")
        there = {path.name for path in self.var.iterdir()}
        if there and not there & {"run", "log", "secrets.json"}:
            raise Trouble(f"{self.var} holds other things. Set EAGER_VAR to a folder that is empty, or not there yet.")

    @property
    def socket(self) -> Path:
        """The socket of the database."""
        return self._socket("run", "db")

    @property
    def pictures_socket(self) -> Path:
        """The socket of what computes pictures for the web server."""
        return self._socket("serve", "pictures")

    def _socket(self, folder: str, name: str) -> Path:
        """In a folder that nobody else sees; elsewhere if its path is too long for a socket."""
        path = self.var / folder / f"{name}.sock"
        if len(str(path)) < SOCKET_PATH_LIMIT:
            return path
        digest = hashlib.sha256(str(self.var).encode()).hexdigest()[:12]
        short = Path(tempfile.gettempdir()) / f"eager-{folder}-{digest}"
        short.mkdir(mode=0o700, exist_ok=True)
        if short.is_symlink() or short.stat().st_mode & 0o077:
            raise Trouble(f"{short} is open to others. Delete it, or set EAGER_VAR to a shorter path.")
        if (self.var / folder).exists():
            os.chown(short, (self.var / folder).stat().st_uid, -1)
        return short / f"{name}.sock"

    @contextmanager
    def alone(self, what: str, *, wait: bool = False) -> Iterator[None]:
        """While nobody else does this in the house. Raises Trouble, or waits for them; the lock ends with the process,
        however that ends."""
        with open(self.var / "run" / f"{what.lower()}.lock", "w") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                if not wait:
                    raise Trouble(f"{what} run in {self.var} already. Wait for them to end.") from None
                step(f"Waiting for another {what.lower()} in {self.var}")
                fcntl.flock(file, fcntl.LOCK_EX)
            yield

    def secrets(self) -> dict[str, str]:
        """Passwords and keys of this copy, made on first use and readable by its owner only."""
        path = self.var / "secrets.json"
        if not path.exists():
            made = {name: secrets.token_urlsafe(32) for name in ("django", "database", "queue")}
            made["demo"] = secrets.token_hex(4)
            descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(descriptor, "w") as file:
                json.dump(made, file)
        try:
            kept = json.loads(path.read_text())
            if not all(isinstance(kept[name], str) and kept[name] for name in ("django", "database", "queue")):
                raise ValueError
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise Trouble(
                f"{path} cannot be read or is not whole. Put it back from a copy, or delete it: the next start "
                "makes it anew, "
                "and everybody logs in again."
            ) from error
        return {"demo": "demo", **kept}  # what was begun before each copy had a password of its own

    def environment(self) -> dict[str, str]:
        """What the application's processes need to know."""
        keys = self.secrets()
        return {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "desk.settings",
            "EAGER_VAR": str(self.var),
            "EAGER_PORT": str(self.web_port),
            "EAGER_SECRET_KEY": hashlib.sha256(keys["django"].encode()).hexdigest(),  # as long as Django wants it
            "EAGER_DEMO_PASSWORD": keys["demo"],
            "EAGER_DB_PORT": str(self.database_port),
            "EAGER_DB_PASSWORD": keys["database"],
            "EAGER_QUEUE_URL": f"redis://:{keys['queue']}@127.0.0.1:{self.queue_port}/0",
            "PRISM_HIDDEN": os.pathsep.join(str(self.var / name) for name in HIDDEN),
            "PYTHONUNBUFFERED": "1",
            "MALLOC_ARENA_MAX": "2",  # many threads that each free into a heap of their own keep hundreds of megabytes
        }


SHARED = ("EAGER_SECRET_KEY", "EAGER_DB_HOST", "EAGER_DB_PORT", "EAGER_DB_PASSWORD", "EAGER_QUEUE_URL", "EAGER_ROOTS")
"""Variables by which a worker elsewhere belongs to this house."""


def user_name(number: int) -> str:
    """The name of the system's user of that number, whatever USER says; empty if the system knows none."""
    try:
        return pwd.getpwuid(number).pw_name
    except KeyError:
        return ""


def _port(name: str, default: int) -> int:
    text = os.environ.get(name, str(default))
    if not text.isdigit() or not 1024 <= int(text) <= 65535:
        raise Trouble(f"{name} is {text}; it must be a port number from 1024 to 65535.")
    return int(text)


def _free_ports(count: int) -> list[int]:
    sockets = [socket.socket() for _ in range(count)]
    try:
        for opened in sockets:
            opened.bind(("127.0.0.1", 0))
        return [opened.getsockname()[1] for opened in sockets]
    finally:
        for opened in sockets:
            opened.close()
