"""JSON from elsewhere: read once, and refused if it is something that no document may hold."""

from __future__ import annotations

import json
import math
import re
from pathlib import Path
from typing import Any

from prism.errors import BadDocument, UnreadableFile

MOST_NESTED = 60  # lists and objects within one another
MOST_BYTES = 16 << 20
_NO_CHARACTER = re.compile("[\0\ud800-\udfff]")


def read_json(text: str | bytes, *, where: str = "") -> Any:
    """Parsed JSON: finite numbers, texts that can be stored, not too deep. Raises BadDocument."""
    if len(text) > MOST_BYTES:
        raise BadDocument(f"This is longer than {MOST_BYTES >> 20} MB.", where=where)
    try:
        found = json.loads(text, parse_constant=_refused, parse_float=_finite)
    except RecursionError:
        raise _too_deep(where) from None
    except ValueError as error:  # undecodable bytes are one too
        raise BadDocument(f"This is not JSON: {error}.", where=where) from None
    _require_storable(found, where)
    return found


def load_json(path: Path) -> Any:
    """The same as read_json, from a file. Raises UnreadableFile or BadDocument."""
    try:
        with open(path, "rb") as file:
            text = file.read(MOST_BYTES + 1)
    except OSError as error:
        raise UnreadableFile(error.strerror or str(error), where=str(path)) from error
    return read_json(text, where=str(path))


def _refused(constant: str) -> float:
    raise ValueError(f"{constant} is not a number of JSON")


def _finite(text: str) -> float:
    number = float(text)
    if not math.isfinite(number):
        raise ValueError(f"{text[:20]} is too large a number")
    return number


def _require_storable(found: Any, where: str) -> None:
    waiting = [(found, 0)]
    while waiting:
        value, depth = waiting.pop()
        if depth > MOST_NESTED:
            raise _too_deep(where)
        if isinstance(value, str):
            _require_text(value, where)
        elif isinstance(value, dict):
            for key in value:
                _require_text(key, where)
            waiting += [(inner, depth + 1) for inner in value.values()]
        elif isinstance(value, list):
            waiting += [(inner, depth + 1) for inner in value]


def _require_text(text: str, where: str) -> None:
    """A lone surrogate is half a character, and a zero ends a text in files and file names."""
    if _NO_CHARACTER.search(text):
        raise BadDocument("A text has an invalid character.", where=where, advice="Type it again.")


def _too_deep(where: str) -> BadDocument:
    return BadDocument(f"Lists and objects lie more than {MOST_NESTED} deep in one another.", where=where)
