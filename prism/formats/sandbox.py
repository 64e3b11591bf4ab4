"""What a process can still do once it shuts itself in: read, but not what is hidden from it; write nowhere; reach no
network; and be nobody of importance.

By Landlock, which Linux has for any user since 5.13; without it, nothing is changed. Files that are open already stay
so. Source: the kernel's documentation, "Landlock: unprivileged access control", and its header linux/landlock.h.
"""

from __future__ import annotations

import ctypes
import os
import pwd
import struct
from collections.abc import Iterable, Iterator
from pathlib import Path

_CREATE, _ADD, _RESTRICT = 444, 445, 446  # system calls, the same on all machines
_VERSION, _BENEATH, _NO_NEW_PRIVILEGES, _DUMPABLE = 1, 1, 38, 4
_EXECUTE, _READ_FILE, _READ_FOLDER = 1 << 0, 1 << 2, 1 << 3
_FILE_RIGHTS = {1: 13, 2: 14, 3: 15, 4: 15}  # how many there are, by version; 16 from the fifth on
_OWN = (
    Path("/proc/self"),
    Path("/proc/cpuinfo"),
    Path("/proc/meminfo"),
)  # all others' memory and environment lie beside it
_TCP = 0b11  # to listen and to connect
_SCOPES = 0b11  # abstract sockets and signals of processes outside
_libc = ctypes.CDLL(None, use_errno=True)


def shut_in_version() -> int:
    """What of this the kernel knows, from 1; below if nothing."""
    return _libc.syscall(_CREATE, None, 0, _VERSION)


def shut_in(hidden: Iterable[Path]) -> bool:
    """From now on, and for all children: no writing, no TCP, and no reading of these files and folders or in the memory
    of other processes. Whether this system can do that."""
    version = shut_in_version()
    if version < 1:
        return False
    rights = (1 << _FILE_RIGHTS.get(version, 16)) - 1
    wanted = struct.pack("<3Q", rights, _TCP if version >= 4 else 0, _SCOPES if version >= 6 else 0)
    size = 24 if version >= 6 else 16 if version >= 4 else 8
    ruleset = _libc.syscall(_CREATE, wanted, size, 0)
    if ruleset < 0:
        return False
    try:
        for path in (*_all_but({Path("/proc"), *(Path(os.path.realpath(path)) for path in hidden)}), *_OWN):
            _allow_reading(ruleset, path)
        return not _libc.prctl(_NO_NEW_PRIVILEGES, 1, 0, 0, 0) and not _libc.syscall(_RESTRICT, ruleset, 0)
    finally:
        os.close(ruleset)


def become(user: str) -> None:
    """From now on a user without rights instead of root; nothing for any other user. What was imported stays, and of
    its own descriptors it may still open those files that all may read. Raises KeyError for a user there is not,
    OSError."""
    if not user or os.geteuid() != 0:
        return
    entry = pwd.getpwnam(user)
    os.setgroups([])
    os.setresgid(entry.pw_gid, entry.pw_gid, entry.pw_gid)
    os.setresuid(entry.pw_uid, entry.pw_uid, entry.pw_uid)
    _libc.prctl(_DUMPABLE, 1, 0, 0, 0)  # else /proc/self would be root's, and with it the files that are open


def _all_but(hidden: set[Path], folder: Path = Path("/")) -> Iterator[Path]:
    """The largest files and folders that hold none of what is hidden."""
    above = {parent for path in hidden for parent in path.parents}
    if folder not in above:
        yield folder
        return
    for name in os.listdir(folder):
        inner = folder / name
        if inner in hidden:
            continue
        if inner in above:
            yield from _all_but(hidden, inner)
        else:
            yield inner


def _allow_reading(ruleset: int, path: Path) -> None:
    try:
        place = os.open(path, os.O_PATH | os.O_CLOEXEC)
    except OSError:  # went away, or may not be read anyway
        return
    try:
        access = _READ_FILE | _EXECUTE | (_READ_FOLDER if os.path.isdir(f"/proc/self/fd/{place}") else 0)
        _libc.syscall(_ADD, ruleset, _BENEATH, struct.pack("<Qi", access, place), 0)
    finally:
        os.close(place)
