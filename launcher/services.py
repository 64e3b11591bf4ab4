"""Processes that go on after the launcher ends: started once, found again, ended only if we started them."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from launcher.house import ROOT, House
from launcher.trouble import Trouble, step
from launcher.users import User

STOP_SECONDS = 20
READY_SECONDS = 60


@dataclass(frozen=True)
class Service:
    """One process. ready: answers True once it serves; port None if it listens to nobody. user: whom it runs as; None
    for whoever starts it."""

    name: str
    command: Sequence[str]
    environment: Mapping[str, str]
    ready: Callable[[], bool]
    port: int | None = None
    port_variable: str = ""
    user: User | None = None


def start(house: House, *services: Service) -> None:
    """Start the services that do not run, side by side, and wait until they are ready. Raises Trouble."""
    started = [(service, _launch(house, service)) for service in services if not is_running(house, service.name)]
    for service, process in started:
        _await(house, service, process)


def _launch(house: House, service: Service) -> subprocess.Popen:
    if service.port is not None:
        require_free(service.name, service.port, service.port_variable)
    step(f"Starting {service.name}")
    with open(_log_path(house, service.name), "ab", opener=_private) as file:
        process = subprocess.Popen(
            service.command,
            cwd=ROOT,
            env=service.environment,
            stdin=subprocess.DEVNULL,
            stdout=file,
            stderr=subprocess.STDOUT,
            start_new_session=True,
            **(service.user.process if service.user else {}),
        )
    _pid_path(house, service.name).write_text(f"{process.pid} {_birth(process.pid)}")
    return process


def require_free(name: str, port: int, variable: str) -> None:
    """Raises Trouble if anything listens on the port."""
    if _answers(port):
        raise Trouble(
            f"Port {port} for {name} is taken by another program. End that program, or set {variable} to a free port."
        )


def stop(house: House, name: str) -> bool:
    """End the service if it is one we started, kindly first. Returns whether it was running."""
    recorded = _recorded(house, name)
    if recorded is None or not is_running(house, name):
        _pid_path(house, name).unlink(missing_ok=True)
        return False
    pid, _ = recorded
    os.kill(pid, signal.SIGTERM)
    deadline = time.monotonic() + STOP_SECONDS
    while is_running(house, name):
        if time.monotonic() > deadline:
            os.killpg(pid, signal.SIGKILL)
        time.sleep(0.05)
    _pid_path(house, name).unlink(missing_ok=True)
    return True


def is_running(house: House, name: str) -> bool:
    """Whether the recorded process is running. Its birth is compared too: numbers of dead processes are used again."""
    recorded = _recorded(house, name)
    return recorded is not None and _birth(recorded[0]) == recorded[1]


def _answers(port: int) -> bool:
    with socket.socket() as probe:
        probe.settimeout(1)
        return probe.connect_ex(("127.0.0.1", port)) == 0


def _await(house: House, service: Service, process: subprocess.Popen) -> None:
    deadline = time.monotonic() + READY_SECONDS
    while not service.ready():
        dead = process.poll() is not None
        if dead or time.monotonic() > deadline:
            log = _log_path(house, service.name)
            last = " ".join(log.read_text(errors="replace").strip().splitlines()[-1:])
            state = "ended at once" if dead else f"does not answer after {READY_SECONDS} seconds"
            raise Trouble(f"{service.name} {state}: {last} (all of it: {log}). Run `./eager stop`, then start again.")
        time.sleep(0.1)


def _pid_path(house: House, name: str) -> Path:
    return house.var / "run" / f"{name}.pid"


def _private(path: str, flags: int) -> int:
    """Open a log that nobody else may read; one from before, too."""
    descriptor = os.open(path, flags, 0o600)
    os.fchmod(descriptor, 0o600)
    return descriptor


def _log_path(house: House, name: str) -> Path:
    return house.var / "log" / f"{name}.log"


def _recorded(house: House, name: str) -> tuple[int, str] | None:
    try:
        pid, birth = _pid_path(house, name).read_text().split()
        return int(pid), birth
    except (OSError, ValueError):
        return None


def _birth(pid: int) -> str:
    """Start time of a process in clock ticks since boot; empty if it is gone or only waits to be buried."""
    try:
        after_name = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return ""
    return "" if after_name[0] == "Z" else after_name[19]
