"""Text from elsewhere, made fit for pages, databases and terminals."""

from __future__ import annotations

import re
from os import PathLike

# Controls, ends of lines, marks that turn the direction of text or cannot be seen, and halves of characters.
UNFIT = re.compile("[\x00-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff\ud800-\udfff]")


def printable(text: str | PathLike[str]) -> str:
    """The text on one line of UTF-8, with whatever has no place there spelt out: names of files may hold any bytes."""
    return UNFIT.sub(lambda found: found[0].encode("unicode_escape", "surrogatepass").decode(), str(text))


def cell(value: object) -> object:
    """A cell of a table (RFC 4180) that no spreadsheet runs as a formula, and no terminal as a command: with what has
    no place in a line spelt out, and an apostrophe before what would be one. Numbers stay numbers, lines lines."""
    if not isinstance(value, str | PathLike):
        return value
    text = "\n".join(map(printable, str(value).split("\n")))
    return f"'{text}" if text[:1] in _FORMULA and not _NUMBER.fullmatch(text) else text


_FORMULA = frozenset("=+-@|%")
_NUMBER = re.compile(r"[+-]?[0-9.]+(e[+-]?[0-9]+)?")


_ESCAPE = "\u241b"  # a picture of the escape character, which no name has for a reason


def storable(name: str) -> str:
    """A file name as text that any document and database can keep, whatever bytes it has; see `from_storable`."""
    escaped = name.replace(_ESCAPE, f"{_ESCAPE}1b")
    return "".join(f"{_ESCAPE}{ord(c) - 0xDC00:02x}" if "\udc80" <= c <= "\udcff" else c for c in escaped)


def from_storable(text: str) -> str:
    """The file name that `storable` was given."""
    head, *rest = text.split(_ESCAPE)
    return head + "".join(_unescaped(int(piece[:2], 16)) + piece[2:] for piece in rest)


def _unescaped(byte: int) -> str:
    return _ESCAPE if byte == 0x1B else chr(0xDC00 + byte)
