"""The first ledger of a frame, made from the roles of the passes found."""

from __future__ import annotations

from collections.abc import Iterable

from prism.combine.ledger import Ledger, Row
from prism.combine.sources import FrameSources, Source
from prism.errors import NoBeauty, NoComponents
from prism.passes.catalogue import CATALOGUE
from prism.passes.kinds import Role

WAYS = ("components", "light-groups")
_ORDER = {kind.key: rank for rank, kind in enumerate(CATALOGUE)}


def first_ledger(sources: FrameSources, *, by: str | None = None, name: str = "first") -> Ledger:
    """A ledger that lands on the rendered beauty: light is added, row by row.

    by: `components` or `light-groups`; components if None and there are any. Occlusion and shadow follow as multiplying
    rows, switched off, since the beauty already holds them. Raises NoBeauty or NoComponents.
    """
    require_beauty(sources)
    choices = {"components": _components(sources), "light-groups": _with_role(sources, Role.GROUP)}
    if by is None:
        by = next((way for way in WAYS if choices[way]), WAYS[0])
    light = choices[by]
    if not light:
        found = ", ".join(source.key for source in sources)
        raise NoComponents(
            f"There are no {by.replace('-', ' ')} to rebuild the beauty from; found {found}.",
            where=str(sources.source("beauty").path),
            advice="Render light components or light groups, or name the files after them.",
        )
    rows = [Row(id=source.key, source=source.key) for source in light]
    for source in _with_role(sources, Role.SCALE):
        if source.key in ("occlusion", "shadow"):
            rows.append(Row(id=source.key, source=source.key, operator="multiply", on=False, in_balance=False))
    return Ledger(name=name, rows=tuple(rows), alpha="beauty" if sources.source("beauty").alpha else None)


def require_beauty(sources: FrameSources) -> None:
    """Raises NoBeauty, naming a file and what was found instead."""
    if "beauty" not in sources:
        found = ", ".join(source.key for source in sources)
        where = next(iter(sources)).path
        raise NoBeauty(
            f"There is no rendered beauty; found {found}.",
            where=str(where),
            advice="Add the file with the beauty: plain R, G, B channels, or `beauty` in its name.",
        )


def _components(sources: FrameSources) -> list[Source]:
    """Components without doubles: a total stands aside where its own parts are complete, and for its parts otherwise."""
    found = {source.key: source for source in _with_role(sources, Role.LIGHT)}
    for source in list(found.values()):
        parts = source.kind.total_of
        if parts and all(part in found for part in parts):
            del found[source.key]
        elif parts:
            for part in parts:
                found.pop(part, None)
    return list(found.values())


def _with_role(sources: Iterable[Source], role: Role) -> list[Source]:
    chosen = [source for source in sources if source.kind is not None and source.kind.role is role]
    return sorted(chosen, key=lambda source: _ORDER[source.kind.key])
