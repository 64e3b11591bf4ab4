"""The child process that decodes foreign files: `python -m prism.formats.child SOCKET HIDDEN USER`, started by
`prism.formats.guarded`.

It reads requests from the socket with the file to read and the file to fill, both open. Before the first it shuts
itself in and, if it was started as root, becomes USER.
"""

from __future__ import annotations

import json
import mmap
import os
import resource
import signal
import socket
import struct
import sys
from contextlib import suppress
from pathlib import Path

import numpy as np
import OpenEXR

from prism.formats.decoding import DECODERS, refusal
from prism.formats.sandbox import become, shut_in

IDLE_SECONDS = 90  # without work, after which the process ends
ALIGNED = 64  # bytes


class DiskFull(Exception):
    """There is no room for the planes."""


class Target:
    """A file that will hold planes, laid out when their shapes are known."""

    def __init__(self, descriptor: int) -> None:
        self._descriptor = descriptor
        self.layout: list[tuple[str, str, tuple[int, ...], int]] = []  # name, dtype, shape, offset

    def allocate(self, wanted):
        """Arrays in the file, under the names wanted. The room is taken at once, so that a full disk is told as an
        error."""
        size = 0
        for name, (dtype, shape) in wanted.items():
            self.layout.append((name, dtype, tuple(shape), size))
            count = int(np.prod(shape, dtype=np.int64)) * np.dtype(dtype).itemsize
            size += -(-count // ALIGNED) * ALIGNED
        try:
            os.posix_fallocate(self._descriptor, 0, max(size, ALIGNED))
        except OSError as error:
            raise DiskFull from error
        memory = mmap.mmap(self._descriptor, max(size, ALIGNED), flags=mmap.MAP_SHARED | mmap.MAP_POPULATE)
        return {
            name: np.ndarray(shape, dtype, buffer=memory, offset=offset) for name, dtype, shape, offset in self.layout
        }


def answer(request: dict, source: int, target: int) -> dict:
    """Do one request. The answer holds the layout of the planes, or a fault; or that the file is hidden from this
    process: it lies in a folder that was made after it shut itself in, or in one that it is not to see."""
    plan = Target(target)
    try:
        os.close(os.open(f"/proc/self/fd/{source}", os.O_RDONLY))
    except PermissionError:
        return {"hidden": True}
    try:
        facts = DECODERS[request["kind"]](f"/proc/self/fd/{source}", request, plan.allocate)
    except DiskFull:
        return {"full": True}
    except Exception as error:
        fault = refusal(error)
        return {"fault": fault.code, "what": fault.what.replace(f"/proc/self/fd/{source}", "the file")}
    return {"planes": plan.layout, "facts": facts}


def limit(request: dict) -> None:
    """Memory from here on, and time: a child that outlives its parent ends by itself."""
    with open("/proc/self/statm") as file:
        now = int(file.read().split()[0]) * mmap.PAGESIZE
    hardest = resource.getrlimit(resource.RLIMIT_AS)[1]
    resource.setrlimit(resource.RLIMIT_AS, (now + request["memory"], hardest))
    signal.alarm(int(request["seconds"]) + 5)


def serve(line: socket.socket) -> None:
    """Answer requests until the other side is gone, or none came for a while."""
    line.settimeout(IDLE_SECONDS)
    while True:
        try:
            head, (source, target), _, _ = socket.recv_fds(line, 4, 2)
        except (TimeoutError, ValueError):  # nobody asks any more
            return
        line.settimeout(None)
        request = json.loads(_exactly(line, struct.unpack("<I", head)[0]))
        limit(request)
        said = json.dumps(answer(request, source, target)).encode()
        signal.alarm(0)
        os.close(source)
        os.close(target)
        line.sendall(struct.pack("<I", len(said)) + said)
        line.settimeout(IDLE_SECONDS)


def _exactly(line: socket.socket, count: int) -> bytes:
    taken = bytearray()
    while len(taken) < count:
        taken += line.recv(count - len(taken)) or sys.exit(0)
    return bytes(taken)


if __name__ == "__main__":
    # The terminal's interrupt is for the parent, which then closes the socket.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    with suppress(OSError), open("/proc/self/oom_score_adj", "w") as file:
        file.write("800")  # if the machine runs out of memory, this process goes first
    shut_in(map(Path, filter(None, sys.argv[2].split(os.pathsep))))
    become(sys.argv[3])
    OpenEXR.set_global_thread_count(os.cpu_count() or 1)
    serve(socket.socket(fileno=int(sys.argv[1])))
