"""What is found wrong, in one form: with a plan, with files on disk, with values, with what a ledger sums to."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import asdict, dataclass, field
from typing import Any

from prism.naming.frames import format_frames

ERROR, WARNING, NOTE = "error", "warning", "note"
SEVERITIES = (ERROR, WARNING, NOTE)  # the worst first


@dataclass(frozen=True, slots=True)
class Finding:
    """One fault, with all frames that have it.

    code: which fault. severity: one of SEVERITIES. what: a sentence. where: in words, as a layer, a setting or a file.
    advice: what to do about it, or why it matters. repair: what mends it at once, in terms of what was judged: fields
    of a plan by dotted name, settings of a pass, an edit of a ledger; empty if only a person can decide. key: of the
    pass or row it is about; empty if of none. files: those concerned. frames: those that have it, ascending; empty for
    stills and for what concerns no frame. place: a pixel to look at, from the picture's corner. share: of what is
    wrong, how much it explains, 0..1, where that is known.
    """

    code: str
    severity: str
    what: str
    where: str = ""
    advice: str = ""
    repair: dict[str, Any] = field(default_factory=dict)
    key: str = ""
    files: tuple[str, ...] = ()
    frames: tuple[int, ...] = ()
    place: tuple[int, int] | None = None
    share: float = 0.0

    def as_json(self) -> dict[str, Any]:
        """All fields; frames as a list of numbers, and in words."""
        lists = {"files": list(self.files), "frames": list(self.frames), "frames_text": self.frames_text}
        return asdict(self) | lists

    @property
    def frames_text(self) -> str:
        """Its frames as runs, as in `1001-1003,1010`; empty where the sentence has them already."""
        runs = format_frames(self.frames)
        said = re.search(rf"(: |in |at |frame ){re.escape(runs)}(?![-,\d])", self.what) if runs else None
        return "" if said else runs

    @property
    def mark(self) -> str:
        """The same for the same fault of the same pass, whatever frames have it: by this it is accepted."""
        return f"{self.code} {self.key}"


def by_severity(findings: Iterable[Finding]) -> list[Finding]:
    """The worst first, else in their order."""
    return sorted(findings, key=lambda finding: SEVERITIES.index(finding.severity))
