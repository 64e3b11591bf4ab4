"""The plan document: what will be rendered, and under which names. Open JSON, versioned; the contract of all that follows."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import Field, field_validator, model_validator

from prism.documents import Document, Value
from prism.errors import BadArgument
from prism.naming.patterns import parse_pattern
from prism.passes.catalogue import BY_KEY

Word = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]*$", max_length=64)]
Side = Annotated[int, Field(ge=1, le=65536)]
Visibility = Literal["visible", "hidden", "shadow-only", "holdout"]


class ShotSettings(Value):
    """first and last are inclusive. scale divides both sides; overscan is percent of the side, added at each edge."""

    production: Word
    code: Word
    first: Annotated[int, Field(ge=-999_999, le=9_999_999)]
    last: Annotated[int, Field(ge=-999_999, le=9_999_999)]
    rate: Annotated[float, Field(gt=0, le=1000)] = 24.0
    width: Side = 1920
    height: Side = 1080
    scale: Literal[1, 2, 4] = 1
    overscan: Annotated[float, Field(ge=0, le=50)] = 0.0
    handles: Annotated[int, Field(ge=0, le=1000)] = 0  # frames written before first and after last

    @model_validator(mode="after")
    def _last_after_first(self) -> Self:
        if self.last < self.first:
            raise ValueError("the last frame lies before the first")
        return self

    @property
    def frames(self) -> range:
        """All frames that will be written, handles included."""
        return range(self.first - self.handles, self.last + self.handles + 1)

    @property
    def written_size(self) -> tuple[int, int]:
        """Width and height of the files: scaled, then widened by the overscan on both sides."""
        sides = []
        for side in (self.width, self.height):
            scaled = max(1, side // self.scale)
            sides.append(scaled + 2 * round(scaled * self.overscan / 100))
        return sides[0], sides[1]


class LightGroups(Value):
    """Which labels are rendered: all, all but these, or only these."""

    mode: Literal["all", "all-but", "only"] = "all"
    labels: tuple[Word, ...] = ()

    def chosen(self, labels: tuple[str, ...]) -> tuple[str, ...]:
        """Of the labels a scene has, those that will be rendered."""
        if self.mode == "all":
            return labels
        return tuple(label for label in labels if (label in self.labels) == (self.mode == "only"))


class Layer(Value):
    """One image of the scene. Object groups that are not named are visible. passes None: those of the plan."""

    name: Word
    visibility: dict[str, Visibility] = {}
    passes: tuple[str, ...] | None = None

    def shown(self, groups: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(group for group in groups if self.visibility.get(group, "visible") == "visible")


class Quality(Value):
    """Samples are counted by the side of a square: 4 means 16 for each pixel."""

    samples_per_side: Annotated[int, Field(ge=1, le=256)] = 4

    @property
    def samples(self) -> int:
        return self.samples_per_side**2


class Packing(Value):
    """one-file: all passes together. each-pass: a file for each. colour-and-data: two files."""

    rule: Literal["one-file", "each-pass", "colour-and-data"] = "one-file"
    compression: Literal["none", "rle", "zips", "zip", "piz"] = "zip"


PRESET_FIELDS = ("passes", "light_groups", "quality", "packing", "names")


class AppliedPreset(Value):
    """Which preset was applied, and what it set at that time."""

    name: str
    settings: dict[str, Any]


class Plan(Document):
    """Everything that decides which files will exist."""

    format: Literal["eager-prism.plan"] = "eager-prism.plan"
    version: Literal[1] = 1  # of this schema
    number: Annotated[int, Field(ge=1, le=9999)] = 1  # of the render, as {version} in names
    shot: ShotSettings
    layers: Annotated[tuple[Layer, ...], Field(min_length=1, max_length=200)] = (Layer(name="all"),)
    cameras: Annotated[tuple[Word, ...], Field(max_length=50)] = ()
    passes: Annotated[tuple[str, ...], Field(max_length=500)] = ("beauty",)
    light_groups: LightGroups = LightGroups()
    quality: Quality = Quality()
    packing: Packing = Packing()
    applied: AppliedPreset | None = None
    names: str = "{shot}/v{version:03}/{shot}_{layer}_{camera}_{pass}_v{version:03}.{frame:04}.exr"

    @field_validator("passes")
    @classmethod
    def _passes_are_known(cls, passes: tuple[str, ...]) -> tuple[str, ...]:
        return _known(passes)

    @field_validator("names")
    @classmethod
    def _names_are_a_pattern(cls, names: str) -> str:
        try:
            parse_pattern(names)
        except BadArgument as error:
            raise ValueError(f"{error.what} {error.advice}") from error
        return names

    @model_validator(mode="after")
    def _no_name_twice(self) -> Self:
        for layer in self.layers:
            _known(layer.passes or ())
        for what, found in (("layer", [layer.name for layer in self.layers]), ("camera", list(self.cameras))):
            doubled = {name for name in found if found.count(name) > 1}
            if doubled:
                raise ValueError(f"two {what}s are called {', '.join(sorted(doubled))}")
        return self

    def passes_of(self, layer: Layer) -> tuple[str, ...]:
        """Keys of the catalogue, each once, in the order chosen."""
        return tuple(dict.fromkeys(self.passes if layer.passes is None else layer.passes))


def _known(passes: tuple[str, ...]) -> tuple[str, ...]:
    unknown = [key for key in passes if key not in BY_KEY]
    if unknown:
        raise ValueError(f"unknown pass {', '.join(unknown)}; the catalogue has {', '.join(BY_KEY)}")
    return passes
