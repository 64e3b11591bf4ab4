"""Which source of a frame a name of another ledger stands for. What is not sure is not taken."""

from __future__ import annotations

import re
from collections.abc import Sequence

from prism.ledger.document import Ledger
from prism.sources.pixels import Frame, Source

_VERSION = re.compile(r" v\d+$")


def matched(other: Ledger, frame: Frame) -> dict[str, str]:
    """For every source of another ledger its key in a frame; empty where there is none, or more than one.

    By the exact key; else by layer and camera, then by the layer, and the name of the pass; else by the name of the
    pass alone, if just one source of the frame and just one of that ledger have it, be it in letters and digits only. A
    background picture from other files than the passes is looked for by its exact key alone.
    """
    plates = _plates(other)
    return {name: _found(name, other, frame, is_plate=name in plates) for name in other.sources}


def _found(name: str, other: Ledger, frame: Frame, *, is_plate: bool) -> str:
    if name in frame:
        return frame.source(name).key
    return "" if is_plate else _match(name, other, frame)


def _plates(other: Ledger) -> set[str]:
    """Pictures of backgrounds and cards that come from other files than the passes."""
    pictures = {source for row in other.walk() if row.has_own_frames for source in row.all_sources}
    elements = {row.source.rpartition("/")[0] for row in other.passes} | {other.beauty.rpartition("/")[0]}
    return {source for source in pictures if source.rpartition("/")[0] not in elements}


def _match(name: str, other: Ledger, frame: Frame) -> str:
    element, _, bare = name.rpartition("/")
    entry = next((entry for entry in other.files if entry.source == name), None)
    layer, camera = (entry.layer, entry.camera) if entry else ("", "")
    same = [source for source in frame if _bare(source.key) == bare]
    for fits in (
        lambda source: bool(layer and camera) and (source.layer, source.camera) == (layer, camera),
        lambda source: bool(element) and _unversioned(_element(source.key)) == _unversioned(element),
        lambda source: bool(layer) and source.layer == layer,
    ):
        found = _newest([source for source in same if fits(source)])
        if found:
            return found
    if _is_of_several(name, other):
        return ""
    if len(same) == 1:
        return same[0].key
    alike = [source.key for source in frame if _words(_bare(source.key)) == _words(bare)]
    return alike[0] if not same and len(alike) == 1 else ""


def _newest(found: Sequence[Source]) -> str:
    """The last by name of one image in several versions; empty if they are of several images."""
    images = {_unversioned(_element(source.key)) for source in found}
    return max(source.key for source in found) if len(images) == 1 else ""


def _is_of_several(name: str, other: Ledger) -> bool:
    """Whether a ledger takes the same pass of several elements, which the name of the pass alone cannot tell apart."""
    own = set(other.sources) - _plates(other)
    return len({_element(source) for source in own if _bare(source) == _bare(name)}) > 1


def _element(key: str) -> str:
    return key.rpartition("/")[0]


def _bare(key: str) -> str:
    return key.rpartition("/")[2]


def _unversioned(element: str) -> str:
    return _VERSION.sub("", element)


def _words(name: str) -> str:
    """What names of other houses agree in: letters and digits, whatever stands between them."""
    return "".join(letter for letter in name.lower() if letter.isalnum())
