"""Files that follow a plan: what lies in them is known, not guessed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from prism.elements import disk
from prism.elements.identify import DENOISED, Match, from_key
from prism.errors import BadArgument
from prism.formats.headers import Part
from prism.naming.patterns import Value
from prism.passes.kinds import RANKS_PER_LAYER
from prism.plan.expansion import PlannedFiles

AS_PLANNED = "named by the plan"
_TOLD = frozenset({"production", "shot", "layer", "camera", "pass", "suffix"})  # fields that tell sequences apart


@dataclass(frozen=True, slots=True)
class PlannedSequence:
    """A sequence that a plan writes, perhaps in another version."""

    files: PlannedFiles
    version: int | None

    @property
    def title(self) -> str:
        """What its name says of its passes."""
        return self.files.group.title

    @property
    def layer(self) -> str:
        """The layer of the plan."""
        return str(self.files.place["layer"])

    @property
    def camera(self) -> str:
        """The camera of the plan."""
        return str(self.files.place["camera"])

    def match(self, channels: Sequence[str], part: Part) -> Match | None:
        """The pass that those channels of a part are; None if they are not planned."""
        for names, match in self._passes(part):
            if set(channels) <= set(names):
                return match
        return None

    def _passes(self, part: Part):
        group = self.files.group
        lent = part.layer_names()
        for planned in group.passes:
            match = from_key(planned.key)
            if match is None:
                continue
            match = replace(match, reason=AS_PLANNED)
            if group.denoised:
                match = replace(match, key=f"{match.key}_{DENOISED}", title=f"{match.title}, {DENOISED}", denoised=True)
            if "layers" not in group.storage.abilities:
                yield tuple(part.channels), match
                continue
            names = planned.kind.channel_names(planned.key, alone=group.alone, levels=group.levels)
            stored = tuple(lent.get(name, name) for name in names)
            if not planned.kind.ranked:
                yield stored, match
                continue
            width = len(planned.kind.channels)
            for rank in range(-(-group.levels // RANKS_PER_LAYER)):
                ranked = from_key(f"{planned.key}{rank:02}")
                yield stored[rank * width : (rank + 1) * width], replace(ranked or match, reason=AS_PLANNED)


@dataclass(frozen=True, slots=True)
class PlannedImageName:
    """What a path says of its image, whatever its pass."""

    layer: str
    camera: str
    version: int


class PlannedNames:
    """All sequences of a plan, found by their paths, from whichever folder these are given."""

    def __init__(self, files: Sequence[PlannedFiles], labels: Sequence[str] = ()) -> None:
        self._files = list(files)
        self.labels = tuple(labels)
        self._known: Mapping[str, set[str]] = {
            field: {str(planned.values[field]) for planned in files}
            for field in ("production", "shot", "layer", "camera", "pass", "suffix")
        }

    def find(self, sequence: disk.Sequence) -> PlannedSequence | None:
        """The planned sequence whose names these are; None if the plan writes no such files."""
        values = self._values(sequence, self._known)
        if values is None:
            return None
        fitting = [p for p in self._files if all(str(p.values[f]) == str(v) for f, v in values.items() if f in _TOLD)]
        if len(fitting) != 1:
            return None
        version = values.get("version", fitting[0].values["version"])
        return PlannedSequence(fitting[0], int(version))

    def image_of(self, sequence: disk.Sequence) -> PlannedImageName | None:
        """The planned image that a path belongs to whose pass the plan does not name; None if it is of none, or not of
        just one."""
        values = self._values(sequence, {**self._known, "pass": set()})
        if values is None:
            return None
        fixed = _TOLD - {"pass", "suffix"}
        fitting = [
            p.values for p in self._files if all(str(p.values[f]) == str(v) for f, v in values.items() if f in fixed)
        ]
        images = {(str(of["layer"]), str(of["camera"]), int(values.get("version", of["version"]))) for of in fitting}
        return PlannedImageName(*images.pop()) if len(images) == 1 else None

    def _values(self, sequence: disk.Sequence, known: Mapping[str, set[str]]) -> dict[str, Value] | None:
        """What the fields of the names stand for in a path; None if it follows no such names."""
        if not self._files:
            return None
        pattern = self._files[0].pattern
        depth = pattern.text.count("/") + 1
        path = "/".join(sequence.first_path.parts[-depth:])
        try:
            return pattern.parse(path, known)
        except BadArgument:  # nobody can tell which field is which
            return None
