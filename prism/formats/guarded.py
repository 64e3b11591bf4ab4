"""The one door for pixels of foreign files: decoded in child processes that have limits and can be killed and replaced.

A child gets the file and a place for the planes as open descriptors, and hands the planes back through shared memory.
What breaks, hangs or devours a child is one sentence to the caller. Headers need no child: `prism.formats.headers`
bounds them.
"""

from __future__ import annotations

import hashlib
import json
import mmap
import os
import shutil
import signal
import socket
import stat
import struct
import subprocess
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from threading import BoundedSemaphore, Lock
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from prism.errors import TooLarge, UnreadableFile
from prism.formats.budget import share
from prism.formats.headers import Part, open_regular
from prism.formats.planes import PlaneFolder
from prism.limits import current

MEMORY = 1 << 30  # bytes a child may take beside what the declared size explains
MOST_MEMORY = 6 << 30
SECONDS = 30  # for a small file; more by declared size
VALUES_A_SECOND = 2_000_000  # of the slowest file that is still waited for
MOST_OF = 0.6  # of the channels of a file: from there on decoding all of them is quicker
CHUNK_ROWS = 256  # of the tallest compressed block
CHILDREN = min(os.cpu_count() or 1, 4)  # at once, for each process that reads
_PACKAGES = str(Path(__file__).resolve().parents[2])


@dataclass(frozen=True, slots=True, eq=False)
class Decoded:
    """Planes by name, in private memory mapped from what the child wrote; facts: what else the decoder says."""

    planes: Mapping[str, NDArray]
    facts: Mapping[str, Any]


def decode_flat(path: Path, part: Part, names: list[str], *, cache: PlaneFolder | None = None) -> Decoded:
    """Channels of a flat part of an OpenEXR file, each (H, W) in its stored type. cache: where planes stay for other
    readers.

    Raises UnreadableFile or TooLarge.
    """
    window = part.data_window
    planes = window.width * window.height * 4 * len(names)
    rows = window.height if part.tiled else min(window.height, CHUNK_ROWS)
    whole = _is_read_whole(part, names)
    band = (window.height if whole else rows) * window.width * 4 * len(part.channels)
    request = {
        "kind": "flat",
        "part": part.index,
        "top": window.y0,
        "shape": window.shape,
        "tiled": part.tiled,
        "subsampled": bool(part.subsampled),
        "whole": whole,
        "channels": {name: part.channels[name] for name in names},
        "memory": min(MEMORY + planes + 3 * band, MOST_MEMORY),
        "seconds": SECONDS + window.width * window.height * len(part.channels) // VALUES_A_SECOND,
    }
    return _decode(path, request, cache)


def _is_read_whole(part: Part, names: list[str]) -> bool:
    """Whether all channels are decoded, as that is quicker than to leave some out, and memory has room for them."""
    window = part.data_window
    size = window.width * window.height * 4 * len(part.channels)
    return not part.in_parts and len(names) >= MOST_OF * len(part.channels) and 4 * size < MOST_MEMORY


def decode_deep(path: Path, part: Part, *, cache: PlaneFolder | None = None) -> Decoded:
    """All samples of a deep part, (N,) for each channel, and under SAMPLES (H, W) how many each pixel has. cache: as of
    `decode_flat`. Raises UnreadableFile or TooLarge."""
    request = {
        "kind": "deep",
        "part": part.index,
        "top": part.data_window.y0,
        "shape": part.data_window.shape,
        "table": part.table,
        "chunks": part.chunks,
        "in_parts": part.in_parts,
        "tile": part.tile,
        "compression": part.compression,
        "channels": dict(part.channels),
        "memory": MOST_MEMORY,
        "seconds": 10 * SECONDS,
    }
    return _decode(path, request, cache)


def decode_still(path: Path, values: int, *, cache: PlaneFolder | None = None) -> Decoded:
    """All channels of a picture that is no OpenEXR file, each (H, W) as it is stored; `prism.formats.reading.as_float`
    makes values of them. values: pixels times channels, as its header was read. facts: type and aspect.

    Raises UnreadableFile or TooLarge.
    """
    memory = min(
        MEMORY + 12 * values, MOST_MEMORY
    )  # the planes, and twice as much for formats that are read as a whole
    return _decode(path, {"kind": "still", "memory": memory, "seconds": 4 * SECONDS}, cache)


def describe_still(path: Path) -> Mapping[str, Any]:
    """What the header of such a picture says: see `prism.formats.decoding.describe_still`. Raises UnreadableFile or
    TooLarge."""
    return _decode(path, {"kind": "describe", "memory": MOST_MEMORY, "seconds": SECONDS}, None).facts


def _decode(path: Path, request: dict[str, Any], cache: PlaneFolder | None) -> Decoded:
    with open_regular(path) as source:
        if cache is None:
            return _in_memory(path, source, request)
        key = _key(path, source, request)
        found = cache.find(key)
        if found is None:
            with cache.new() as target:
                answer = _ask(path, request, source, target.descriptor)
                if "full" in answer:
                    return _in_memory(path, source, request)
                found = target.keep(key, answer)
        return _mapped(*found)


@contextmanager
def _for_others(source: BinaryIO) -> Iterator[BinaryIO]:
    """A file as the user that decodes can open it: one that only we may read, in memory."""
    if not os.environ.get("PRISM_DECODER") or os.geteuid() != 0 or os.fstat(source.fileno()).st_mode & stat.S_IROTH:
        yield source
        return
    with open(os.memfd_create("private"), "w+b") as copy:
        shutil.copyfileobj(source, copy, 1 << 20)
        copy.flush()
        yield copy


def _ask(path: Path, request: dict[str, Any], source: BinaryIO, target: int) -> dict[str, Any]:
    with _for_others(source) as readable:
        return _door.ask(path, request, readable.fileno(), target)


def _in_memory(path: Path, source: BinaryIO, request: dict[str, Any]) -> Decoded:
    target = os.memfd_create("planes")
    try:
        answer = _ask(path, request, source, target)
        if "full" in answer:
            raise TooLarge("There is no memory left for its pixels.", where=str(path), advice="Try again later.")
        return _mapped(mmap.mmap(target, 0, access=mmap.ACCESS_COPY), answer)
    finally:
        os.close(target)


def _mapped(memory: mmap.mmap, answer: Mapping[str, Any]) -> Decoded:
    planes = {
        name: np.ndarray(shape, dtype, buffer=memory, offset=offset) for name, dtype, shape, offset in answer["planes"]
    }
    return Decoded(planes, answer["facts"])


def _key(path: Path, source: BinaryIO, request: Mapping[str, Any]) -> str:
    """Another one for other pixels: by the file as it is now, and by what is asked of it."""
    status = os.fstat(source.fileno())
    identity = os.fsencode(path).hex(), status.st_mtime_ns, status.st_size, status.st_ino, request
    return hashlib.sha256(json.dumps(identity).encode()).hexdigest()


class _Gone(Exception):
    """The child ended before it took the request: it had been idle for long."""


class _Child:
    """A process that decodes one file at a time."""

    def __init__(self) -> None:
        ours, theirs = socket.socketpair()
        with theirs:
            # An environment of its own: secrets of the application are not for what reads foreign files.
            self._process = subprocess.Popen(
                [
                    sys.executable, "-m", "prism.formats.child", str(theirs.fileno()),
                    os.environ.get("PRISM_HIDDEN", ""), os.environ.get("PRISM_DECODER", ""),
                ],
                env={"PATH": os.defpath, "PYTHONPATH": _PACKAGES},
                pass_fds=[theirs.fileno()],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )  # fmt: skip
        self._line = ours
        self.requests = 0

    @property
    def is_alive(self) -> bool:
        return self._process.poll() is None

    def ask(self, path: Path, request: Mapping[str, Any], descriptors: list[int]) -> dict[str, Any]:
        """Raises UnreadableFile if the child breaks or takes too long, TooCostly if the limit ends before, or _Gone."""
        self.requests += 1
        said = json.dumps(request).encode()
        limit = current()
        self._line.settimeout(min(request["seconds"], limit.left or request["seconds"]))
        try:
            socket.send_fds(self._line, [struct.pack("<I", len(said))], descriptors)
            self._line.sendall(said)
            return json.loads(self._take(struct.unpack("<I", self._take(4))[0]))
        except TimeoutError:
            limit.require()
            raise UnreadableFile(
                f"Decoding took more than {request['seconds']} s and was ended.",
                where=str(path),
                advice="Render or copy this file again.",
            ) from None
        except (OSError, EOFError) as error:
            raise self._broken(path) from error

    def end(self) -> None:
        """Kill it, and let go of what it had."""
        self._line.close()
        self._process.kill()
        self._process.wait()

    def _take(self, count: int) -> bytes:
        taken = bytearray()
        while len(taken) < count:
            more = self._line.recv(count - len(taken))
            if not more:
                raise EOFError
            taken += more
        return bytes(taken)

    def _broken(self, path: Path) -> Exception:
        with suppress(subprocess.TimeoutExpired):
            self._process.wait(5)
        code = self._process.poll()
        if code == 0:
            return _Gone()
        how = f" ({signal.Signals(-code).name})" if code and code < 0 else ""
        return UnreadableFile(
            f"The library that decodes it broke on this file{how}.",
            where=str(path),
            advice="Render or copy this file again.",
        )


class _Door:
    """The children of this process. They begin when first needed, wait for more work, and end when there is none."""

    def __init__(self, most: int) -> None:
        self._most = most
        self.forget()
        os.register_at_fork(after_in_child=self.forget)  # children belong to the process that began them

    def forget(self) -> None:
        self._idle: list[_Child] = []
        self._lock = Lock()
        self._places = BoundedSemaphore(self._most)

    def ask(self, path: Path, request: Mapping[str, Any], source: int, target: int) -> dict[str, Any]:
        """What the decoder answers, its faults raised with the path."""
        limit = current()
        if not self._places.acquire(timeout=limit.left):
            limit.require()
        try:
            with share(request["memory"]):
                answer = self._asked(path, request, [source, target])
        finally:
            self._places.release()
        if "fault" in answer:
            kind = TooLarge if answer["fault"] == TooLarge.code else UnreadableFile
            raise kind(answer["what"], where=str(path), advice="Render or copy this file again.")
        return answer

    def _asked(self, path: Path, request: Mapping[str, Any], descriptors: list[int]) -> dict[str, Any]:
        while True:
            child = self._taken()
            try:
                answer = child.ask(path, request, descriptors)
            except _Gone:
                child.end()
                continue
            except BaseException:
                child.end()
                raise
            if answer.get("hidden"):
                child.end()
                if child.requests > 1:  # a new one sees the folders that there are now
                    continue
                raise UnreadableFile(
                    "Nothing is decoded in this folder.", where=str(path), advice="Move the file elsewhere."
                )
            if answer.get("fault") == TooLarge.code:  # its memory is in pieces now
                child.end()
            else:
                with self._lock:
                    self._idle.append(child)
            return answer

    def _taken(self) -> _Child:
        with self._lock:
            while self._idle:
                child = self._idle.pop()
                if child.is_alive:
                    return child
                child.end()
        return _Child()


_door = _Door(CHILDREN)
