"""Names to passes: the words of a channel, part, file or folder name scored against the catalogue.

Names are cut into words (`diffuse_direct`, `DiffuseDirect`, `diff-dir`, `diffusedirect` alike), in any order. What
stands beside the words of the pass is kept as the rest: a shot, a layer, a camera. A light group is a word for light
with the label behind it or before it; with a component beside it, it is that component of the light group.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from prism.elements.vocabulary import (
    LIGHT_KEYS,
    LIGHT_NAMES,
    MEANINGS,
    NEUTRAL,
    OTHERS,
    OWN_NAMES,
    PART_TERMS,
    VIEWS,
    WORDS,
    Meaning,
    in_known_words,
)
from prism.errors import BadArgument
from prism.passes.catalogue import BY_KEY
from prism.passes.kinds import PassKind

DENOISED = "denoised"  # ends the key of what was cleaned
LONGEST = 1000  # characters of a name that are looked at
_LETTER = re.compile(r"(?<![A-Za-z0-9])[a-z](?![A-Za-z0-9])")
CERTAIN = 0.6  # a name is taken for a pass from here on; below, it is only offered
_WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+|[^\W\d_A-Za-z]+")
_BETWEEN = re.compile(r"[\W_]+")
_VERSION = re.compile(r"v(\d+)", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Match:
    """A name understood.

    key: unique among the passes of an image, light_LABEL for a light group. rest: the words that are not of the pass,
    as written. certainty: 0..1. reason: in words, for the artist. others: keys of further candidates, likelier ones
    first.
    """

    key: str
    title: str
    kind: PassKind
    certainty: float
    reason: str
    rest: tuple[str, ...] = ()
    light: str = ""
    view: str = ""
    denoised: bool = False
    others: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class _Word:
    text: str  # as written
    term: str  # "" for one that is not known


def words_of(name: str) -> list[str]:
    """The words of a name as written, without version words such as v012."""
    pieces = [piece for piece in _BETWEEN.split(_without_accents(name)) if piece and not _VERSION.fullmatch(piece)]
    return [word for piece in pieces for word in _WORD.findall(piece)]


def version_of(name: str) -> int | None:
    """The number of the last version word of a name."""
    found = [_VERSION.fullmatch(piece) for piece in _BETWEEN.split(_without_accents(name))]
    numbers = [int(match[1]) for match in found if match and len(match[1]) < 10]
    return numbers[-1] if numbers else None


def _without_accents(name: str) -> str:
    """The part of a name that is looked at, in plain letters. Letters that are no Latin ones stay as they are."""
    spread = unicodedata.normalize("NFKD", name[:LONGEST])
    return "".join(character for character in spread if not unicodedata.combining(character))


def identify(name: str, labels: Collection[str] = (), *, of_file: bool = False) -> Match | None:
    """What a layer name, or the part of a file name that tells files apart, stands for. labels: of lights that are
    known.

    of_file: in names of files a small letter by itself is no pass: n is mostly a counter, while a layer n holds
    normals. None if it says nothing, or nothing that is sure enough; `candidates` has the less certain ones.
    """
    if of_file:
        name = _LETTER.sub("", name)
    best = next(candidates(name, labels), None)
    return best if best is not None and best.certainty >= CERTAIN else None


def known(name: str) -> Match:
    """The same as `identify`, of a name that says what it is. Raises BadArgument for another."""
    match = identify(name)
    if match is None:
        raise BadArgument(f"{name} is no name of a pass.", where=name, advice="Use a name of the catalogue of passes.")
    return match


def candidates(name: str, labels: Collection[str] = ()) -> Iterator[Match]:
    """All that a name may stand for, likelier ones first."""
    words = list(_known(words_of(name)))
    marks = _marks(words)
    plain = [word for word in words if word.term != DENOISED]
    found = [*_of_light(name, plain, labels), *_plain(plain)]
    found.sort(key=lambda match: -match.certainty)
    seen: set[str] = set()
    for match in found:
        if match.key not in seen:
            seen.add(match.key)
            others = tuple(dict.fromkeys([m.key for m in found if m.key != match.key] + [*OTHERS.get(match.key, ())]))
            yield _marked(replace(match, others=others), marks)


def view_of(name: str) -> str:
    """Whose eye a name says it is for; empty if it does not."""
    return str(_marks(list(_known(words_of(name))))["view"])


def is_cleaned(name: str) -> bool:
    """Whether a name says that its passes were denoised."""
    return bool(_marks(list(_known(words_of(name))))["denoised"])


def cleaned(match: Match) -> Match:
    """The same pass, denoised."""
    return match if match.denoised else _marked(match, {"denoised": True})


def from_key(key: str) -> Match | None:
    """The pass of a key as `identify` makes them: of the catalogue, light_LABEL, COMPONENT_light_LABEL, with _denoised
    or a number of ranks behind it."""
    bare = key.removesuffix(f"_{DENOISED}")
    marks = {"denoised": bare != key}
    head, light, label = bare.partition("light_")
    if light and not label:
        return None
    if light and not head:
        return _marked(_light_match(label, None, 1.0, "named so"), marks)
    if light and head.endswith("_") and head[:-1] in (*LIGHT_KEYS, *OWN_NAMES.values()):
        return _marked(_light_match(label, head[:-1], 1.0, "named so"), marks)
    if bare in OWN_NAMES.values():
        return _marked(replace(known(bare), certainty=1.0, reason="named so"), marks)
    rank = re.fullmatch(r"(\w*?[a-z])(\d\d)", bare)
    if rank and rank[1] in BY_KEY and BY_KEY[rank[1]].ranked:
        kind = BY_KEY[rank[1]]
        return _marked(Match(bare, f"{kind.title} {rank[2]}", kind, 1.0, "named so"), marks)
    if bare not in BY_KEY:
        return None
    return _marked(Match(bare, BY_KEY[bare].title, BY_KEY[bare], 1.0, "named so"), marks)


def _known(words: Sequence[str]) -> Iterator[_Word]:
    for place, word in enumerate(words):
        lower = word.lower()
        if (
            word == "L" and words[place + 1 : place + 2] and words[place + 1].isalpha()
        ):  # short for light; at the end, left
            yield _Word(word, "light")
            continue
        following = words[place + 1] if place + 1 < len(words) else ""
        if len(word) == 1 and following.isdigit() and len(following) <= 2:  # numbered parts, such as p0, p1
            yield _Word(word, "")
            continue
        for piece in in_known_words(lower) or (lower,):
            yield _Word(piece if piece != lower else word, WORDS.get(piece, ""))


def _marks(words: Sequence[_Word]) -> dict[str, Any]:
    """What a name says beside the pass: that it was cleaned, and whose eye it is for."""
    view = next((VIEWS[word.text.lower()] for word in words if word.text.lower() in VIEWS), "")
    return {"denoised": any(word.term == DENOISED for word in words), "view": view}


def _marked(match: Match, marks: Mapping[str, Any]) -> Match:
    if not marks["denoised"] or match.denoised:
        return replace(match, **marks)
    return replace(match, key=f"{match.key}_{DENOISED}", title=f"{match.title}, {DENOISED}", **marks)


def _plain(words: Sequence[_Word]) -> Iterator[Match]:
    """Matches by the terms of a name, those with fewer words left over first."""
    for meaning in MEANINGS:
        match = _score(words, meaning)
        if match is not None:
            yield match


def _score(words: Sequence[_Word], meaning: Meaning) -> Match | None:
    """How well a name says a pass: less for other terms beside it, and for unknown words behind it."""
    places = {term: place for place, word in enumerate(words) if (term := word.term) in meaning.needed}
    if len(places) < len(meaning.needed):
        return None
    own = set(places.values()) | {place for place, word in enumerate(words) if word.term in meaning.allowed}
    first, last = min(places.values()), max(places.values())
    certainty = meaning.certainty
    rest = []
    for place, word in enumerate(words):
        text = word.text.lower()
        if place in own or text in NEUTRAL or text in VIEWS:
            continue
        if text.isdigit() and place > last:
            continue
        if word.term == "beauty" and text != "beauty":  # rgb and rgba only say which channels
            continue
        if word.term in meaning.needed:  # once more, before: a shot or a folder of that name
            certainty -= 0.02
            continue
        if word.term:
            certainty -= 0.16 if place < first else 0.45
        elif place > last:
            certainty -= 0.25
        elif place > first:
            certainty -= 0.15
        else:
            certainty -= 0.01
        rest.append(word.text)
    if rest and any(words[place].term == "light" for place in own):  # those words may be the label of that light
        certainty -= 0.15
    if certainty <= 0.1:
        return None
    kind = BY_KEY[meaning.key]
    said = " ".join(words[place].text for place in sorted(places.values()))
    reason = f"“{said}” says {kind.title}"
    match = Match(kind.key, kind.title, kind, round(certainty, 2), reason, tuple(rest))
    part = _name_of_part(meaning)
    if part:
        match = replace(match, key=part, title=part.replace("_", ", "))
    rank = words[-1].text if kind.ranked and words[-1].text.isdigit() else ""
    return replace(match, key=f"{kind.key}{rank:>02}", title=f"{kind.title} {rank}") if rank else match


def _name_of_part(meaning: Meaning) -> str:
    """The name of a pass that is a part of one of the catalogue; empty if it is that one."""
    halves = tuple(half for half in ("direct", "indirect") if half in meaning.needed)
    return next((OWN_NAMES[term, *halves] for term in meaning.needed if (term, *halves) in OWN_NAMES), "")


def _of_light(name: str, words: Sequence[_Word], labels: Collection[str]) -> Iterator[Match]:
    yield from _by_known_labels(words, labels)
    yield from _by_light_names(words)
    segments = [segment for segment in re.split(r"\.", name) if segment]
    if len(segments) > 1:
        yield from _in_segments(segments)
    places = [place for place, word in enumerate(words) if word.term == "light" and word.text.lower() != "lighting"]
    for place in places:
        end = place + 1
        if words[end:] and words[end].text.lower() in ("group", "groups", "grp") and words[end + 1 :]:
            end += 1  # the two words light group
        yield from _around_light(words[:place], words[end:])


def _in_segments(segments: Sequence[str]) -> Iterator[Match]:
    """`key_light.diffuse_direct`, and the other way round: the light in one piece, the component in the other. A pass
    of data beside a light belongs to a layer of that name."""
    *before, last = segments
    for here, there in ((".".join(before), last), (last, ".".join(before))):
        part = next(_plain(list(_known(words_of(here)))), None)
        light = next(iter(_lights_in(there)), None)
        if part is None or light is None or part.certainty < 0.8:
            continue
        if part.kind.key in LIGHT_KEYS:
            yield replace(
                _light_match(light.light, part.key, 0.97, f"{light.reason}, and {part.reason}"), rest=light.rest
            )
        elif part.key == "beauty":
            yield replace(light, certainty=0.96)
        elif here == last:
            yield replace(part, certainty=0.98, rest=tuple(words_of(there)))


def _lights_in(name: str) -> Iterator[Match]:
    words = list(_known(words_of(name)))
    for place, word in enumerate(words):
        if word.term == "light":
            yield from _around_light(words[:place], words[place + 1 :])


def _around_light(before: Sequence[_Word], behind: Sequence[_Word]) -> Iterator[Match]:
    """A label behind the word for light or, if there is none, before it; with the component in what is left."""
    label, part_words = _label_and_part(behind)
    if label:
        part = _part(before, part_words)
        if part is not None and part_words:
            yield _light_match(label, part.key, 0.95, f"a light called {label}, and {part.reason}")
        elif part is not None:
            rest = part.rest
            yield replace(_light_match(label, part.key, 0.95, f"a light called {label}, and {part.reason}"), rest=rest)
        else:
            rest = tuple(word.text for word in before if word.text.lower() not in NEUTRAL and word.term != "beauty")
            raw = any(word.term in ("raw", "diffuse", "specular") for word in before)
            yield replace(_light_match(label, None, 0.6 if raw else 0.95, f"a light called {label}"), rest=rest)
    if before and not (label and not part_words):
        own = [word for word in before if word.term not in ("raw", "direct", "indirect", "beauty")]
        part = _part((), behind)
        named = [word.text.lower() for word in own if word.text.lower() not in NEUTRAL and word.term not in PART_TERMS]
        if not named or (behind and part is None and not _only_whole(behind)):
            return
        called = "_".join(named)
        if part is None:
            inner = _part(own, ())
            if inner is not None and any(word.term in PART_TERMS for word in own):
                yield _light_match(called, inner.key, 0.9, f"a light called {called}, and {inner.reason}")
            else:
                yield _light_match(called, None, 0.9, f"a light called {called}")
        else:
            yield _light_match(called, part.key, 0.94, f"a light called {called}, and {part.reason}")


def _only_whole(words: Sequence[_Word]) -> bool:
    """Whether words say no more than that it is the picture."""
    return all(
        word.term in ("beauty", "colour") or word.text.lower() in NEUTRAL or word.text.isdigit() for word in words
    )


def _label_and_part(behind: Sequence[_Word]) -> tuple[str, Sequence[_Word]]:
    """The words behind a light: its label, then those of a component, which begins with one of PART_TERMS."""
    cut = next((place for place, word in enumerate(behind) if place and word.term in PART_TERMS), len(behind))
    if behind and behind[0].term in PART_TERMS and len(behind) > 1 and behind[1].term in ("direct", "indirect"):
        cut = 0
    label = [word.text.lower() for word in behind[:cut] if word.term != "beauty" and word.text.lower() not in NEUTRAL]
    return "_".join(label), behind[cut:]


def _part(before: Sequence[_Word], behind: Sequence[_Word]) -> Match | None:
    """The component that words on one side of a light speak of."""
    for words in (behind, before):
        found = max(_plain(words), key=lambda match: match.certainty, default=None) if words else None
        if found is not None and found.kind.key in LIGHT_KEYS and found.certainty >= CERTAIN:
            return found
    return None


def _by_known_labels(words: Sequence[_Word], labels: Collection[str]) -> Iterator[Match]:
    """A component and the label of a light that is known, without a word for light."""
    lower = [word.text.lower() for word in words]
    for label in sorted(labels, key=len, reverse=True):
        pieces = [piece.lower() for piece in words_of(label)]
        for place in range(len(lower) - len(pieces) + 1):
            if pieces and lower[place : place + len(pieces)] == pieces:
                others = [*words[:place], *words[place + len(pieces) :]]
                part = _part((), [word for word in others if word.term != "light"])
                reason = f"{label} is a light of this shot"
                if part is not None:
                    yield _light_match(label, part.key, 0.99, f"{reason}, and {part.reason}")
                elif any(word.term in ("light", "beauty") for word in others):
                    yield _light_match(label, None, 0.99, reason)


def _by_light_names(words: Sequence[_Word]) -> Iterator[Match]:
    """A component or a beauty beside what lights are called, with no word for light: `diffuse_key`, `C_rim`."""
    plain = [word for word in words if word.text.lower() not in NEUTRAL and word.text.lower() not in VIEWS]
    named = [word for word in plain if word.text.lower() in LIGHT_NAMES]
    others = [word for word in plain if word not in named]
    if not named or not others or any(word.term == "light" for word in others):
        return
    label = "_".join(word.text.lower() for word in named)
    reason = f"lights are called {label}"
    part = _part((), others)
    if part is not None and part.certainty >= 0.9 and part.key != "background":
        certainty = 0.93 if part.rest else 0.995
        yield replace(_light_match(label, part.key, certainty, f"{reason}, and {part.reason}"), rest=part.rest)
    elif all(word.term == "beauty" or word.text in ("C", "RGB") for word in others):
        yield _light_match(label, None, 0.995, reason)


def _light_match(label: str, part: str | None, certainty: float, reason: str) -> Match:
    spoken = label.replace("_", " ")
    if part is None:
        kind = BY_KEY["light_group"]
        return Match(f"light_{label}", f"light, {spoken}", kind, certainty, reason, light=label)
    kind = BY_KEY["group_components"]
    title = BY_KEY[part].title if part in BY_KEY else part.replace("_", ", ")
    return Match(f"{part}_light_{label}", f"{title}, {spoken}", kind, certainty, reason, light=label)
