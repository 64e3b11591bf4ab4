"""A pass as it was read."""

from __future__ import annotations

from typing import Annotated, Literal

from prism.documents import SourceName
from prism.fields import Shown
from prism.ledger.kinds.base import LedgerRow
from prism.ledger.steps import Step, Stored


class PassRow(LedgerRow):
    """A pass as it was read. uses_alpha: whether its alpha counts; without one it is light, or a factor."""

    kind: Literal["pass"] = "pass"
    source: SourceName
    uses_alpha: Annotated[bool, Shown(title="its alpha counts", needs_alpha=True)] = True

    def content(self, inner: tuple[Step, ...]) -> Stored:
        """The pass."""
        return Stored(source=self.source, uses_alpha=self.uses_alpha)
