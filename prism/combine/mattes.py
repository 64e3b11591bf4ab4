"""Mattes as they stand in a ledger: each has a name of its own, so that one serves many rows."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Discriminator, Field, Tag

from prism.combine.rows import Comment, Identity, SourceName
from prism.documents import Value


class _Matte(Value):
    id: Identity
    comment: Comment = ""


class AlphaMatte(_Matte):
    """The alpha of a pass."""

    kind: Literal["alpha"] = "alpha"
    source: SourceName


class InvertedMatte(_Matte):
    """1 less another matte, which stands before this one."""

    kind: Literal["inverted"] = "inverted"
    of: Identity


_KINDS = ("alpha", "inverted")


def _kind_of(given: Any) -> str:
    kind = given.get("kind") if isinstance(given, dict) else getattr(given, "kind", None)
    return f"({kind})" if kind in _KINDS else str(kind)


Matte = Annotated[
    Annotated[AlphaMatte, Tag("(alpha)")] | Annotated[InvertedMatte, Tag("(inverted)")],
    Discriminator(
        _kind_of, custom_error_type="kind", custom_error_message=f"A matte has one of the kinds {', '.join(_KINDS)}"
    ),
]
Mattes = Annotated[tuple[Matte, ...], Field(max_length=500)]
