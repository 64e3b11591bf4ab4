"""A pass taken into a ledger: where its row goes and how it joins follows from what the pass is."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from prism.combine.ledger import Ledger
from prism.combine.mattes import InvertedMatte
from prism.combine.rows import BackgroundRow, FogRow, GroupRow, OverlayRow, PassRow, Row, walk
from prism.elements.pixels import Frame, Source
from prism.errors import UnknownSource
from prism.passes.kinds import LIT, Role

FIRST_FOG = 0.5  # amount


@dataclass(frozen=True, slots=True)
class Added:
    """A ledger with one more row. remark: what a person should know about how it was taken in; often nothing."""

    ledger: Ledger
    row: Row
    remark: str = ""


def with_pass(ledger: Ledger, source: Source) -> Added:
    """Take in a pass.

    Light that is not in the sum yet is part of the rebuild and goes to the other parts; all else is a change laid on top: light
    again adds, an occlusion or shadow scales. A base colour covers all that stands above it, so it goes first, switched off; so is
    what measures and is no light. Common practice, no source.
    """
    role = source.kind.role if source.kind is not None else None
    row = PassRow(id=free_id(ledger, source.key.rpartition("/")[2]), source=source.key, uses_alpha=role not in LIT)
    light = role in LIT and all(source.key != other.source for other in ledger.passes)
    if light:  # after the last part
        return _placed(ledger, row, 1 + max((i for i, other in enumerate(ledger.rows) if other.in_balance), default=-1))
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
    if role in LIT:
        return _placed(ledger, row, foot, f"{source.title} is in the sum already; it was added once more, as a change.")
    if role is Role.WHOLE:
        return _placed(
            ledger, row.replace(on=False), foot,
            f"{source.title} is the whole picture, which the rows sum to already: it is switched off.",
        )  # fmt: skip
    return _placed(ledger, row, foot, f"Nothing says what {source.title} is; it was added as light.")


def with_background(ledger: Ledger) -> Added:
    """A colour under all that has an alpha, at the foot."""
    return _placed(ledger, BackgroundRow(id=free_id(ledger, "background")), len(ledger.rows))


def with_fog(ledger: Ledger, frame: Frame) -> Added:
    """Fog through the best pass there is for it: mist, else depth, else the heights of a position. Raises UnknownSource without any."""
    measures = (("mist", "mist"), ("depth", "depth"), ("position", "height"))
    for kind, through in measures:
        source = next((s for s in frame if s.kind is not None and s.kind.key == kind and not s.aside), None)
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
        f"Fog needs mist, depth or position; found {found}.", advice="Render one of them, or bring one in under Intake."
    )


_FOG_REMARKS = {
    "mist": "",
    "depth": "There is no mist here, so fog goes by depth. Mist is filtered like the picture; depth keeps one distance a pixel, so "
    "soft edges and what is seen through glass fog all or nothing.",
    "height": "There is neither mist nor depth, so fog goes by height: below near it thickens down to far.",
}


def _air(frame: Frame, beauty: str) -> tuple[tuple[float, float, float], bool]:
    """A colour that suits the picture, its mean; and whether fog should fill what nothing covers: if a sky shows there."""
    if beauty not in frame:
        return (0.5, 0.5, 0.5), True
    pixels = frame.pixels(beauty, step=4)
    rgb = np.nan_to_num(np.stack(pixels.planes).astype(np.float32), nan=0, posinf=0, neginf=0)
    colour = tuple(round(float(value), 3) for value in rgb.mean(axis=(1, 2)).clip(0, 10_000))
    return colour, pixels.alpha is None or bool((rgb[:, pixels.alpha < 0.5] > 0).any())


def _ends(frame: Frame, key: str, through: str) -> tuple[float, float]:
    """Where fog may begin and end: the middle nine tenths of what is measured; of heights, from above."""
    plane = frame.pixels(key, step=4).planes[1 if through == "height" else 0].astype(np.float32)
    finite = plane[np.isfinite(plane) & (np.abs(plane) < 1e9)]
    low, high = (float(v) for v in np.percentile(finite, (5, 95))) if finite.size else (0.0, 1.0)
    low, high = round(low, 3), round(max(high, low + 0.01), 3)
    return (high, low) if through == "height" else (low, high)


def copied(ledger: Ledger, keys: Sequence[str]) -> dict[str, Any]:
    """Rows and the mattes that they use, as a document of its own: a ledger's, so that another program reads it as well."""
    rows = tuple(ledger.row(key) for key in keys)
    used = {row.matte for row in walk(rows) if row.matte}
    for matte in reversed(ledger.mattes):  # one that another is made of stands before it
        if isinstance(matte, InvertedMatte) and matte.id in used:
            used.add(matte.of)
    needed = [matte for matte in ledger.mattes if matte.id in used]
    return Ledger(
        name="copied", space=ledger.space, beauty=ledger.beauty, alpha=None, mattes=tuple(needed), rows=rows
    ).as_json()


def with_copied(ledger: Ledger, data: Any, after: str = "") -> tuple[Ledger, str]:
    """A ledger with the rows of a copied one, below the row `after` or at the foot; and a remark on what they ask for.

    Sources of the copied ledger's main element become those of this one's, ids that are taken get a number, and mattes come with
    their rows. Raises BadDocument if the data is no ledger.
    """
    other = Ledger.from_json(data, where="what was copied")
    here = ledger.elements[0] if ledger.elements else ""
    there = other.elements[0] if other.elements else ""
    other = other.moved(there, here)
    mattes = {matte.id: _free(matte.id, {m.id for m in ledger.mattes}) for matte in other.mattes}
    taken = {row.id for row in ledger.walk()}

    def fresh(row: Row) -> Row:
        name = _free(row.id, taken)
        taken.add(name)
        inner = {"rows": tuple(map(fresh, row.rows))} if isinstance(row, GroupRow) else {}
        return row.replace(id=name, matte=mattes.get(row.matte), in_balance=False, **inner)

    added = tuple(map(fresh, other.rows))
    brought = tuple(
        m.replace(id=mattes[m.id], **({"of": mattes[m.of]} if isinstance(m, InvertedMatte) else {}))
        for m in other.mattes
    )
    at = next((place + 1 for place, row in enumerate(ledger.rows) if row.id == after), len(ledger.rows))
    made = ledger.replace(mattes=(*ledger.mattes, *brought), rows=(*ledger.rows[:at], *added, *ledger.rows[at:]))
    count = sum(1 for _ in walk(added))
    return made, f"{count} row{'' if count == 1 else 's'} pasted, as changes laid on top."


def _free(wanted: str, taken: Collection[str]) -> str:
    numbered = (f"{wanted[:72]}-{number}" for number in range(2, len(taken) + 3))
    return wanted if wanted not in taken else next(name for name in numbered if name not in taken)


def free_id(ledger: Ledger, wanted: str) -> str:
    """An id that no row has yet: the wanted one, or that with a number."""
    return _free(wanted[:72], {row.id for row in ledger.walk()})


def _placed(ledger: Ledger, row: Row, at: int, remark: str = "") -> Added:
    return Added(ledger.replace(rows=(*ledger.rows[:at], row, *ledger.rows[at:])), row, remark)
