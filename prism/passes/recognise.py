"""Channel and file names to passes of the catalogue.

Names are cut into words (`diffuse_direct`, `DiffuseDirect`, `diff-dir` alike). A pass is recognised if the last words
of the name are just its own, in any order; what stands before them is a prefix. A light group is the word `light`
followed by the label; with a component before it, it is that component of the light group.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from prism.passes.catalogue import BY_KEY, CATALOGUE, COMPONENTS
from prism.passes.kinds import PassKind, Role

_WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")
_LIGHT_WORDS = BY_KEY["light_group"].words[0]
_VERSION = re.compile(r"v\d+", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Recognised:
    """A name understood: its unique key among the sources of a frame, what to call it, and its kind."""

    key: str
    title: str
    kind: PassKind


def words_of(name: str) -> list[str]:
    """Lower-case words of a name, without version words such as v012."""
    parts = [part for part in re.split(r"[^A-Za-z0-9]+", name) if part and not _VERSION.fullmatch(part)]
    return [word.lower() for part in parts for word in _WORD.findall(part)]


def recognise(name: str) -> Recognised | None:
    """The pass a layer name (or the pass part of a file name) stands for, or None."""
    words = words_of(name)
    group = _light_group(words)
    if group is not None:  # before the others: the label may be a word of another pass, as in light_sky
        return group
    best = _best(words, CATALOGUE)
    if best is not None:
        return Recognised(best.key, best.title, best)
    return _ranks(words)


def without_common_prefix(names: Sequence[str]) -> list[str]:
    """Drop the words that all names begin with: the shot or version in file names of one frame."""
    if len(names) < 2:
        return list(names)
    split = [re.split(r"(?<=[^A-Za-z0-9])", name) for name in names]
    shared = 0
    while len({parts[shared] if shared < len(parts) else None for parts in split}) == 1 and shared < len(split[0]):
        shared += 1
    return ["".join(parts[shared:]) or name for name, parts in zip(names, split, strict=True)]


def _ends_with(words: list[str], kind: PassKind) -> bool:
    tail = words[-len(kind.words) :]
    return len(tail) == len(kind.words) and all(any(word in group for word in tail) for group in kind.words)


def _best(words: list[str], kinds: Iterable[PassKind]) -> PassKind | None:
    """The kind whose own words end the name; the one with most words if several do."""
    named = (kind for kind in kinds if kind.role not in (Role.GROUP, Role.PART) and _ends_with(words, kind))
    return max(named, key=lambda kind: len(kind.words), default=None)


def _ranks(words: list[str]) -> Recognised | None:
    """A layer of a Cryptomatte: its name ends with the number of the layer, as in crypto_object00."""
    if not words or not words[-1].isdigit():
        return None
    best = _best(words[:-1], (kind for kind in CATALOGUE if kind.ranked))
    return None if best is None else Recognised(f"{best.key}{words[-1]}", f"{best.title} {words[-1]}", best)


def _light_group(words: list[str]) -> Recognised | None:
    for place, word in enumerate(words[:-1]):
        if word in _LIGHT_WORDS:
            label = "_".join(words[place + 1 :])
            spoken = label.replace("_", " ")
            part = _best(words[:place], COMPONENTS)
            if part is None:
                return Recognised(f"light_{label}", f"light, {spoken}", BY_KEY["light_group"])
            return Recognised(f"{part.key}_light_{label}", f"{part.title}, {spoken}", BY_KEY["group_components"])
    return None
