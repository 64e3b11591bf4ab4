"""The record beside a delivery: what each frame was made from and came to, readable by programs and people."""

from __future__ import annotations

import json
import platform
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict
from datetime import UTC, datetime
from functools import cache
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any

from prism import __version__
from prism.colour.view import CONFIG
from prism.delivery.document import Delivery, Item
from prism.delivery.encodings.base import Destination, Written
from prism.delivery.ledger_frame import LedgerFrame
from prism.documents import fingerprint
from prism.errors import UnwritableFile
from prism.formats.digests import sha256_of
from prism.formats.safe import replacing
from prism.formats.stamps import fingerprint_of_files
from prism.json_text import load_json
from prism.ledger.document import Ledger
from prism.sources.pixels import Frame

FOLDER = "record"
WHOLE = "record.json"
FRAME_FORMAT, WHOLE_FORMAT = "eager-prism.frame-record", "eager-prism.delivery-record"
LIBRARIES = ("numpy", "numba", "OpenEXR", "OpenImageIO", "opencolorio", "Pillow", "av", "reportlab")


def frame_path(root: Path, number: int) -> Path:
    """The path of the record of one frame."""
    return root / FOLDER / f"{number:04}.json"


def begun_path(root: Path, number: int) -> Path:
    """What stands there while a frame is being written: whatever appears meanwhile is of that delivery."""
    return root / FOLDER / f"{number:04}.begun"


def begin(root: Path, number: int, made_from: str) -> None:
    """Say that a frame is being written from what `made_from` tells."""
    save(begun_path(root, number), {"mark": made_from})


def was_begun(root: Path, number: int, made_from: str) -> bool:
    """Whether a frame was begun just so before, and broke off."""
    path = begun_path(root, number)
    return path.is_file() and load_json(path).get("mark") == made_from


def end(root: Path, number: int, record: Mapping[str, Any]) -> None:
    """The record of a frame, now that all of its files are there."""
    save(frame_path(root, number), record)
    begun_path(root, number).unlink(missing_ok=True)


def sources_of(sources: Frame) -> list[Path]:
    """The files of a frame, each once."""
    return [Path(where) for where in dict.fromkeys(source.where for source in sources) if where]


def fingerprint_of(delivery: Delivery, ledger: Ledger, sources: Frame) -> str:
    """Changes whenever a frame would be written otherwise: with another document, another ledger, or other files."""
    items = [item.model_dump(mode="json") for item in delivery.enabled]
    return fingerprint([items, ledger.as_json(), fingerprint_of_files(sources_of(sources))])


def frame_record(
    made: LedgerFrame,
    written: Mapping[str, Sequence[Written]],
    place: Destination,
    *,
    made_from: str,
    findings: Collection[str] = (),
) -> dict[str, Any]:
    """What has to be known of a frame that was delivered. findings: what Intake has against its files."""
    return {
        "format": FRAME_FORMAT,
        "version": 1,
        "frame": made.number,
        "mark": made_from,
        "made": now(),
        "balance": asdict(made.verdict),
        "findings": list(findings),
        "sources": [described(path) for path in sources_of(made.sources)],
        "files": [of_file(item, each, place.root) for item, files in written.items() for each in files],
        "read_back": "every file was opened again by a library that did not write it",
    }


def of_file(item: str, written: Written, root: Path) -> dict[str, Any]:
    """One file that was written."""
    return {"item": item, **described(written.path, root), "remarks": list(written.remarks)}


def described(path: Path, root: Path | None = None) -> dict[str, Any]:
    """Name, size and checksum of a file. Raises UnwritableFile if it went away."""
    name = path.relative_to(root).as_posix() if root else str(path)
    try:
        return {"file": name, "bytes": path.stat().st_size, "sha256": sha256_of(path)}
    except OSError as error:
        raise UnwritableFile(f"It went away: {error.strerror}.", where=str(path)) from error


def whole_record(
    delivery: Delivery,
    ledger: Ledger,
    place: Destination,
    *,
    author: str = "",
    plan: Mapping[str, Any] | None = None,
) -> dict[str, Any]:
    """The record of a delivery, from those of its frames in the folder; `files` is for what is written at the end."""
    return {
        "format": WHOLE_FORMAT,
        "version": 1,
        "made": now(),
        "author": author,
        "delivery": delivery.as_json(),
        "ledger": ledger.as_json(),
        "finish": ledger.finishing.as_json(),
        "plan": plan,
        "fields": dict(place.fields),
        "rate": delivery.rate,
        "colour": {"space": ledger.space, "configuration": CONFIG, "display": "sRGB (IEC 61966-2-1)"},
        "software": software(),
        "frames": frames_in(place.root),
        "files": [],
    }


def frames_in(root: Path) -> list[dict[str, Any]]:
    """The records of frames that are there, in their order."""
    return sorted((load_json(path) for path in (root / FOLDER).glob("*.json")), key=lambda record: record["frame"])


def closing_path(root: Path, item: Item) -> Path:
    """The path of what is known of an item that is made of all frames."""
    return root / FOLDER / f"{item.id}.closing"


def closing_fingerprint(item: Item, rate: float, frames: Sequence[Mapping[str, Any]]) -> str:
    """Changes whenever such an item would come out otherwise."""
    return fingerprint([item.model_dump(mode="json"), rate, [(record["frame"], record["mark"]) for record in frames]])


def save_closing(root: Path, item: Item, made_from: str, entries: Sequence[Mapping[str, Any]] | None) -> None:
    """entries: its files; None while they are being written."""
    save(closing_path(root, item), {"mark": made_from, "files": entries})


def closed_before(root: Path, item: Item, made_from: str) -> list[dict[str, Any]] | None:
    """The files of an item that was closed just so, if they are there as they were written."""
    path = closing_path(root, item)
    found = load_json(path) if path.is_file() else {}
    if found.get("mark") != made_from or not found.get("files"):
        return None
    return found["files"] if all(_is_there(root, entry) for entry in found["files"]) else None


def require_unclosed(item: Item, place: Destination, made_from: str) -> None:
    """Nothing is written over: raises UnwritableFile for a file that was made from something else."""
    path = closing_path(place.root, item)
    found = load_json(path) if path.is_file() else {}
    if found.get("mark") == made_from and found.get("files") is None:
        return  # it broke off
    intact = {place.root / entry["file"] for entry in found.get("files") or () if _is_there(place.root, entry)}
    ours = intact if found.get("mark") == made_from else set()
    taken = next(
        (each for each in item.encoding.closing_paths(item, place) if each.exists() and each not in ours), None
    )
    if taken is not None:
        raise UnwritableFile(
            "This file is there already, and was made from something else.", where=str(taken),
            advice="Choose another folder, or another version.",
        )  # fmt: skip


def _is_there(root: Path, entry: Mapping[str, Any]) -> bool:
    path = root / entry["file"]
    return path.is_file() and path.stat().st_size == entry["bytes"]


def already_there(root: Path, number: int, made_from: str) -> dict[str, Any] | None:
    """The record of a frame that was delivered just so, if all of its files are there as they were written."""
    path = frame_path(root, number)
    if not path.is_file():
        return None
    record = load_json(path)
    whole = record.get("mark") == made_from and all(_is_there(root, entry) for entry in record["files"])
    return record if whole else None


def intact_files(root: Path, number: int, made_from: str) -> set[Path]:
    """Files of a frame that was written just so before, which are there as they were."""
    path = frame_path(root, number)
    record = load_json(path) if path.is_file() else {}
    entries = record["files"] if record.get("mark") == made_from else ()
    return {root / entry["file"] for entry in entries if _is_there(root, entry)}


def save(path: Path, record: Mapping[str, Any]) -> None:
    """Write a record, whole or not at all. Raises UnwritableFile."""
    with replacing(path) as temporary:
        temporary.write_text(json.dumps(record, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


def now() -> str:
    """To the second, in UTC."""
    return datetime.now(UTC).isoformat(timespec="seconds")


@cache
def software() -> dict[str, str]:
    """What had a hand in it, with versions."""
    found = {"eager-prism": __version__, "python": platform.python_version()}
    for name in LIBRARIES:
        try:
            found[name] = version(name)
        except PackageNotFoundError:
            continue
    return found
