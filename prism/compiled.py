"""How compiled loops are made, and where their machine code is cached.

The compiler itself notices when the file of a function changes, but not when a function it calls, or a constant it
uses, changes in another. So the code of a file is cached under a digest of its text and of the texts it takes loops and
constants from: an edit recompiles what depends on it and nothing else, and all copies of the application that a user
has share what is the same in them.
"""

from __future__ import annotations

import fcntl
import hashlib
import os
import re
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import cache
from pathlib import Path
from typing import Any

import numba
from numba.core.caching import _CacheLocator
from numpy.typing import NDArray

HOUSE = Path(__file__).parents[1]  # where the packages lie whose loops are compiled
PACKAGES = ("prism", "standin")
UNUSED = 60 * 24 * 3600  # seconds after which code that nobody loaded is deleted
_IMPORT = re.compile(rf"^from ((?:{'|'.join(PACKAGES)})[\w.]*) import (\([^)]*\)|.*)$", re.M)


def cache_folder() -> Path:
    """PRISM_CODE_CACHE, or a folder of the user's that all copies share."""
    given = os.environ.get("PRISM_CODE_CACHE")
    if given:
        return Path(given)
    shared = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "eager-prism" / "compiled"
    with suppress(OSError):
        shared.mkdir(mode=0o700, parents=True, exist_ok=True)
        if os.access(shared, os.W_OK):
            return shared
    return HOUSE / "var" / "compiled"


@contextmanager
def one_at_a_time(loops: str) -> Iterator[None]:
    """While inside, no other process of this copy does the same: it waits, and then reads what was compiled here.

    loops: the file of a module that they are in, which is locked for it.
    """
    with open(loops, "rb") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        yield


def delete_unused() -> None:
    """Code that was not loaded for long: of files that have changed since."""
    for folder in cache_folder().glob("*-*"):
        if time.time() - folder.stat().st_mtime > UNUSED:
            shutil.rmtree(folder, ignore_errors=True)


@cache
def digest_of(path: Path) -> str:
    """The digest of a file's text and of all it takes loops and constants from, directly or not."""
    text = path.read_text()
    digest = hashlib.sha256(f"{numba.__version__}{text}".encode())
    for needed in sorted(set(_needed(text))):
        digest.update(digest_of(needed).encode())
    return digest.hexdigest()


def _needed(text: str) -> Iterator[Path]:
    for module, names in _IMPORT.findall(text):
        path = _file_of(module)
        if path.exists():
            if re.search(r"\b[A-Z][A-Z_0-9]+\b", names) or "prism.compiled" in path.read_text():
                yield path
        else:  # modules of a package
            inside = (_file_of(f"{module}.{name}") for name in re.findall(r"\w+", names))
            yield from (path for path in inside if path.exists() and "prism.compiled" in path.read_text())


def _file_of(module: str) -> Path:
    return HOUSE.joinpath(*module.split(".")).with_suffix(".py")


class Locator(_CacheLocator):
    """Tells the compiler where the code of a function is cached, and whether that is still its code."""

    def __init__(self, function: Callable, path: Path) -> None:
        self._py_file = str(path)
        self._line = function.__code__.co_firstlineno
        self._digest = digest_of(path)
        name = ".".join(path.relative_to(HOUSE).with_suffix("").parts)
        self._folder = cache_folder() / f"{name}-{self._digest[:16]}"

    @classmethod
    def from_function(cls, py_func: Callable, py_file: str) -> Locator | None:
        path = Path(py_file)
        if not any(path.is_relative_to(HOUSE / package) for package in PACKAGES):
            return None
        found = cls(py_func, path)
        with suppress(OSError):
            found.ensure_cache_path()
            os.utime(found._folder)
        return found

    def get_cache_path(self) -> str:
        return str(self._folder)

    def get_source_stamp(self) -> str:
        return self._digest

    def get_disambiguator(self) -> str:
        return str(self._line)


_config: Any = numba.config  # whose entries no type names
_config.CACHE_LOCATOR_CLASSES = f"{__name__}.{Locator.__name__},InTreeCacheLocator"

# The lock is released, so threads may run these side by side. None of them allocates, so reference counting is off:
# with arrays handed from function to function, counting references across threads cost more than the work itself.
# Numbers divide as IEEE 754 has it, without an exception that no loop could raise from a thread.
# Nobody calls them from C, and a wrapper for that costs a tenth of the compiling.
_OPTIONS: dict[str, Any] = {"cache": True, "error_model": "numpy", "_nrt": False, "no_cfunc_wrapper": True}
compiled = numba.njit(nogil=True, **_OPTIONS)
inlined = numba.njit(inline="always", **_OPTIONS)


def read_only(array: NDArray[Any]) -> NDArray[Any]:
    """A view of any shape that cannot be written to. A loop is compiled once for arrays that can be written to and once
    for others; with its inputs always like this it is compiled once."""
    sealed = array.view()
    sealed.flags.writeable = False
    return sealed
