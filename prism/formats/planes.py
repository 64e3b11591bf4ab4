"""Decoded planes as files in one folder, mapped by all processes that show them, and bounded in bytes."""

from __future__ import annotations

import json
import mmap
import os
import struct
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from tempfile import mkstemp
from typing import Any

import numpy as np
from numpy.typing import NDArray

Found = tuple[mmap.mmap, dict[str, Any]]  # memory, and how the planes lie in it
_SUFFIX = ".planes"
_ABANDONED = 3600  # seconds after which a file that is still being written has lost its writer


@dataclass(frozen=True, slots=True)
class NewPlanes:
    """A file being filled. It becomes findable by `keep`, and vanishes without it."""

    descriptor: int
    _path: Path
    _folder: PlaneFolder

    def keep(self, key: str, answer: Mapping[str, Any]) -> Found:
        """Put the layout behind the planes, give the file its name, and make room for it."""
        layout = json.dumps({"planes": answer["planes"], "facts": answer["facts"]}).encode()
        os.lseek(self.descriptor, 0, os.SEEK_END)
        os.write(self.descriptor, layout + struct.pack("<Q", len(layout)))
        os.replace(self._path, self._folder.path / f"{key}{_SUFFIX}")
        found = _mapped(self.descriptor)
        self._folder.trim()
        return found


class PlaneFolder:
    """Planes under keys. What was used last stays; the longest unused go when all take more than byte_limit."""

    def __init__(self, path: Path, byte_limit: int) -> None:
        self.path = Path(path)
        self.byte_limit = byte_limit

    def find(self, key: str) -> Found | None:
        """The planes kept under a key; None if there are none, or no whole ones."""
        path = self.path / f"{key}{_SUFFIX}"
        try:
            descriptor = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
        except OSError:
            return None
        try:
            os.utime(descriptor)
            return _mapped(descriptor)
        except (OSError, ValueError, struct.error):  # cut short by a failing disk
            path.unlink(missing_ok=True)
            return None
        finally:
            os.close(descriptor)

    @contextmanager
    def new(self) -> Iterator[NewPlanes]:
        """A file to be filled."""
        self.path.mkdir(parents=True, exist_ok=True, mode=0o700)
        descriptor, path = mkstemp(suffix=".new", dir=self.path)
        try:
            yield NewPlanes(descriptor, Path(path), self)
        finally:
            os.close(descriptor)
            Path(path).unlink(missing_ok=True)

    def trim(self) -> None:
        """Delete the longest unused until the rest fits. Readers that have a file mapped keep what they see."""
        found = []
        with os.scandir(self.path) as entries:
            for entry in entries:
                with suppress(OSError):  # another process was faster
                    status = entry.stat()
                    abandoned = entry.name.endswith(".new") and time.time() - status.st_mtime > _ABANDONED
                    found.append((0 if abandoned else status.st_mtime, status.st_blocks * 512, entry))
        size = sum(blocks for _, blocks, _ in found)
        for last_used, blocks, entry in sorted(found, key=lambda item: item[0]):
            if size <= self.byte_limit and last_used:
                return
            if entry.name.endswith(_SUFFIX) or not last_used:
                Path(entry.path).unlink(missing_ok=True)
                size -= blocks


def let_go(plane: NDArray) -> None:
    """Free the memory that reading a mapped plane (H, W) took; its file still has it. Does nothing to a plane that is
    not mapped."""
    memory: object = plane
    while isinstance(memory, np.ndarray):
        memory = memory.base
    if isinstance(memory, mmap.mmap):
        memory.madvise(mmap.MADV_DONTNEED)


def _mapped(descriptor: int) -> Found:
    memory = mmap.mmap(descriptor, 0, access=mmap.ACCESS_COPY)
    length = struct.unpack("<Q", memory[-8:])[0]
    return memory, json.loads(memory[-8 - length : -8])
