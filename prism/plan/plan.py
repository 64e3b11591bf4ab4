"""The plan document: what will be rendered, and under which names. Open JSON, versioned; the contract of all that
follows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from types import MappingProxyType
from typing import Annotated, Any, Literal, Self, get_args

from pydantic import Field, field_validator, model_validator

from prism.documents import Document, Value, Word, fingerprint
from prism.errors import BadArgument
from prism.naming.frames import parse_frames
from prism.naming.patterns import parse_pattern
from prism.passes.catalogue import BY_KEY
from prism.plan.fields import flattened, upgraded_settings
from prism.plan.packing import Packing
from prism.scenes.mist import Mist

Side = Annotated[int, Field(ge=1, le=65536)]
Colour = tuple[Annotated[float, Field(ge=0)], Annotated[float, Field(ge=0)], Annotated[float, Field(ge=0)]]
Passes = Annotated[tuple[str, ...], Field(max_length=500)]
Visibility = Literal["visible", "hidden", "shadow-only", "holdout"]
VISIBILITIES: tuple[Visibility, ...] = get_args(Visibility)
Surrounding = Literal["sky", "lamps", "fog"]
SURROUNDINGS: tuple[Surrounding, ...] = ("sky", "lamps", "fog")
Override = Literal["matte-black", "clay", "occlusion"]
OVERRIDE_TITLES: Mapping[Override, str] = MappingProxyType(
    {"matte-black": "matte black", "clay": "plain clay", "occlusion": "occlusion"}
)
LARGEST_FRAME = 9_999_999
MOST_IMAGES = 2_000  # layers through cameras
DEFAULT_NAMES = "render/v{version:03}/{layer}/{camera}/{shot}_{layer}_{camera}_{pass}_v{version:03}.{frame:04}.{suffix}"
"""Below the shot's own folder. A folder for every layer and camera, so that the files of two images never mix."""


class ShotSettings(Value):
    """The one place that holds a shot's range, size, rate, aspect and working colour.

    frames: a list such as 1001-1048 or 0-100x25, both ends included. scale divides both sides; overscan is percent of
    the side, added at each edge. pixel_aspect: width of a pixel by its height."""

    production: Word
    code: Word
    frames: str
    rate: Annotated[float, Field(gt=0, le=1000)] = 24.0
    width: Side = 1920
    height: Side = 1080
    pixel_aspect: Annotated[float, Field(ge=0.1, le=10)] = 1.0
    scale: Literal[1, 2, 4] = 1
    overscan: Annotated[float, Field(ge=0, le=50)] = 0.0
    handles: Annotated[int, Field(ge=0, le=1000)] = 0  # frames written before the first and after the last
    warm_up: Annotated[int, Field(ge=0, le=1000)] = 0  # frames rendered before the first, never written
    space: Literal["lin_rec709", "acescg", "aces2065_1"] = "lin_rec709"

    @field_validator("frames")
    @classmethod
    def _frames_are_a_list(cls, frames: str) -> str:
        try:
            listed = parse_frames(frames)
        except BadArgument as error:
            raise ValueError(f"{error.what} {error.advice}") from error
        if max(map(abs, listed)) > LARGEST_FRAME:
            raise ValueError(f"frame numbers go up to {LARGEST_FRAME}")
        return frames.strip()

    @property
    def written_frames(self) -> tuple[int, ...]:
        """All frames that will be written, ascending, handles included."""
        return _written_frames(self.frames, self.handles)

    @property
    def warm_up_frames(self) -> tuple[int, ...]:
        """Frames rendered before all others and thrown away, ascending."""
        first = self.written_frames[0]
        return tuple(range(first - self.warm_up, first))

    @property
    def scaled_size(self) -> tuple[int, int]:
        """Width and height of the picture in pixels, without overscan."""
        return max(1, self.width // self.scale), max(1, self.height // self.scale)

    @property
    def written_size(self) -> tuple[int, int]:
        """Width and height of the files: scaled, then widened by the overscan on both sides."""
        width, height = (side + 2 * round(side * self.overscan / 100) for side in self.scaled_size)
        return width, height


@lru_cache(maxsize=64)
def _written_frames(frames: str, handles: int) -> tuple[int, ...]:
    chosen = set(parse_frames(frames))
    first, last = min(chosen), max(chosen)
    chosen.update(range(first - handles, first), range(last + 1, last + handles + 1))
    return tuple(sorted(chosen))


class LightGroups(Value):
    """Which labels are rendered: all, all but these, or only these."""

    mode: Literal["all", "all-but", "only"] = "all"
    labels: tuple[Word, ...] = ()

    def chosen(self, labels: tuple[str, ...]) -> tuple[str, ...]:
        """The labels of a scene that will be rendered."""
        if self.mode == "all":
            return labels
        return tuple(label for label in labels if (label in self.labels) == (self.mode == "only"))


class Layer(Value):
    """One image of the scene. Object groups that are not named are visible.

    kept_out: the sky, the shapes of lamps and the fog are not seen in this layer; they still light it, and lamps and
    fog hold it out, so that it adds to a layer that shows them. override: a material for everything. passes None: those
    of the plan. for_camera: those of single cameras instead.
    """

    name: Word
    visibility: dict[str, Visibility] = {}
    kept_out: Annotated[tuple[Surrounding, ...], Field(max_length=3)] = ()
    override: Override | None = None
    passes: Passes | None = None
    for_camera: dict[Word, Passes] = {}

    def shown(self, groups: tuple[str, ...]) -> tuple[str, ...]:
        """The groups that are seen."""
        return tuple(group for group in groups if self.visibility.get(group, "visible") == "visible")

    def casting(self, groups: tuple[str, ...]) -> tuple[str, ...]:
        """The groups that throw shadows and close off corners, seen or not."""
        return tuple(group for group in groups if self.visibility.get(group) != "hidden")


class Quality(Value):
    """samples: of each pixel.

    sampling uniform: every pixel takes all of them; adaptive: a pixel ends early once its noise is below the threshold
    (standard error of the pixel relative to its brightness). time_limit: seconds a frame, 0 for none. indirect_limit:
    the most radiance one sample of indirect light may carry, 0 for no limit; it takes stray bright dots away, and light
    with them. prepared_every: indirect diffuse light is gathered on every n-th frame and blended between, 0 for every
    frame by itself.
    """

    samples: Annotated[int, Field(ge=1, le=65536)] = 16
    sampling: Literal["uniform", "adaptive"] = "uniform"
    noise_threshold: Annotated[float, Field(gt=0, le=1)] = 0.02
    time_limit: Annotated[float, Field(ge=0, le=1_000_000)] = 0.0
    denoise: bool = False
    light_samples: Annotated[int, Field(ge=1, le=64)] = 1
    material_samples: Annotated[int, Field(ge=1, le=64)] = 1
    indirect_limit: Annotated[float, Field(ge=0, le=65504)] = 0.0
    prepared_every: Annotated[int, Field(ge=0, le=10_000)] = 0


class Deep(Value):
    """Samples kept for each pixel, and the distance in scene units below which two of them merge."""

    most_samples: Annotated[int, Field(ge=1, le=1000)] = 32
    merge_distance: Annotated[float, Field(ge=0)] = 0.01


class Overlay(Value):
    """Lines of the wire pass: width in pixels, linear colour, divisions of a round surface."""

    width: Annotated[float, Field(gt=0, le=32)] = 1.0
    colour: Colour = (1.0, 1.0, 1.0)
    hidden_lines: bool = False
    divisions: Annotated[int, Field(ge=3, le=256)] = 24


class Cryptomatte(Value):
    """Levels are objects told apart in one pixel; every two make a layer of four channels."""

    levels: Annotated[int, Field(ge=1, le=16)] = 6


class AppliedPreset(Value):
    """Which preset was applied, and what it set at that time: dotted field names to values."""

    name: str
    settings: dict[str, Any]

    @field_validator("settings", mode="before")
    @classmethod
    def _by_leaves(cls, settings: Any) -> Any:
        return upgraded_settings(flattened(settings)) if isinstance(settings, dict) else settings


@dataclass(frozen=True, slots=True)
class PlannedImage:
    """One layer through one camera, or through several that are judged together.

    shared: whether the layer has the same passes through every camera.
    """

    layer: Layer
    camera: str
    passes: tuple[str, ...]  # keys of the catalogue, each once
    shared: bool
    cameras: tuple[str, ...]

    @property
    def where(self) -> str:
        """The layer, and the camera if layers differ by camera; for findings."""
        return f"layer {self.layer.name}" if self.shared else f"layer {self.layer.name}, camera {self.camera}"


class Plan(Document):
    """Everything that decides which files will exist."""

    format: Literal["eager-prism.plan"] = "eager-prism.plan"
    version: Literal[3] = 3  # of this schema
    number: Annotated[int, Field(ge=1, le=9999)] = 1  # of the render, as {version} in names
    shot: ShotSettings
    layers: Annotated[tuple[Layer, ...], Field(min_length=1, max_length=200)] = (Layer(name="all"),)
    cameras: Annotated[tuple[Word, ...], Field(max_length=50)] = ()
    passes: Passes = ("beauty",)
    light_groups: LightGroups = LightGroups()
    light_labels: dict[str, Word | Literal[""]] = {}  # light to label, where it is not the scene's; "" takes it away
    quality: Quality = Quality()
    deep: Deep = Deep()
    mist: Mist | None = None  # None: as the scene has it
    overlay: Overlay = Overlay()
    cryptomatte: Cryptomatte = Cryptomatte()
    packing: Packing = Packing()
    applied: AppliedPreset | None = None
    names: Annotated[str, Field(max_length=1000)] = DEFAULT_NAMES

    @model_validator(mode="before")
    @classmethod
    def _upgraded(cls, data: Any) -> Any:
        if not isinstance(data, dict):
            return data
        if data.get("version") == 1:
            data = _from_version_1(data)
        return _from_version_2(data) if data.get("version") == 2 else data

    @field_validator("names")
    @classmethod
    def _names_are_a_pattern(cls, names: str) -> str:
        try:
            parse_pattern(names)
        except BadArgument as error:
            raise ValueError(f"{error.what} {error.advice}") from error
        return names

    @field_validator("passes")
    @classmethod
    def _passes_are_known(cls, passes: tuple[str, ...]) -> tuple[str, ...]:
        return _known(passes)

    @model_validator(mode="after")
    def _no_name_twice(self) -> Self:
        for layer in self.layers:
            for passes in (layer.passes or (), *layer.for_camera.values()):
                _known(passes)
        for what, found in (("layer", [layer.name for layer in self.layers]), ("camera", list(self.cameras))):
            doubled = {name for name in found if found.count(name) > 1}
            if doubled:
                raise ValueError(f"two {what}s are called {', '.join(sorted(doubled))}")
        images = len(self.layers) * len(self.cameras)
        if images > MOST_IMAGES:
            raise ValueError(f"{images} layers through cameras are planned; {MOST_IMAGES} are the most")
        return self

    def passes_of(self, layer: Layer, camera: str = "") -> tuple[str, ...]:
        """Keys of the catalogue, each once, in the order chosen."""
        of_layer = self.passes if layer.passes is None else layer.passes
        return tuple(dict.fromkeys(layer.for_camera.get(camera, of_layer)))

    def images(self) -> Iterator[PlannedImage]:
        """Every layer through every camera."""
        for layer in self.layers:
            yield from self._images_of(layer)

    def _images_of(self, layer: Layer) -> list[PlannedImage]:
        by_camera = {camera: self.passes_of(layer, camera) for camera in self.cameras}
        shared = len(set(by_camera.values())) <= 1
        return [PlannedImage(layer, camera, passes, shared, (camera,)) for camera, passes in by_camera.items()]

    def image(self, layer: str, camera: str) -> PlannedImage:
        """The image of a layer through a camera. Raises BadArgument if it is not planned."""
        for image in self.images():
            if (image.layer.name, image.camera) == (layer, camera):
                return image
        raise BadArgument(f"The plan has no layer {layer} through camera {camera}.", where="plan")

    def variants(self) -> Iterator[PlannedImage]:
        """The same, but a layer that has the same passes through every camera only once, and even without a camera."""
        for layer in self.layers:
            images = self._images_of(layer)
            if images and images[0].shared:
                yield replace(images[0], cameras=self.cameras)
            else:
                yield from images or [PlannedImage(layer, "", self.passes_of(layer), True, ())]

    @property
    def fingerprint(self) -> str:
        """The fingerprint of all that decides what the files hold; the note of the applied preset does not."""
        return fingerprint(self.as_json() | {"applied": None})


def _known(passes: tuple[str, ...]) -> tuple[str, ...]:
    unknown = [key for key in passes if key not in BY_KEY]
    if unknown:
        raise ValueError(f"unknown pass {', '.join(unknown)}; the catalogue has {', '.join(BY_KEY)}")
    return passes


def _from_version_1(data: dict[str, Any]) -> dict[str, Any]:
    """Version 1 had a first and last frame instead of a list, and one compression for all files."""
    shot = dict(data.get("shot") or {})
    if "first" in shot and "last" in shot:
        shot["frames"] = f"{shot.pop('first')}-{shot.pop('last')}"
    packing = dict(data.get("packing") or {})
    compression = packing.pop("compression", None)
    if compression:
        packing["colour"] = {"format": "exr", "pixel": "half", "compression": compression}
        packing["data"] = {"format": "exr", "pixel": "float", "compression": compression}
    return data | {"version": 2, "shot": shot, "packing": packing}


def _from_version_2(data: dict[str, Any]) -> dict[str, Any]:
    """Version 2 counted samples by the side of a square, and always cut indirect light at a radiance of 4."""
    quality = dict(data.get("quality") or {})
    if "samples_per_side" in quality:
        quality["samples"] = quality.pop("samples_per_side") ** 2
    quality.setdefault("indirect_limit", 4.0)
    return data | {"version": 3, "quality": quality}
