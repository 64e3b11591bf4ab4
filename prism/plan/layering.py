"""How the layers of a plan make one picture: which lies behind which, and whether they sum to the whole.

Common practice, no source: layers that hold each other out add up exactly. A layer that holds out another, but is not
held out by it, lies over it; soft edges then come out a little different, since a pixel's coverage does not say which
part of it is covered.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from prism.plan.plan import SURROUNDINGS, Layer

SUM, OVER = "sum", "over"


@dataclass(frozen=True, slots=True)
class Recombination:
    """How layers make the whole picture. way: SUM (exact), OVER (close, but for soft edges) or "".

    doubled, lost: what more than one layer shows, and what none does. open: layers that let through what others show.
    """

    way: str
    doubled: tuple[str, ...]
    lost: tuple[str, ...]
    open: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class StackedLayer:
    """A layer among those that are laid together. operator: `add`, or `over` where one below does not hold it out.

    sky_again: whether a layer below shows the sky as well, so that its light must be taken once only.
    """

    layer: str
    operator: str
    sky_again: bool


@dataclass(frozen=True, slots=True)
class Layering:
    """places: the layers to lay together, the rearmost first. whole: one that shows all of it by itself and is none
    of them; empty without one. left_out: layers that are no part of the picture. way: as of Recombination, of the
    places."""

    places: tuple[StackedLayer, ...]
    whole: str
    left_out: tuple[str, ...]
    way: str


def shows(layer: Layer, thing: str) -> bool:
    """Whether an object group, or one of SURROUNDINGS, is seen in a layer."""
    if thing in SURROUNDINGS:
        return thing not in layer.kept_out
    return layer.visibility.get(thing, "visible") == "visible"


def recombination(layers: Sequence[Layer], groups: Sequence[str], things: Sequence[str]) -> Recombination:
    """What layers come to together. groups: all object groups. things: those of them and of SURROUNDINGS that can be
    seen."""
    showing = {thing: [layer for layer in layers if shows(layer, thing)] for thing in things}
    doubled = tuple(thing for thing, seen in showing.items() if len(seen) > 1)
    lost = tuple(thing for thing, seen in showing.items() if not seen)
    if any(layer.override for layer in layers):
        return Recombination("", doubled, lost, ())
    loose = tuple(layer.name for layer in layers if not all(shows(layer, g) or _holds_out(layer, g) for g in groups))
    if doubled or lost:
        return Recombination("", doubled, lost, loose)
    return Recombination(SUM if not loose else OVER if _lie_over(layers, groups) else "", (), (), loose)


def layering(
    layers: Sequence[Layer], groups: Sequence[str] | None = None, around: Sequence[str] = SURROUNDINGS
) -> Layering:
    """How to lay the layers of a plan. groups: the object groups of the scene; those that layers name if None. around:
    those of SURROUNDINGS that the scene has.

    Layers with an override show no light of the scene and are left out. Where one layer shows everything, the others
    are laid if each group is in just one of them, and that layer is the picture that they should come to; else it is
    laid alone. Behind lies what is held out by others; what that does not decide keeps the order of the plan, first
    behind.
    """
    if groups is None:
        groups = tuple(dict.fromkeys(group for layer in layers for group in layer.visibility))
    own = [layer for layer in layers if layer.override is None]
    wholes = [layer for layer in own if all(shows(layer, thing) for thing in (*groups, *_seen(around, own)))]
    parts = [layer for layer in own if layer not in wholes]
    if wholes and not (parts and _each_in_one(parts, groups)):
        parts, wholes = wholes[:1], []
    whole = wholes[0].name if wholes else ""
    ordered = _behind_first(parts, groups)
    places = tuple(
        StackedLayer(
            layer.name,
            "add" if all(_apart(layer, below, groups) for below in ordered[:at]) else "over",
            shows(layer, "sky") and any(shows(below, "sky") for below in ordered[:at]),
        )
        for at, layer in enumerate(ordered)
    )
    laid = {whole, *(place.layer for place in places)}
    seen = (*groups, *(thing for thing in _seen(around, own) if thing != "sky"))
    way = recombination(ordered, groups, seen).way
    return Layering(places, whole, tuple(layer.name for layer in layers if layer.name not in laid), way)


def _seen(things: Sequence[str], layers: Sequence[Layer]) -> tuple[str, ...]:
    return tuple(thing for thing in things if any(shows(layer, thing) for layer in layers))


def _each_in_one(layers: Sequence[Layer], groups: Sequence[str]) -> bool:
    return all(sum(shows(layer, group) for layer in layers) == 1 for group in groups)


def _holds_out(layer: Layer, group: str) -> bool:
    return layer.visibility.get(group) == "holdout"


def _holds_out_all(layer: Layer, other: Layer, groups: Sequence[str]) -> bool:
    """Whether everything that the other shows holds out what lies behind it in this layer."""
    return all(_holds_out(layer, group) for group in groups if shows(other, group))


def _apart(one: Layer, other: Layer, groups: Sequence[str]) -> bool:
    return _holds_out_all(one, other, groups) and _holds_out_all(other, one, groups)


def _lies_over(front: Layer, back: Layer, groups: Sequence[str]) -> bool:
    return _holds_out_all(front, back, groups) and not _holds_out_all(back, front, groups)


def _behind_first(layers: Sequence[Layer], groups: Sequence[str]) -> list[Layer]:
    """In an order in which each lies over those before it; where they lie over each other in a circle, as in the
    plan."""
    left, ordered = list(layers), []
    while left:
        free = (layer for layer in left if not any(_lies_over(layer, o, groups) for o in left if o is not layer))
        ordered.append(next(free, left[0]))
        left.remove(ordered[-1])
    return ordered


def _lie_over(layers: Sequence[Layer], groups: Sequence[str]) -> bool:
    """Whether each layer holds out all that lies behind it, and nothing in front is wholly gone from those behind."""
    ordered = _behind_first(layers, groups)
    for place, back in enumerate(ordered):
        for front in ordered[place + 1 :]:
            if not _holds_out_all(front, back, groups):
                return False
            if any(back.visibility.get(group) == "hidden" for group in groups if shows(front, group)):
                return False  # its shadows and reflections would be lost
    return True
