"""What a plan needs to know of a scene: enough to tell which passes can carry anything."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from prism.passes.catalogue import NEEDS, PassKind

# A gloss is a rough base under a shiny coat. Glass and panes are shiny, and only glass counts as transmission.
MATERIAL_GIVES: Mapping[str, frozenset[str]] = {
    "matte": frozenset({"rough"}),
    "gloss": frozenset({"rough", "shiny"}),
    "metal": frozenset({"shiny"}),
    "glass": frozenset({"shiny", "glass"}),
    "pane": frozenset({"shiny"}),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class SceneFacts:
    """groups: what the materials of each object group give. everywhere: what lights and sky give, seen from any layer."""

    name: str
    groups: Mapping[str, frozenset[str]]
    everywhere: frozenset[str]
    labels: tuple[str, ...]  # light groups, `rest` last if there is one
    cameras: tuple[str, ...]

    @classmethod
    def unknown(cls, cameras: tuple[str, ...]) -> SceneFacts:
        """A scene nothing is known of: it may hold anything, and has the cameras the plan names."""
        return cls(name="", groups={}, everywhere=frozenset(NEEDS), labels=(), cameras=cameras)

    def given(self, groups: Iterable[str]) -> frozenset[str]:
        """All that a layer with these visible object groups can show. Unknown groups give nothing."""
        return self.everywhere.union(*(self.groups.get(group, frozenset()) for group in groups))


def lacking(kind: PassKind, given: Collection[str]) -> str:
    """Why a pass would come out empty, in words; an empty text if it can carry something."""
    missing = [NEEDS[need] for need in kind.needs if need not in given]
    return f"there is no {' and no '.join(word.removeprefix('a ') for word in missing)}" if missing else ""
