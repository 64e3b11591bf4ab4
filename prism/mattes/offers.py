"""Which parts of a matte a source can make, in the order in which they are offered."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from prism.elements.element import ElementPass
from prism.mattes.parts import FORMS


@dataclass(frozen=True, slots=True)
class Offer:
    """A part that can be added. text: with `{}` where the title of the source stands. part: its kind, and what it has
    beside the source that is not as in every new part of the kind."""

    text: str
    kind: str
    part: dict[str, Any]


UNFILTERED = frozenset({"depth", "normals", "normals_camera", "position"})
"""Passes that keep one value of the many in a pixel, so that ranges on them have hard edges; common practice, no
source."""


def covers(pass_: ElementPass) -> bool:
    """Whether it is a matte as it is: by its alpha, or as a single channel that is no measure."""
    is_data = pass_.pass_kind is not None and pass_.pass_kind.is_data
    return not _is_ranked(pass_) and (pass_.alpha is not None or (len(pass_.channels) == 1 and not is_data))


def offers_of(pass_: ElementPass) -> list[Offer]:
    """What a pass can make; nothing for all but the first rank of a Cryptomatte."""
    return next(list(make(pass_)) for fits, make in _OFFERS if fits(pass_))


def drawn_offers() -> list[Offer]:
    """What is drawn, and follows no pass."""
    return [Offer("strokes", "strokes", {}), *(Offer(form, "shape", {"form": form, "corners": []}) for form in FORMS)]


def _key(pass_: ElementPass) -> str:
    return pass_.pass_kind.key if pass_.pass_kind is not None else ""


def _is_ranked(pass_: ElementPass) -> bool:
    return pass_.pass_kind is not None and pass_.pass_kind.ranked


def _names(pass_: ElementPass) -> Iterator[Offer]:
    if pass_.key.endswith("00") or not pass_.key[-2:].isdigit():
        yield Offer("{}", "names", {})


def _box(pass_: ElementPass) -> Iterator[Offer]:
    yield Offer("box in space", "box", {})
    yield Offer("height by position", "range", {"measure": "second"})


def _single(pass_: ElementPass) -> Iterator[Offer]:
    yield Offer("{} as a matte", "alpha", {})
    yield Offer("range of {}", "range", {})


def _colour(pass_: ElementPass) -> Iterator[Offer]:
    if pass_.alpha is not None:
        yield Offer("alpha of {}", "alpha", {})
    yield Offer("luminance of {}", "range", {"measure": "luminance"})


def _one(text: str, kind: str) -> Callable[[ElementPass], list[Offer]]:
    return lambda pass_: [Offer(text, kind, {})]


_OFFERS = (
    (_is_ranked, _names),
    (lambda pass_: _key(pass_).startswith("id_"), _one("{}", "colour")),
    (lambda pass_: _key(pass_).startswith("normals"), _one("direction by {}", "direction")),
    (lambda pass_: _key(pass_) == "position", _box),
    (lambda pass_: pass_.pass_kind is not None and pass_.pass_kind.is_data, _one("range of {}", "range")),
    (lambda pass_: len(pass_.channels) == 1, _single),
    (lambda pass_: True, _colour),
)  # the first that fits says
