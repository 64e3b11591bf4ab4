"""A pass taken into a ledger: where its row goes and how it joins follows from what the pass is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from prism.errors import BadArgument, UnknownSource
from prism.ledger.copying import free
from prism.ledger.document import Ledger
from prism.ledger.evidence import lies_on
from prism.ledger.rows import BackgroundRow, CardRow, DeepRow, DepthRow, FogRow, GroupRow, OverlayRow, PassRow, Row
from prism.passes.kinds import LIT, Role
from prism.sources.pixels import Frame, Source

FIRST_FOG = 0.5  # amount


@dataclass(frozen=True, slots=True)
class Added:
    """A ledger with one more row. remark: what a person should know about how it was taken in; often nothing."""

    ledger: Ledger
    row: Row
    remark: str = ""


def with_pass(ledger: Ledger, frame: Frame, key: str) -> Added:
    """Take in a pass. Raises UnknownSource.

    Light that is not in the sum yet is part of the rebuild and goes to the other parts; all else is a change laid on
    top: light again adds, an occlusion or shadow scales. A base colour covers all that stands above it, so it goes
    first, switched off; so is what measures and is no light. Of a pass that nothing is known of, its pixels say how it
    may join. Common practice, no source.
    """
    source = frame.source(key)
    if source.is_deep:
        return _with_deep(ledger, source)
    role = source.kind.role if source.kind is not None else None
    row = PassRow(id=free_id(ledger, source.key.rpartition("/")[2]), source=source.key, uses_alpha=role not in LIT)
    foreign = not _is_of_ledger(ledger, frame, source)
    if role in LIT and not foreign and all(source.key != other.source for other in ledger.passes):
        return _with_light(ledger, row)
    row = row.replace(in_balance=False)
    foot = len(ledger.rows)
    if role is Role.COVER:
        remark = (
            f"{source.title} covers what stands above it, so it was put first, and is switched off. "
            "Switch it on where raw light multiplies it."
        )
        return _placed(ledger, row.replace(operator="over", on=False), 0, remark)
    if source.is_data:
        remark = (
            f"{source.title} measures and is no light: as a row it would only disturb the sum, so it is switched off."
        )
        return _placed(ledger, row.replace(on=False), foot, remark)
    if role is Role.OVERLAY:
        return _placed(ledger, OverlayRow(id=row.id, source=row.source), foot)
    if role is Role.SCALE:
        return _placed(ledger, row.replace(operator="multiply"), foot)
    if role in LIT and foreign:
        return _placed(
            ledger, row, foot, f"{_named(source)} is light of another image; it was added on top, as a change."
        )
    if role in LIT:
        return _placed(ledger, row, foot, f"{source.title} is in the sum already; it was added once more, as a change.")
    if role is Role.WHOLE and foreign:
        joined = row.replace(operator="over" if source.alpha else "add")
        how = "goes over what is there, by its alpha" if source.alpha else "has no alpha and is added"
        return _placed(
            ledger, joined, foot, f"{_named(source)} is the picture of another image: it {how}, as a change."
        )
    if role is Role.WHOLE:
        return _placed(
            ledger, row.replace(on=False), foot,
            f"{source.title} is the whole picture, which the rows sum to already: it is switched off.",
        )  # fmt: skip
    evidence = lies_on(frame, key)
    joined = row.replace(operator=evidence.operator)
    return _placed(ledger, joined, foot, f"Nothing says what {source.title} is. {evidence.text}")


def _named(source: Source) -> str:
    element = source.key.rpartition("/")[0]
    return f"{source.title} of {element}" if element else source.title


def _is_of_ledger(ledger: Ledger, frame: Frame, source: Source) -> bool:
    """Whether it belongs to an image that the ledger rebuilds: one of its elements, or another version of that layer
    and camera."""
    rebuilt = [row.source for row in ledger.passes if row.in_balance and row.source in frame]
    own = [frame.source(key) for key in (*rebuilt, ledger.beauty) if key in frame]
    elements = {other.key.rpartition("/")[0] for other in own} or set(ledger.elements[:1]) or {""}
    images = {(other.layer, other.camera) for other in own if other.layer and other.camera}
    return source.key.rpartition("/")[0] in elements or (source.layer, source.camera) in images


def _with_light(ledger: Ledger, row: PassRow) -> Added:
    """After the last part of the rebuild; in a ledger of layers, after the last of its own layer."""
    element = row.source.rpartition("/")[0]
    for group in ledger.rows:
        if isinstance(group, GroupRow) and group.alpha is not None and group.alpha.rpartition("/")[0] == element:
            changed = ledger.with_row(group.replace(rows=(*group.rows, row)))
            return Added(changed, row)
    return _placed(ledger, row, 1 + max((i for i, other in enumerate(ledger.rows) if other.in_balance), default=-1))


def _with_deep(ledger: Ledger, source: Source) -> Added:
    """Into the first group by depth, or one of its own on top: a change, since the flat rows show the same light."""
    row = DeepRow(id=free_id(ledger, name_of_deep(source, ledger)), source=source.key, in_balance=False)
    group = next((each for each in ledger.rows if isinstance(each, DepthRow)), None)
    if group is not None:
        changed = ledger.with_row(group.replace(rows=(*group.rows, row)))
        return Added(changed, row, f"{_named(source)} was put with what is ordered by depth.")
    group = DepthRow(id=free_id(ledger, "by depth"), rows=(row,), in_balance=False)
    changed = ledger.replace(rows=(*ledger.rows, group))
    return Added(changed, row, f"{_named(source)} goes over what is above it, as a change; cards may stand in it.")


def name_of_deep(source: Source, ledger: Ledger) -> str:
    """After its element where that tells it from other deep passes, which mostly have the same name; else the pass."""
    element, _, bare = source.key.rpartition("/")
    others = {row.source.rpartition("/")[0] for row in ledger.walk() if isinstance(row, DeepRow)} - {element}
    return element if element and others else bare


def with_card(ledger: Ledger, frame: Frame, key: str, *, row: str = "") -> Added:
    """A picture as a card in the first group by depth, halfway through what is deep there; or in place of the picture
    of the card of that id. Raises UnknownSource, BadArgument."""
    clip, beauty = frame.clip(key), frame.clip(ledger.beauty)
    if clip is None:
        raise UnknownSource(f"There is no source {key}.", advice="Import it under Intake.")
    delay, remark = _delay(beauty.numbers if beauty else (), clip.numbers)
    if row:
        if not isinstance(ledger.row(row), CardRow):
            raise BadArgument("Only a card has a picture of its own.", where=row, advice="Add a card for it.")
        changed = ledger.with_row(ledger.row(row).replace(source=key, delay=delay))
        return Added(changed, changed.row(row), remark)
    card = CardRow(id=free_id(ledger, "card"), source=key, delay=delay, depth=_middle(ledger, frame))
    group = next((each for each in ledger.rows if isinstance(each, DepthRow)), None)
    if group is None:
        group = DepthRow(id=free_id(ledger, "by depth"), rows=(card,), in_balance=False)
        return Added(ledger.replace(rows=(*ledger.rows, group)), card, remark)
    return Added(ledger.with_row(group.replace(rows=(*group.rows, card))), card, remark)


def _middle(ledger: Ledger, frame: Frame) -> float:
    """The middle depth of all samples that the ledger takes; 1 without any."""
    deep = [row.source for row in ledger.walk() if isinstance(row, DeepRow) and row.source in frame]
    fronts = np.concatenate([np.zeros(0), *(frame.samples(key).depth[:, 0] for key in deep)])
    fronts = fronts[np.isfinite(fronts)]
    return round(float(np.median(fronts)), 3) if len(fronts) else 1.0


def _delay(ours: tuple[int, ...], theirs: tuple[int, ...]) -> tuple[int, str]:
    """By how much a sequence of other frames starts later, so that it begins where ours does; and a remark on it."""
    if not (ours and theirs) or set(ours) & set(theirs):
        return 0, ""
    return ours[0] - theirs[0], f"Its frames {theirs[0]} to {theirs[-1]} start at {ours[0]} here."


def with_background(ledger: Ledger, frame: Frame) -> Added:
    """A colour under all that has an alpha, at the foot."""
    return _placed(ledger, BackgroundRow(id=free_id(ledger, "background")), len(ledger.rows))


def with_picture(ledger: Ledger, frame: Frame, key: str, *, row: str = "") -> Added:
    """A pass as the picture under all that has an alpha: at the foot, or in place of what the background of that id
    shows. A sequence of other frames than the beauty's starts with the beauty's first. Raises UnknownSource,
    BadArgument.
    """
    clip, beauty = frame.clip(key), frame.clip(ledger.beauty)
    if clip is None:
        raise UnknownSource(f"There is no source {key}.", advice="Import it under Intake.")
    delay, remark = _delay(beauty.numbers if beauty else (), clip.numbers)
    shows = {"fill": "picture", "source": key, "delay": delay}
    if not row:
        return _placed(ledger, BackgroundRow(id=free_id(ledger, "background"), **shows), len(ledger.rows), remark)
    if not isinstance(ledger.row(row), BackgroundRow):
        raise BadArgument("Only a background shows a picture of its own.", where=row, advice="Add a background for it.")
    changed = ledger.with_row(ledger.row(row).replace(**shows))
    return Added(changed, changed.row(row), remark)


def with_fog(ledger: Ledger, frame: Frame) -> Added:
    """Fog through the best pass there is for it: mist, else depth, else the heights of a position. Raises UnknownSource
    without any."""
    measures = (("mist", "mist"), ("depth", "depth"), ("position", "height"))
    for kind, through in measures:
        source = next((s for s in frame if s.kind is not None and s.kind.key == kind and not s.excluded), None)
        if source is not None:
            near, far = (0.0, 1.0) if through == "mist" else _ends(frame, source.key, through)
            colour, fills = _air(frame, ledger.beauty)
            row = FogRow(
                id=free_id(ledger, "fog"), source=source.key, through=through, near=near, far=far, amount=FIRST_FOG,
                colour=colour, fills=fills,
            )  # fmt: skip
            return _placed(ledger, row, len(ledger.rows), _FOG_REMARKS[through])
    found = ", ".join(source.key for source in frame)
    raise UnknownSource(
        f"Fog needs mist, depth or position; found {found}.", advice="Render one of them, or import one under Intake."
    )


_FOG_REMARKS = {
    "mist": "",
    "depth": "There is no mist here, so fog goes by depth. Mist is filtered like the picture; depth keeps one "
    "distance a pixel, so "
    "soft edges and what is seen through glass fog all or nothing.",
    "height": "There is neither mist nor depth, so fog goes by height: below near it thickens down to far.",
}


def _air(frame: Frame, beauty: str) -> tuple[tuple[float, float, float], bool]:
    """A colour that suits the picture, its mean; and whether fog should fill what nothing covers: if a sky shows
    there."""
    if beauty not in frame:
        return (0.5, 0.5, 0.5), True
    pixels = frame.pixels(beauty, step=4)
    rgb = np.nan_to_num(np.stack(pixels.planes).astype(np.float32), nan=0, posinf=0, neginf=0)
    red, green, blue = (round(float(value), 3) for value in rgb.mean(axis=(1, 2)).clip(0, 10_000))
    return (red, green, blue), pixels.alpha is None or bool((rgb[:, pixels.alpha < 0.5] > 0).any())


def _ends(frame: Frame, key: str, through: str) -> tuple[float, float]:
    """Where fog may begin and end: the middle nine tenths of what is measured; of heights, from above."""
    plane = frame.pixels(key, step=4).planes[1 if through == "height" else 0].astype(np.float32)
    finite = plane[np.isfinite(plane) & (np.abs(plane) < 1e9)]
    low, high = (float(v) for v in np.percentile(finite, (5, 95))) if finite.size else (0.0, 1.0)
    low, high = round(low, 3), round(max(high, low + 0.01), 3)
    return (high, low) if through == "height" else (low, high)


def free_id(ledger: Ledger, wanted: str) -> str:
    """An id that no row has yet: the wanted one, or that with a number."""
    return free(wanted[:72], {row.id for row in ledger.walk()})


def _placed(ledger: Ledger, row: Row, at: int, remark: str = "") -> Added:
    return Added(ledger.replace(rows=(*ledger.rows[:at], row, *ledger.rows[at:])), row, remark)


@dataclass(frozen=True, slots=True)
class Offer:
    """A row that is made of no chosen pass. text: how it is offered."""

    text: str
    add: Callable[[Ledger, Frame], Added]


TAKEN_AS: Mapping[str, Callable[..., Added]] = MappingProxyType({"behind": with_picture, "card": with_card})
"""By the word for it, how a picture is taken in as a row of a kind of its own."""

OFFERS: Mapping[str, Offer] = MappingProxyType(
    {"background": Offer("a background colour", with_background), "fog": Offer("fog", with_fog)}
)
