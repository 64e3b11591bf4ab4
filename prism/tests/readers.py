"""The ways in which a foreign file is read, and how a reading ended."""

from __future__ import annotations

import contextlib
import io
import time
from collections.abc import Callable
from pathlib import Path

from prism.__main__ import main
from prism.delivery.deliver import deliver
from prism.delivery.encodings.exr import Exr
from prism.errors import PrismError, UnreadableFile
from prism.intake.found import found_file
from prism.ledger.document import Ledger
from prism.sources.opening import find_sources

HANG = 20  # seconds


def audit(path: Path) -> None:
    found = found_file(path)
    if found is None or found.fault:
        raise UnreadableFile(found.fault if found else "Not there.")


def rebuild(path: Path) -> None:
    """Its first pass written as a picture; the header goes along."""
    sources = find_sources([path])
    ledger = Ledger(name="x", beauty=next(iter(sources)).key)
    out = path.with_name(f"out.{path.name}.exr")
    try:
        deliver(ledger, sources, out, Exr(pixel="float", compression="none"))
        audit(out)
    finally:
        out.unlink(missing_ok=True)


def command_line(path: Path) -> None:
    said = io.StringIO()
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(said):
        code = main(["inspect", str(path)])
    if code:
        lines = said.getvalue().strip().splitlines()
        assert len(lines) == 1, lines
        raise UnreadableFile(lines[0])


def reduced(path: Path) -> None:
    """Every pass at a third of its size, as pages show it."""
    sources = find_sources([path])
    for source in sources:
        sources.pixels(source.key, step=3)


READERS: dict[str, Callable[[Path], None]] = {
    "audit": audit, "rebuild": rebuild, "command line": command_line, "pages": reduced,
}  # fmt: skip


def outcome(read: Callable[[Path], None], path: Path) -> str:
    """read, refused, hang, or the name of what was thrown."""
    begun = time.monotonic()
    try:
        read(path)
        ended = "read"
    except PrismError as error:
        ended = "refused" if "\n" not in str(error) else "more than one line"
    except Exception as error:
        ended = f"{type(error).__name__}: {str(error)[:80]}"
    return ended if time.monotonic() - begun < HANG else "hang"
