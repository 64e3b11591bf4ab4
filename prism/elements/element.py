"""The documents of what was found: an element is one image of one layer through one camera, pass by pass, over its
frames."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path
from typing import Annotated, Literal

from pydantic import AliasChoices, Field

from prism.colour.spaces import Primaries
from prism.documents import Document, Value, fingerprint
from prism.elements.disk import Sequence, file_name
from prism.errors import BadArgument
from prism.naming.frames import format_frames, parse_frames
from prism.passes.catalogue import BY_KEY
from prism.passes.kinds import PassKind
from prism.text import from_storable, storable

AlphaState = Literal["premultiplied", "straight", "none"]
Text = Annotated[str, Field(max_length=500)]


class Files(Value):
    """The files of a sequence, or a still that is shown on every frame. Names are kept as `prism.text.storable` has
    them."""

    folder: str
    head: Text
    padding: int
    suffix: Text
    frames: str = ""  # ranges; empty for a still, and where no file is left

    @classmethod
    def of(cls, sequence: Sequence) -> Files:
        """The sequence of what was found on disk."""
        frames = "" if sequence.is_still else format_frames(sequence.frames)
        return cls(
            folder=storable(str(sequence.folder)),
            head=storable(sequence.head),
            padding=sequence.padding,
            suffix=storable(sequence.suffix),
            frames=frames,
        )

    @property
    def is_still(self) -> bool:
        """Whether one file stands for every frame."""
        return not self.padding

    @cached_property
    def numbers(self) -> tuple[int, ...]:
        """Frames, ascending; empty for a still."""
        return tuple(parse_frames(self.frames, most=None)) if self.frames else ()

    def has(self, frame: int) -> bool:
        """Whether it is one of its frames."""
        return frame in self._numbered

    @cached_property
    def _numbered(self) -> frozenset[int]:
        return frozenset(self.numbers)

    @property
    def pattern(self) -> str:
        """The name, with # for every digit of the frame."""
        return f"{from_storable(self.head)}{'#' * self.padding}{from_storable(self.suffix)}"

    def path(self, frame: int) -> Path:
        """The file that shows a frame, whether it is there or not."""
        folder, head, padding, suffix = self.sequence
        return folder / file_name(head, padding, suffix, None if self.is_still else frame)

    @cached_property
    def sequence(self) -> tuple[Path, str, int, str]:
        """What tells it from other sequences: folder, head, padding, suffix."""
        return Path(from_storable(self.folder)), from_storable(self.head), self.padding, from_storable(self.suffix)


class ElementPass(Value):
    """One pass: where it lies, and how it is to be read.

    key: its name in a ledger. kind: of the catalogue; None if it is not known. alpha: the channel; state: of the colour
    towards it. curve: of the stored values. primaries: of which its light is mixed. fit: what becomes of another size
    than the element's. excluded: why it takes no part in sums, empty if it does.
    """

    key: Text
    title: Text
    kind: str | None = None
    files: Files
    part: int = 0
    channels: tuple[str, ...]
    alpha: str | None = None
    state: AlphaState = "none"
    curve: Literal["linear", "srgb"] = "linear"
    primaries: Primaries = "header"
    fit: Literal["place", "scale"] = "place"
    deep: bool = False
    denoised: bool = False
    certainty: float = 1.0
    reason: str = ""
    others: tuple[str, ...] = ()
    excluded: str = Field("", validation_alias=AliasChoices("excluded", "aside"))  # as documents of before have it
    layer: Text = ""  # its name in the file

    @property
    def pass_kind(self) -> PassKind | None:
        """From the catalogue."""
        return BY_KEY.get(self.kind) if self.kind else None


class Element(Document):
    """One image through one camera on one layer. planned: its files follow a plan, so that nothing of it was
    guessed."""

    format: Literal["eager-prism.element"] = "eager-prism.element"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=120)]
    layer: Text = ""
    camera: Text = ""
    number: int | None = None  # of the version, if the names tell one
    planned: bool = False
    passes: tuple[ElementPass, ...]

    @cached_property
    def frames(self) -> tuple[int, ...]:
        """Frames for which at least one file is there, ascending; empty if all are stills."""
        return tuple(sorted({frame for pass_ in self.passes for frame in pass_.files.numbers}))

    def find(self, key: str) -> ElementPass:
        """Raises BadArgument naming the passes."""
        for pass_ in self.passes:
            if pass_.key == key:
                return pass_
        raise BadArgument(
            f"There is no pass {key}.", advice=f"This element has {', '.join(p.key for p in self.passes)}."
        )

    @cached_property
    def sequences(self) -> tuple[Files, ...]:
        """The sequences of its passes, each once."""
        return tuple(
            {(f.folder, f.head, f.padding, f.suffix, f.frames): f for f in (p.files for p in self.passes)}.values()
        )

    @cached_property
    def reading(self) -> str:
        """Changes with how passes are read, not with which frames there are, nor with choices that a later version of
        the application adds."""
        passes = [
            pass_.model_dump(mode="json", exclude={"files": {"frames"}}, exclude_defaults=True) for pass_ in self.passes
        ]
        return fingerprint(passes)

    def files_at(self, frame: int) -> list[Path]:
        """The files of a frame, each once."""
        there = (files for files in self.sequences if files.is_still or files.has(frame))
        return sorted({files.path(frame) for files in there})
