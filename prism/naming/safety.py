"""Names that one system or another cannot hold.

Linux takes anything but / and NUL and 255 bytes; Windows refuses more, and its names and macOS's do not tell case
apart. Sources: POSIX.1-2017 (3.282 Portable Filename Character Set); Microsoft, "Naming Files, Paths, and Namespaces"
(from memory).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache

from prism.text import UNFIT, printable

NAME_BYTES = 255  # of one part on Linux; 255 UTF-16 units elsewhere, which is never less room
PATH_LENGTH = 259  # of a whole path on Windows without its long-path setting
_FORBIDDEN = re.compile(r'[\x00-\x1f<>:"\\|?*]')
_PLAIN = re.compile(r"[A-Za-z0-9_]([A-Za-z0-9_.-]*[A-Za-z0-9_-])?(/[A-Za-z0-9_]([A-Za-z0-9_.-]*[A-Za-z0-9_-])?)*")
_DEVICES = frozenset({"con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in range(1, 10))})


@lru_cache(maxsize=4096)
def word_fault(word: str) -> str:
    """Why a text cannot stand for one field of a name, in words; empty if it can. It is part of one name, and leads to
    no other folder."""
    if "/" in word or "\\" in word:
        return "it holds a slash"
    if word in (".", ".."):
        return "it stands for a folder"
    return "it holds what cannot be seen" if printable(word) != word else ""


def as_word(text: str) -> str:
    """A text of a file as a word that can stand for a field of a name: whatever has no place in one is an
    underscore."""
    return re.sub(r"[/\\]+", "_", UNFIT.sub("_", text)).strip(". _-") if word_fault(text) else text


def name_faults(path: str) -> Iterator[str]:
    """What is wrong with a relative path on some system, in words; nothing if it can live anywhere."""
    parts = path.split("/")
    devices = [part for part in parts if part.partition(".")[0].lower() in _DEVICES]
    if _PLAIN.fullmatch(path) and len(path) <= NAME_BYTES and not devices:
        return  # nearly all names; thousands are checked at every change of a plan
    for device in devices:
        yield f"“{device}” is the name of a device on Windows"
    for part in parts:
        bad = sorted(set(_FORBIDDEN.findall(part)))
        if bad:
            yield f"“{part}” holds {' '.join(repr(character) for character in bad)}, which Windows refuses"
        if part.endswith((" ", ".")):
            yield f"“{part}” ends with a space or dot, which Windows drops"
        if part.startswith((".", "-")):
            yield f"“{part}” begins with {part[0]}: a hidden file or an option on Linux"
        if re.search(r"\s", part):
            yield f"“{part}” holds white space, which breaks scripts"
        if len(part.encode()) > NAME_BYTES:
            yield f"“{part[:20]}…” is {len(part.encode())} bytes long; a name may have {NAME_BYTES}"
    if len(path) > PATH_LENGTH:
        yield f"the path is {len(path)} characters long; Windows opens {PATH_LENGTH}"
