"""The first ledger of several layers: each a group with its own components or lights, laid as the plan has them.

What it should land on is a layer that shows everything by itself, where one was rendered; else the beauties of the
layers, laid in the same way, which shows that nothing was lost within them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from prism.balance.best_ledger import lands
from prism.elements.element import Element
from prism.errors import NoComponents, UnreadableFile
from prism.ledger.bases import ASKED, SUMS
from prism.ledger.document import Ledger
from prism.ledger.first import Start, first_ledger, require_beauty, starts_of
from prism.ledger.rows import GroupRow, PassRow, Row
from prism.passes.kinds import Role
from prism.plan.layering import OVER, SUM, Layering, StackedLayer
from prism.sources.pixels import Frame, OfElement, Source

_LONGEST = 80  # characters of an id


@dataclass(frozen=True, slots=True)
class Chosen:
    """Elements that make one picture. layers: name of the element of each place of the layering, the rearmost first.
    whole: name of the element that shows all of it; empty without one."""

    layering: Layering
    layers: tuple[str, ...]
    whole: str

    @property
    def names(self) -> tuple[str, ...]:
        """Names of all elements that a frame must be opened of, the main one first."""
        return (*((self.whole,) if self.whole else ()), *self.layers)

    @property
    def text(self) -> str:
        """What the rows are compared with, for people."""
        if len(self.layers) == 1:
            return ""
        if self.whole:
            soft = ", but for soft edges, since they go over one another" if self.layering.way == OVER else ""
            return f"Compared with {self.whole}, a render of everything{soft}."
        known = {
            SUM: "they are known to sum to the whole picture.",
            OVER: "they go over one another, so soft edges are a little different from a render of everything.",
        }
        doubt = "nothing says that they make the whole picture."
        return f"Compared with the combined beauties of the layers: {known.get(self.layering.way, doubt)}"


def choose(elements: Sequence[Element], layering: Layering, camera: str, number: int | None = None) -> Chosen:
    """The elements of one camera that a layering asks for. number: of the version; its newest of all layers if None.

    Raises UnreadableFile naming the layers that have no files.
    """
    own = [element for element in elements if element.camera == camera and element.number is not None]
    wanted = [place.layer for place in layering.places]
    numbers = [element.number for element in own if element.layer in wanted and element.number is not None]
    number = max(numbers, default=None) if number is None or number not in numbers else number
    found = {element.layer: element.name for element in own if element.number == number}
    missing = [layer for layer in wanted if layer not in found]
    if missing:
        there = ", ".join(f"{e.layer} {e.camera}" for e in elements if e.layer and e.camera) or "none of this plan"
        raise UnreadableFile(
            f"Layer {', '.join(missing)} through camera {camera} is not there.",
            where="plan",
            advice=f"Render it, or choose another camera. There is {there}.",
        )
    return Chosen(layering, tuple(found[layer] for layer in wanted), found.get(layering.whole, ""))


def layered_ledger(
    frame: Frame, chosen: Chosen, *, by: str | None = None, denoised: bool = False, name: str = "first"
) -> Ledger:
    """A ledger that lays the chosen layers together. by: one of BASES, for the layers that have passes of it; the first
    by which all layers land on their beauties if None. denoised: from denoised passes, in layers that have a denoised
    beauty.

    A single layer is a first ledger like any other. Raises NoBeauty, NoComponents or BadArgument.
    """
    parts = [OfElement(frame, layer) for layer in chosen.layers]
    if len(parts) == 1:
        return _of_one(parts[0], by, denoised=denoised, name=name, plain=True)
    by = by or _shared_way(parts, denoised)
    own = [_of_one(part, by, denoised=denoised, name=name) for part in parts]
    pairs = list(zip(chosen.layering.places, own, strict=True))
    beauties = [part.source(ledger.beauty) for part, ledger in zip(parts, own, strict=True)]
    rows = tuple(_group(place, ledger, part) for (place, ledger), part in zip(pairs, parts, strict=True))
    main = beauties[0].key
    reference: tuple[GroupRow, ...] = ()
    if chosen.whole:
        whole = OfElement(frame, chosen.whole)
        cleaned = any(beauty.denoised for beauty in beauties)
        main = require_beauty(whole, denoised=cleaned and any(source.denoised for source in whole)).key
    else:
        reference = tuple(
            _laid(place, beauty, part) for (place, _), beauty, part in zip(pairs, beauties, parts, strict=True)
        )
    return Ledger(name=name, beauty=main, alpha=None, rows=rows, reference=reference)


def ways_of(frame: Frame, chosen: Chosen) -> list[Start]:
    """The ways to begin that all chosen layers have."""
    listed = [starts_of(OfElement(frame, layer)) for layer in chosen.layers]
    return [start for start in listed[0] if all(start in starts for starts in listed)]


def _is_denoised(part: Frame, denoised: bool) -> bool:
    return denoised and any(start.denoised for start in starts_of(part))


def _shared_way(parts: Sequence[Frame], denoised: bool) -> str | None:
    """The first way by which every layer lands on its beauty; None if there is none, so that each takes its own."""
    cleaned = [_is_denoised(part, denoised) for part in parts]
    ways = [{s.by for s in starts_of(part) if s.denoised == clean} for part, clean in zip(parts, cleaned, strict=True)]

    def suits(way: str) -> bool:
        pairs = zip(parts, cleaned, strict=True)
        return all(lands(first_ledger(part, by=way, denoised=clean), part) for part, clean in pairs)

    return next((way for way in SUMS if all(way in own for own in ways) and suits(way)), None)


def _of_one(part: Frame, by: str | None, *, denoised: bool, name: str, plain: bool = False) -> Ledger:
    """The ledger of a layer; of its beauty alone if it has no other light, unless it is the only layer."""
    denoised = denoised if plain else _is_denoised(part, denoised)
    ways = [start.by for start in starts_of(part) if start.denoised == denoised and start.by not in ASKED]
    if by is None or not (by in ways or plain):
        lands_by = (way for way in ways if lands(first_ledger(part, by=way, denoised=denoised), part))
        by = next(lands_by, None) if len(ways) > 1 else None
    return _or_beauty(lambda: first_ledger(part, by=by, denoised=denoised, name=name), part, plain=plain)


def _or_beauty(make: Callable[[], Ledger], part: Frame, *, plain: bool) -> Ledger:
    try:
        return make()
    except NoComponents:
        if plain:
            raise
    beauty = require_beauty(part)
    row = PassRow(id=_bare(beauty.key), source=beauty.key, uses_alpha=False)
    return Ledger(rows=(row,), beauty=beauty.key, alpha=beauty.key if beauty.alpha else None)


def _group(place: StackedLayer, ledger: Ledger, part: Frame) -> GroupRow:
    """A layer's rows under ids of its own, with the light of a sky that lies below already taken out."""
    sky = _sky(part, denoised=part.source(ledger.beauty).denoised) if place.sky_again else None
    rows = tuple(row for row in ledger.rows if sky is None or getattr(row, "source", "") != sky.key)
    if sky is not None and len(rows) == len(ledger.rows):  # it is not apart there, so it is taken out again
        rows += (PassRow(id=_bare(sky.key), source=sky.key, operator="subtract", uses_alpha=False),)
    return _layer_row(place, tuple(_renamed(row, place.layer) for row in rows), ledger.alpha)


def _laid(place: StackedLayer, beauty: Source, part: Frame) -> GroupRow:
    """A layer's beauty as the rows of the reference lay it."""
    rows = [PassRow(id="beauty", source=beauty.key, uses_alpha=False)]
    sky = _sky(part, denoised=beauty.denoised) if place.sky_again else None
    if sky is not None:
        rows.append(PassRow(id="sky", source=sky.key, operator="subtract", uses_alpha=False))
    renamed = tuple(_renamed(row, place.layer) for row in rows)
    return _layer_row(place, renamed, beauty.key if beauty.alpha else None)


def _layer_row(place: StackedLayer, rows: tuple[Row, ...], alpha: str | None) -> GroupRow:
    return GroupRow(id=place.layer[:_LONGEST], name=place.layer, operator=place.operator, alpha=alpha, rows=rows)


def _renamed(row: Row, layer: str) -> Row:
    own = row.with_inner(tuple(_renamed(each, layer) for each in row.inner))
    return own.replace(id=f"{layer}/{row.id}"[:_LONGEST])


def _sky(part: Frame, *, denoised: bool) -> Source | None:
    """The pass of the sky by itself."""
    return next(
        (
            source
            for source in part
            if source.kind is not None and source.kind.key == "background" and source.kind.role is Role.LIGHT
            and source.denoised == denoised and not source.excluded
        ),
        None,
    )  # fmt: skip


def _bare(key: str) -> str:
    return key.rpartition("/")[2]
