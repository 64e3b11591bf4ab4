"""How a field of a document is shown to people: said once, where the field is declared, and read by every page that
offers it.

A field without such a description is no setting: an id, a name, what is drawn.
"""

from __future__ import annotations

import types
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, get_args, get_origin

from pydantic.fields import FieldInfo

from prism.documents import SourceName, Value
from prism.keyed import Keyed, Within

RGB = ("red", "green", "blue")
XYZ = ("x", "y", "z")


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """title: its name. unit: behind the number. step: what a pixel of a drag is worth. digits: after the point. parts:
    names of several numbers. when: it is offered only while another field has one of these words. needs_alpha: only of
    a source that has one. lists: of sources to choose, which.
    notes: what to know of a word that is chosen. words: what the words are called, where that is not the word itself.
    takes: for texts and lists, what they hold, see `settings_of`. suits: only for subjects of a delivery of these
    kinds.
    """

    title: str
    unit: str = ""
    step: float = 0.01
    digits: int = 2
    parts: tuple[str, ...] = ("",)
    when: tuple[str, tuple[str, ...]] | None = None
    needs_alpha: bool = False
    lists: str = "pictures"
    notes: Mapping[str, str] = field(default_factory=dict)
    words: Mapping[str, str] = field(default_factory=dict)
    takes: Literal["", "text", "colour", "names", "pictures"] = ""
    suits: tuple[str, ...] = ()


PIXELS: Mapping[str, Any] = types.MappingProxyType({"unit": "px", "step": 0.25})
DEGREES: Mapping[str, Any] = types.MappingProxyType({"unit": "°", "step": 1, "digits": 0})


def settings_of(document: type[Value]) -> list[dict[str, Any]]:
    """Every field of a document that people set, in its order, for a page: what is shown of it, and what it takes.

    takes: `number` (with its range, and whether it takes keys), `choice` (with its words), `tick`, `source`, `text`,
    `colour`, `names` of what `lists` says, or `pictures`.
    """
    return [_setting(name, info) for name, info in document.model_fields.items() if _shown(info) is not None]


def unit_of(document: type[Value], name: str) -> str:
    """The unit of a field, as it stands behind its number; empty without one."""
    shown = _shown(document.model_fields[name])
    unit = shown.unit if shown is not None else ""
    return unit if unit in ("", "°") else f" {unit}"


def _setting(name: str, info: FieldInfo) -> dict[str, Any]:
    shown = _shown(info)
    assert shown is not None  # of those that are shown alone
    said = {"title": shown.title, "unit": shown.unit, "step": shown.step, "digits": shown.digits, "parts": shown.parts}
    offered = {"when": shown.when, "needsAlpha": shown.needs_alpha, "notes": dict(shown.notes), "suits": shown.suits}
    return {"field": name} | said | offered | _taken(info)


def _shown(info: FieldInfo) -> Shown | None:
    return next((each for each in info.metadata if isinstance(each, Shown)), None)


def _taken(info: FieldInfo) -> dict[str, Any]:
    """What values a field takes."""
    kind, metadata, shown = info.annotation, tuple(info.metadata), _shown(info)
    if shown is not None and shown.takes:
        return {"takes": shown.takes, "lists": shown.lists}
    if kind is bool:
        return {"takes": "tick"}
    if get_origin(kind) is Literal:
        words = list(get_args(kind))
        titles = shown.words if shown is not None else {}
        return {"takes": "choice", "words": words, "titles": [titles.get(str(word), str(word)) for word in words]}
    if kind == SourceName | None or kind is str:
        return {"takes": "source", "lists": shown.lists if shown else "", "optional": not info.is_required()}
    if get_origin(kind) is tuple:  # its parts are alike
        kind, *parts = get_args(get_args(kind)[0])
        metadata = tuple(parts)
    within = next(each for each in metadata if isinstance(each, Within))
    keyable = any(Keyed in get_args(branch) for branch in get_args(kind))
    return {"takes": "number", "range": [within.low, within.high], "keyable": keyable}
