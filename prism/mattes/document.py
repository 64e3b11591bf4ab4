"""Mattes as they stand in a ledger: each has a name of its own, so that one serves many rows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Literal

from pydantic import Field, Tag

from prism.documents import Comment, Identity, SourceName, Value, by_kind
from prism.mattes.parts import MattePart, Part


class _Matte(Value):
    id: Identity
    comment: Comment = ""

    @property
    def sources(self) -> tuple[str, ...]:
        """The passes that it takes itself."""
        return ()

    @property
    def others(self) -> tuple[str, ...]:
        """Mattes that it is made of."""
        return ()


class AlphaMatte(_Matte):
    """The alpha of a pass."""

    kind: Literal["alpha"] = "alpha"
    source: SourceName

    @property
    def sources(self) -> tuple[str, ...]:
        """The pass whose alpha it is."""
        return (self.source,)


class InvertedMatte(_Matte):
    """1 less another matte, which stands before this one."""

    kind: Literal["inverted"] = "inverted"
    of: Identity

    @property
    def others(self) -> tuple[str, ...]:
        """The one it inverts."""
        return (self.of,)


class MadeMatte(_Matte):
    """Made of parts, which join one after another, beginning with nothing."""

    kind: Literal["made"] = "made"
    parts: Annotated[tuple[Part, ...], Field(max_length=200)] = ()

    @property
    def sources(self) -> tuple[str, ...]:
        """The sources of its parts."""
        return tuple(part.source for part in self.parts if hasattr(part, "source"))

    @property
    def others(self) -> tuple[str, ...]:
        """The mattes that are parts of it."""
        return tuple(part.of for part in self.parts if isinstance(part, MattePart))


MOST_DEEP = 50  # mattes that a matte may be made of, one inside the other
_KINDS = ("alpha", "inverted", "made")


Matte = Annotated[
    Annotated[AlphaMatte, Tag("(alpha)")]
    | Annotated[InvertedMatte, Tag("(inverted)")]
    | Annotated[MadeMatte, Tag("(made)")],
    by_kind("A matte", _KINDS),
]
Mattes = Annotated[tuple[Matte, ...], Field(max_length=500)]


def require_order(mattes: tuple[Matte, ...]) -> frozenset[str]:
    """The ids of all mattes. Raises ValueError if two share one, if one is made of another that does not stand before
    it, or of others that are made of others too often."""
    depths: dict[str, int] = {}
    for matte in mattes:
        if matte.id in depths:
            raise ValueError(f"Two mattes have the id {matte.id}")
        for other in matte.others:
            if other not in depths:
                raise ValueError(f"Matte {matte.id} is made of {other}, which does not stand before it")
        depths[matte.id] = 1 + max((depths[other] for other in matte.others), default=0)
        if depths[matte.id] > MOST_DEEP:
            raise ValueError(f"Matte {matte.id} is made of a matte of a matte, more than {MOST_DEEP} times over")
    return frozenset(depths)


def with_sources(matte: Matte, others: Mapping[str, str]) -> Matte:
    """With other sources in place of some, by their names."""
    if isinstance(matte, AlphaMatte):
        return matte.replace(source=others.get(matte.source, matte.source))
    if isinstance(matte, MadeMatte):
        return matte.replace(parts=tuple(_laid(matte.parts, others)))
    return matte


def _laid(parts: tuple[Part, ...], others: Mapping[str, str]) -> Iterator[Part]:
    for part in parts:
        source = getattr(part, "source", None)
        yield part.replace(source=others[source]) if source is not None and source in others else part


def renamed(matte: Matte, names: Mapping[str, str]) -> Matte:
    """With another id, and those of what it is made of: by the old ones."""
    if isinstance(matte, InvertedMatte):
        return matte.replace(id=names[matte.id], of=names[matte.of])
    if isinstance(matte, MadeMatte):
        parts = (p.replace(of=names[p.of]) if isinstance(p, MattePart) else p for p in matte.parts)
        return matte.replace(id=names[matte.id], parts=tuple(parts))
    return matte.replace(id=names[matte.id])


def within(mattes: tuple[Matte, ...], wanted: set[str]) -> tuple[Matte, ...]:
    """Mattes and all that they are made of, in their order."""
    needed = set(wanted)
    for matte in reversed(mattes):
        if matte.id in needed:
            needed.update(matte.others)
    return tuple(matte for matte in mattes if matte.id in needed)
