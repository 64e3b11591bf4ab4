"""Whom the application runs as where root starts it: a user of its own, which owns what is written and nothing else.

What decodes foreign files becomes that user in any case. The web server and the worker run as it where it can read the
program and write in every storage folder; where it cannot, they stay root, and the start says so.
"""

from __future__ import annotations

import os
import pwd
import subprocess
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from launcher.house import ROOT
from launcher.install import PYTHON
from launcher.trouble import Trouble, step

NAME = "eager-prism"
OWN = ("storage", "cache", "static", "pictures", "serve")  # folders of the application, below that of the house
_TRIES = "import sys, desk.settings, numpy, os; sys.exit(not all(os.access(p, os.W_OK) for p in sys.argv[1:]))"


@dataclass(frozen=True)
class User:
    """A user of the system. home: a folder that it can write in."""

    name: str
    home: Path

    @property
    def process(self) -> dict[str, Any]:
        """For subprocess: to run as that user and in none of root's groups."""
        return {"user": self.name, "group": pwd.getpwnam(self.name).pw_gid, "extra_groups": []}

    @property
    def environment(self) -> dict[str, str]:
        """What a process of its own should know."""
        return {"USER": self.name, "HOME": str(self.home), "XDG_CACHE_HOME": str(self.home)}


def made() -> str:
    """The name of that user, which is made if there is none; empty for whoever is not root. EAGER_USER names another.
    Raises Trouble."""
    if os.geteuid() != 0:
        return ""
    name = os.environ.get("EAGER_USER", NAME)
    try:
        pwd.getpwnam(name)
    except KeyError:
        _make(name)
    return name


def _make(name: str) -> None:
    step(f"Making the user {name}, for what needs no rights")
    command = ["useradd", "--system", "--no-create-home", "--home-dir", "/nonexistent", "--shell", "/usr/sbin/nologin"]
    try:
        done = subprocess.run([*command, name], capture_output=True, text=True)
        said = (done.stderr.strip() or f"code {done.returncode}") if done.returncode else ""
    except OSError as error:
        said = str(error)
    if said:
        raise Trouble(f"The user {name} could not be made: {said}. Make it, or name another one by EAGER_USER.")


def serving(var: Path, name: str, environment: Mapping[str, str]) -> User | None:
    """Whom the web server and the worker run as; None for whoever starts them. The folders of the application become
    that user's. name: as of `made`. environment: of the application."""
    if not name:
        return None
    user = User(name, var / "cache")
    for folder in OWN:
        (var / folder).chmod(0o700)
    var.chmod(0o711)  # passed through, not listed: the program's packages lie in it
    roots = map(Path, environment.get("EAGER_ROOTS", str(var / "storage")).split(os.pathsep))
    if not _can_serve(user, environment, [root for root in roots if not root.is_relative_to(var)]):
        var.chmod(0o700)
        step(
            f"The web server and the worker stay root: {name} cannot read the program or write in the storage. "
            "Give it the right to, and start again."
        )
        return None
    for folder in OWN:
        _hand_over(var / folder, pwd.getpwnam(name))
    return user


def _can_serve(user: User, environment: Mapping[str, str], roots: Sequence[Path]) -> bool:
    command = [str(PYTHON), "-c", _TRIES, *map(str, roots)]
    try:
        done = subprocess.run(
            command, cwd=ROOT, env={**environment, **user.environment}, capture_output=True, **user.process
        )
    except PermissionError:
        return False
    return done.returncode == 0


def _hand_over(folder: Path, owner: pwd.struct_passwd) -> None:
    """With all that is in it, if it is not that owner's already."""
    if folder.stat().st_uid == owner.pw_uid:
        return
    for place, _, files in os.walk(folder, topdown=False):  # the folder itself last: it says that all was done
        for path in (*(os.path.join(place, name) for name in files), place):
            os.chown(path, owner.pw_uid, owner.pw_gid, follow_symlinks=False)
