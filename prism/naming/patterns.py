"""File name patterns: fields in Python's format syntax, expanded into paths and parsed back.

    {shot}/{pass}/{shot}_{pass}.{frame:04}.{suffix}

Only the fields in FIELDS are known; numbers may carry a width (`:04` or `:04d`), words nothing. A pattern is a path
below some folder with `/` between its parts; it cannot climb out of it.
"""

from __future__ import annotations

import re
import string
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from types import MappingProxyType

from prism.errors import BadArgument
from prism.naming.safety import name_faults, word_fault
from prism.text import printable

WORD, NUMBER = "word", "number"
FIELDS: Mapping[str, str] = MappingProxyType(
    {
        "production": WORD,
        "shot": WORD,
        "layer": WORD,
        "camera": WORD,
        "pass": WORD,
        "version": NUMBER,
        "frame": NUMBER,
        "suffix": WORD,
    }
)
_WIDTH = re.compile(r"(?:0(\d{1,2}))?d?")
_NUMBER = re.compile(r"-?\d{1,18}")
LONGEST_NAME = 255  # of one part; longer ones exist on no system
MOST_STEPS = 50_000  # tried in reading one name: a tenth of a second
WIDEST_NUMBER = 18  # digits a number may be padded to
Value = str | int


@dataclass(frozen=True, slots=True)
class Piece:
    """Text that stands as it is, followed by a field; field None ends the pattern."""

    text: str
    field: str | None
    width: int  # least digits of a number, the minus sign included; 0 for words


@dataclass(frozen=True)
class Pattern:
    """A checked pattern. Build it with `parse_pattern`."""

    text: str
    pieces: tuple[Piece, ...]

    @cached_property
    def fields(self) -> tuple[str, ...]:
        """Each field once, in order of first use."""
        return tuple(dict.fromkeys(piece.field for piece in self.pieces if piece.field))

    @property
    def frame_width(self) -> int:
        """Digits the frame number is padded to; 0 if the pattern has none."""
        return max((piece.width for piece in self.pieces if piece.field == "frame"), default=0)

    def expand(self, values: Mapping[str, Value]) -> str:
        """The path for these values, below the folder of the pattern. Raises BadArgument if a field of the pattern has
        no value, or one that leads elsewhere.

        Padding counts the minus sign, as Python and file sequences have it: -7 at width 4 is -007.
        """
        for field in self.fields:
            fault = word_fault(word) if isinstance(word := values.get(field), str) else ""
            if fault:
                raise BadArgument(
                    f"The value of {{{field}}} is no name: {fault}.", where=printable(str(word))[:100],
                    advice="Give it a name without /, or leave the field out of the pattern.",
                )  # fmt: skip
        try:
            return self.text.format_map(values)
        except KeyError:
            missing = [field for field in self.fields if field not in values]
            raise BadArgument(f"No value for {', '.join(missing)}.", where=self.text) from None

    def parse(self, path: str, known: Mapping[str, Collection[str]] = MappingProxyType({})) -> dict[str, Value] | None:
        """The values a path was expanded from, or None if it does not follow the pattern.

        known: the words a field may stand for. Words may hold `_` and so be cut in several ways; those that are known
        decide it. A number must be padded just as the pattern pads it. Raises BadArgument for a pattern by which the
        path could be cut in so many ways that nobody can tell which is meant.
        """
        parts, names = self._by_parts, path.split("/")
        if len(parts) != len(names) or any(len(name) > LONGEST_NAME for name in names):
            return None
        words: dict[str, str] = {}
        for pieces, name in zip(parts, names, strict=True):
            found = _Reading(self.text, pieces, name, known).read(words)
            if found is None:
                return None
            words = found
        values = {field: int(word) if FIELDS[field] == NUMBER else word for field, word in words.items()}
        return values if self.expand(values) == path else None

    @cached_property
    def _by_parts(self) -> tuple[tuple[Piece, ...], ...]:
        """The pieces of every part between slashes; a field holds no slash."""
        parts: list[list[Piece]] = [[]]
        for piece in self.pieces:
            *before, last = piece.text.split("/")
            for text in before:
                parts[-1].append(Piece(text, None, 0))
                parts.append([])
            parts[-1].append(Piece(last, piece.field, piece.width))
        return tuple(map(tuple, parts))


class _Reading:
    """One part of a path read by its pieces: the shortest word for each field, where the rest can follow.

    What cannot follow from a place is remembered, so no place is tried twice.
    """

    def __init__(
        self, pattern: str, pieces: tuple[Piece, ...], name: str, known: Mapping[str, Collection[str]]
    ) -> None:
        self._pattern, self._pieces, self._name, self._known = pattern, pieces, name, known
        self._steps = 0
        fields = [piece.field for piece in pieces]
        self._again = {field for field in fields if field and fields.count(field) > 1}
        self._dead: set[tuple[int, int, tuple[str, ...]]] = set()

    def read(self, words: dict[str, str]) -> dict[str, str] | None:
        return self._follow(0, 0, words)

    def _follow(self, place: int, at: int, words: dict[str, str]) -> dict[str, str] | None:
        if place == len(self._pieces):
            return words if at == len(self._name) else None
        self._steps += 1
        if self._steps > MOST_STEPS:
            raise BadArgument(
                "This name can be cut into fields in too many ways.",
                where=self._pattern,
                advice="Put a mark such as _ between the fields, and use each once.",
            )
        state = (place, at, tuple(words[field] for field in sorted(self._again) if field in words))
        piece = self._pieces[place]
        if state in self._dead or not self._name.startswith(piece.text, at):
            return None
        at += len(piece.text)
        if piece.field is None:
            found = self._follow(place + 1, at, words)
        else:
            tries = (
                self._follow(place + 1, at + len(word), words | {piece.field: word})
                for word in self._words(piece.field, at, words)
            )
            found = next((attempt for attempt in tries if attempt is not None), None)
        if found is None:
            self._dead.add(state)
        return found

    def _words(self, field: str, at: int, words: dict[str, str]) -> Iterator[str]:
        """What the field may stand for at a place of the name, the likeliest first."""
        rest = self._name[at:]
        if field in words:
            yield from (word for word in (words[field],) if rest.startswith(word))
        elif FIELDS[field] == NUMBER:
            number = _NUMBER.match(rest)
            yield from (
                (number[0][:end] for end in range(len(number[0]), 0, -1) if number[0][:end] != "-") if number else ()
            )
        elif self._known.get(field):
            fitting = (word for word in self._known[field] if word and rest.startswith(word))
            yield from sorted(fitting, key=len, reverse=True)
        else:
            yield from (rest[:end] for end in range(1, len(rest) + 1))


def parse_pattern(text: str, *, more: Collection[str] = ()) -> Pattern:
    """Check a pattern. more: fields for words besides FIELDS, in names that are only made, never read. Raises
    BadArgument that names the bad field, width or place."""
    try:
        parsed = list(string.Formatter().parse(text))
    except ValueError as error:
        raise BadArgument(f"The braces do not match: {error}.", where=text, advice="Write a field as {shot}.") from None
    fields = {**FIELDS, **dict.fromkeys(more, WORD)}
    pieces = [_piece(fields, text, *part) for part in parsed]
    if (pieces and pieces[-1].field is not None) or not pieces:
        pieces.append(Piece("", None, 0))
    steps = text.split("/")
    if text.startswith("/") or ".." in steps or "" in steps or "." in steps:
        raise BadArgument(
            "The pattern is not a plain path below its folder.", where=text, advice="Leave out /, .. and empty parts."
        )
    return Pattern(text, tuple(pieces))


def require_frame_number(pattern: Pattern, last: int) -> None:
    """Before anything is rendered: refuse a pattern that would lose frames. last: the frame number of most digits.

    A single still is named like a sequence of one frame. Raises BadArgument that says what to write.
    """
    if "frame" not in pattern.fields:
        stem, dot, suffix = pattern.text.rpartition(".")
        if not dot:
            stem, dot, suffix = pattern.text, ".", "{suffix}"
        raise BadArgument(
            "Without a frame number every frame would overwrite the one before.",
            where=pattern.text,
            advice=f"Write {stem}.{{frame:04}}{dot}{suffix}.",
        )
    if pattern.frame_width < len(str(last)):
        raise BadArgument(
            f"Frame {last} has more digits than the padding of {pattern.frame_width}, and would sort wrongly.",
            where=pattern.text,
            advice=f"Write {{frame:0{len(str(last))}}}.",
        )


def require_portable(path: str, where: str) -> None:
    """Raises BadArgument for a path that Linux, macOS or Windows cannot hold."""
    fault = next(name_faults(path), None)
    if fault:
        raise BadArgument(f"Not every system can store this name: {fault}.", where=where)


def _piece(
    fields: Mapping[str, str], pattern: str, text: str, field: str | None, spec: str | None, conversion: str | None
) -> Piece:
    if field is None:
        return Piece(text, None, 0)
    if field not in fields:
        known = ", ".join(f"{{{name}}}" for name in fields)
        raise BadArgument(f"Unknown field {{{field}}}.", where=pattern, advice=f"Use {known}.")
    if conversion:
        raise BadArgument(f"{{{field}!{conversion}}} has a conversion.", where=pattern, advice=f"Write {{{field}}}.")
    match = _WIDTH.fullmatch(spec or "")
    if match is None or (fields[field] == WORD and spec):
        what = "a width such as :04" if fields[field] == NUMBER else "no format"
        raise BadArgument(f"{{{field}:{spec}}} cannot be used.", where=pattern, advice=f"{{{field}}} takes {what}.")
    width = int(match[1] or 1)
    if width > WIDEST_NUMBER:
        raise BadArgument(
            f"{{{field}:{spec}}} pads to {width} digits.", where=pattern, advice=f"Use {WIDEST_NUMBER} at most."
        )
    return Piece(text, field, width if fields[field] == NUMBER else 0)
