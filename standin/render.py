"""From a scene to passes: one frame of one layer through one camera."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cache, cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.colour.spaces import CHROMATICITIES
from prism.compiled import one_at_a_time
from prism.deep.samples import Samples, samples_of
from prism.documents import fingerprint
from prism.errors import BadArgument
from prism.passes.catalogue import BY_KEY
from prism.passes.kinds import LIT, PassKind, Role
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.plan.estimate import Measured
from prism.plan.plan import Deep, Overlay
from prism.scenes.mist import Mist
from standin.accumulation import BEAUTY, COMPONENTS, rows_of
from standin.deepening import DEEP_CHANNELS, ITEM_VALUES, RAY_VALUES, item_rows
from standin.paths import Settings
from standin.planes import Band, planes_of
from standin.prepared import Points, Prepared, not_prepared
from standin.preparing import PreparedLight, light_about, prepare
from standin.rays import FAR
from standin.scene import Camera, Scene
from standin.stage import SCENE_SPACE, Stage, build_stage, names_of
from standin.survey import DATA_COUNT, SAMPLES, SLOTS, SQUARE
from standin.tracing import trace_band
from standin.tree import new_walk
from standin.view import camera_axes, camera_table

BAND_ROWS = 8
BAND_VALUES = 1 << 23  # values a band of deep or many-rowed pixels may take, before it gets fewer rows
LIGHT_ROLES = frozenset(LIT)
PLACED = frozenset({"position", "uv", "motion_forward", "motion_backward"})
SURE_BOUNCES = 1  # light groups by themselves are a share of the light, and take a share of the work from the first on
PILOT_ROWS = 24  # one row in so many is rendered to see how many samples a time limit allows
STANDARD = (
    "beauty", *COMPONENTS, "light_group", "surface_colour", "raw_light", "depth", "mist", "occlusion", "normals",
)  # fmt: skip


EMPTY = Scene(
    name="Nothing", first=1, last=1, size=(8, 8), materials={}, groups=[], shapes=[], lights=[],
    cameras=[Camera(name="main", position=(0, -1, 0), target=(0, 0, 0), fov=40)], mist=Mist(near=1, far=2),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Quality:
    """How much work a frame may take, and the light that is left out for it."""

    samples: int = 16  # per pixel, at most
    most_bounces: int = 6
    indirect_limit: float = 0.0  # most radiance of one sample of indirect light; 0: no limit
    light_samples: int = 1
    material_samples: int = 1
    noise_threshold: float = 0.0  # 0: all samples in every pixel
    time_limit: float = 0.0  # seconds; 0: none
    seed: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Order:
    """What is wanted of a frame. size: of the picture in pixels, None for the scene's. margin: pixels added at the left
    and right, and at top and bottom. space: working colour it is rendered in. passes: keys as in files to entries of
    the catalogue. kept_out: sky, lamps or fog, not to be seen. prepared: None for light of its own."""

    camera: str | None = None
    size: tuple[int, int] | None = None
    margin: tuple[int, int] = (0, 0)
    pixel_aspect: float = 1.0
    space: str = SCENE_SPACE
    passes: Mapping[str, PassKind] = field(default_factory=dict)
    quality: Quality = Quality()
    visibility: Mapping[str, str] = field(default_factory=dict)
    kept_out: tuple[str, ...] = ()
    override: str | None = None
    prepared: PreparedLight | None = None
    mist: Mist | None = None
    overlay: Overlay = Overlay()
    deep: Deep = Deep()
    levels: int = 6


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Rendered:
    """A frame: planes of every pass by its key, in the order of its channels, float32 of the written size."""

    planes: Mapping[str, list[NDArray[np.float32]]]
    deep: Samples | None
    margin: tuple[int, int]
    noise: float | None  # standard error of the beauty, relative to its mean; None if one sample a pixel tells nothing
    samples: float  # a pixel took, on average
    seconds: float
    names: tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...]]
    attributes: Mapping[str, Any]


def standard_passes(scene: Scene) -> dict[str, PassKind]:
    """The passes a frame is rendered with when none are named: light by components and groups, and common data."""
    passes: dict[str, PassKind] = {}
    for key in STANDARD:
        if key == "light_group":
            passes |= {f"light_{label}": BY_KEY[key] for label in scene.light_groups}
        else:
            passes[key] = BY_KEY[key]
    return passes


def render(
    scene: Scene,
    frame: int,
    order: Order,
    *,
    is_stale: Callable[[], bool] = lambda: False,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Rendered:
    """Render one frame. The same scene, frame and order give the same bits, unless a time limit cuts in.

    Raises BadArgument if there is no such camera, Superseded if `is_stale` turns true.
    """
    width, height = order.size or scene.size
    if min(width, height) < 1:
        raise BadArgument(f"A picture of {width} x {height} pixels cannot be rendered.")
    begun = time.perf_counter()
    tracing = _Tracing(scene, frame, order, width, height)
    tracing.use_prepared(is_stale)
    if order.quality.time_limit:
        tracing = tracing.with_samples(_affordable(tracing, order.quality))
    planes: dict[str, list[NDArray[np.float32]]] = {}
    sums = np.zeros((tracing.height, 3))
    deep: dict[int, tuple[NDArray[np.int32], NDArray[np.float32]]] = {}
    flat = {key: kind for key, kind in order.passes.items() if "deep" not in kind.all_demands}

    def work(first: int, end: int) -> None:
        band, counts, values = tracing.trace(first, end)
        for key, kind in flat.items():
            made = planes_of(key, kind, band)
            whole = planes.setdefault(key, [np.empty((tracing.height, tracing.width), np.float32) for _ in made])
            for plane, part in zip(whole, made, strict=True):
                plane[first:end] = part
        if tracing.settings.deep_samples:
            deep[first] = counts, values
        sums[first:end] = _noise_sums(band)

    # Planes are made by whichever band comes first; doing one alone keeps two from making them both.
    work(0, min(tracing.band_rows, tracing.height))
    rest = tracing.height - tracing.band_rows
    if rest > 0:
        offset = tracing.band_rows
        run_bands(
            lambda first, end: work(first + offset, end + offset), rest, tracing.band_rows,
            is_stale=is_stale, on_progress=on_progress,
        )  # fmt: skip
    variance, light, taken = sums.sum(axis=0)
    pixels = tracing.width * tracing.height
    return Rendered(
        planes=planes,
        deep=_joined(deep, order.margin) if deep else None,
        margin=order.margin,
        noise=float(np.sqrt(variance / pixels) / max(light / pixels, 1e-9)) if taken > pixels else None,
        samples=float(taken / pixels),
        seconds=time.perf_counter() - begun,
        names=tracing.names,
        attributes=_described(scene, tracing, frame, order),
    )


def render_frame(
    scene: Scene,
    frame: int,
    *,
    camera: str | None = None,
    size: tuple[int, int] | None = None,
    quality: Quality = Quality(),
    is_stale: Callable[[], bool] = lambda: False,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Image:
    """The standard passes of one frame as one image, float32, channels named as in a file that holds them all."""
    passes = standard_passes(scene)
    order = Order(camera=camera, size=size, quality=quality, passes=passes)
    rendered = render(scene, frame, order, is_stale=is_stale, on_progress=on_progress)
    channels = {
        name: plane
        for key, kind in passes.items()
        for name, plane in zip(kind.channel_names(key, alone=False), rendered.planes[key], strict=True)
    }
    return Image.of_planes(channels, **rendered.attributes)


@cache
def load_compiled() -> None:
    """Have the loops compiled, or read from where they are kept, so that the next frame takes only its own time. What
    another process compiles is waited for."""
    with one_at_a_time(__file__):
        render_frame(EMPTY, EMPTY.first, quality=Quality(samples=1))


def measure_frame(scene: Scene, frame: int, *, camera: str, size: tuple[int, int], samples: int) -> Measured:
    """Render a frame for the time it takes."""
    load_compiled()
    begun = time.perf_counter()
    render_frame(scene, frame, camera=camera, size=size, quality=Quality(samples=samples))
    return Measured(time.perf_counter() - begun, *size, samples)


class _Tracing:
    """What stays the same for all bands of a frame."""

    def __init__(self, scene: Scene, frame: int, order: Order, width: int, height: int) -> None:
        self.scene, self.frame, self.order, self.size = scene, frame, order, (width, height)
        self.labels = wanted_labels(scene, order)
        self.names = names_of(scene)
        self.view = scene.camera(order.camera).at(frame)
        self.width, self.height = width + 2 * order.margin[0], height + 2 * order.margin[1]
        self.camera = camera_table(
            self.view, width, height, margin=order.margin, pixel_aspect=order.pixel_aspect
        )  # fmt: skip
        self.settings = settings_of(scene, order, frame, self.labels)
        self.new_prepared: Callable[[], Prepared] = lambda: not_prepared(len(self.labels))
        self.rows = rows_of(len(self.labels), any(kind.role is Role.PART for kind in order.passes.values()))
        values = self.width * (self.rows * 3 + DATA_COUNT + self.settings.deep_samples * DEEP_CHANNELS)
        self.band_rows = max(1, min(BAND_ROWS, BAND_VALUES // values))

    @cached_property
    def stage(self) -> Stage:
        """Made when it is first needed: of prepared frames that are on disk, only the identity is."""
        order = self.order
        return build_stage(
            self.scene, self.frame, visibility=order.visibility, kept_out=order.kept_out, override=order.override,
            space=order.space, groups=self.labels,
        )  # fmt: skip

    def use_prepared(self, is_stale: Callable[[], bool]) -> None:
        """Read bounced light from the prepared frames about this one; what is not on disk yet is prepared now."""
        if self.order.prepared is None:
            return

        def at(key: int) -> _Tracing:
            return self if key == self.frame else _Tracing(self.scene, key, self.order, *self.size)

        def make(key: int) -> Points:
            tracing = at(key)
            return prepare(tracing.stage, tracing.settings, tracing.camera, is_stale)

        self.new_prepared = light_about(self.order.prepared, self.frame, lambda key: at(key).identity(), make)

    def identity(self) -> str:
        """Changes with all that prepared light depends on."""
        order = self.order
        parts = (
            self.scene.fingerprint, self.labels, order.visibility, order.kept_out, order.override, order.space,
            self.camera.tolist(), order.quality.indirect_limit, order.quality.most_bounces,
        )  # fmt: skip
        return fingerprint([*map(_plain, parts)])

    def with_samples(self, samples: int) -> _Tracing:
        self.settings = self.settings._replace(samples=samples)
        return self

    def trace(self, first: int, end: int) -> tuple[Band, NDArray[np.int32], NDArray[np.float32]]:
        """A band of rows; and its deep samples, counts (H, W) and values (N, 6), empty if not wanted."""
        shape = (end - first, self.width)
        accounts = np.zeros((*shape, self.rows, 3))
        table = np.zeros((*shape, DATA_COUNT))
        things, shares = np.full((*shape, 3, SLOTS), -1, np.int32), np.zeros((*shape, 3, SLOTS))
        wanted = self.settings.deep_samples
        rays = np.zeros((self.settings.samples if wanted else 1, RAY_VALUES))
        items = np.zeros((item_rows(self.settings.samples) if wanted else 1, ITEM_VALUES))
        deep = np.zeros((*shape, wanted, DEEP_CHANNELS) if wanted else (1, 1, 1, DEEP_CHANNELS), np.float32)
        counts = np.zeros(shape if wanted else (1, 1), np.int32)
        trace_band(
            self.stage,
            self.settings,
            self.new_prepared(),
            self.camera,
            first,
            end,
            accounts,
            table,
            things,
            shares,
            rays,
            items,
            deep,
            counts,
            new_walk(),
        )
        _, forward, right, down = camera_axes(self.view)
        band = Band(
            accounts=accounts,
            table=table,
            things=things,
            shares=shares,
            labels=self.labels,
            names=self.names,
            to_camera=np.array([right, -down, -forward]),
            line_colour=self.order.overlay.colour,
            levels=self.order.levels,
            openness_is_beauty=self.order.override == "occlusion",
        )
        kept = np.arange(wanted) < counts[..., np.newaxis] if wanted else np.zeros((1, 1, 1), bool)
        return band, counts, deep[kept]


def wanted_labels(scene: Scene, order: Order) -> tuple[str, ...]:
    """The light groups whose lights are followed: those of the passes, if they hold the light of single groups
    alone."""
    kinds = order.passes.values()
    if not order.passes or not all(kind.role in (Role.GROUP, Role.PART) for kind in kinds):
        return scene.light_groups
    return tuple(label for label in scene.light_groups if any(key.endswith(f"light_{label}") for key in order.passes))


def settings_of(scene: Scene, order: Order, frame: int, labels: tuple[str, ...]) -> Settings:
    """What the compiled loops need besides the stage; every frame draws its own random numbers."""
    quality, mist = order.quality, order.mist or scene.mist
    keys = {kind.key for kind in order.passes.values()}
    roles = {kind.role for kind in order.passes.values()}
    return Settings(
        samples=quality.samples,
        groups=len(labels),
        light_samples=quality.light_samples,
        material_samples=quality.material_samples,
        noise_threshold=quality.noise_threshold,
        most_bounces=quality.most_bounces,
        sure_bounces=SURE_BOUNCES if labels == scene.light_groups else 0,
        indirect_limit=quality.indirect_limit or math.inf,
        mist_near=mist.near,
        mist_far=mist.far,
        mist_power=mist.power,
        sky_seen=int("sky" not in order.kept_out),
        surveyed=int(not roles <= LIGHT_ROLES),
        identified=int(Role.IDENTIFY in roles),
        placed=int(bool(keys & PLACED)),
        occlusion_distance=scene.occlusion_distance if "occlusion" in keys or order.override == "occlusion" else 0.0,
        wire_divisions=order.overlay.divisions if "wire" in keys else 0,
        wire_width=order.overlay.width,
        wire_hidden=int(order.overlay.hidden_lines),
        deep_samples=order.deep.most_samples if "deep" in keys else 0,
        deep_distance=order.deep.merge_distance,
        seed=quality.seed + 7919 * frame,
    )


def _affordable(tracing: _Tracing, quality: Quality) -> int:
    """Samples a pixel may take within the time limit, from the time a few rows take with few samples."""
    few = min(4, quality.samples)
    settings, tracing.settings = tracing.settings, tracing.settings._replace(samples=few)
    rows = range(PILOT_ROWS // 2, tracing.height, PILOT_ROWS)
    begun = time.perf_counter()

    def trace_row(first: int, end: int) -> None:
        tracing.trace(rows[first], rows[first] + 1)

    run_bands(trace_row, len(rows), 1)
    taken = time.perf_counter() - begun
    tracing.settings = settings
    if not rows:
        return quality.samples
    each = taken / len(rows) * tracing.height / few
    return int(np.clip((quality.time_limit - taken) / each, 1, quality.samples))


def _noise_sums(band: Band) -> NDArray[np.float64]:
    """By row: sums of the variance and the light of the beauty, and of the samples taken."""
    taken, mean = band.table[..., SAMPLES], band.accounts[..., BEAUTY, :]
    spread = (band.table[..., SQUARE : SQUARE + 3] - mean * mean).clip(0).mean(axis=-1)
    return np.stack([(spread / np.maximum(taken - 1, 1)).sum(1), mean.mean(axis=-1).sum(1), taken.sum(1)], axis=1)


def _joined(bands: Mapping[int, tuple[NDArray[np.int32], NDArray[np.float32]]], margin: tuple[int, int]) -> Samples:
    """What lies beyond the scene is at infinity."""
    ordered = [bands[first] for first in sorted(bands)]
    counts = np.concatenate([counts for counts, _ in ordered])
    values = np.concatenate([values for _, values in ordered])
    values[:, 4:][values[:, 4:] >= FAR] = np.inf
    height, width = counts.shape
    across, down = margin
    made = samples_of(
        counts, dict(zip(("R", "G", "B", "A", "Z", "ZBack"), values.T, strict=True)),
        window=Window(-across, -down, width - across - 1, height - down - 1),
        display_window=Window.of_size(width - 2 * across, height - 2 * down),
    )  # fmt: skip
    return replace(made, tidy=True)


def _described(scene: Scene, tracing: _Tracing, frame: int, order: Order) -> dict[str, Any]:
    """Header entries that say how a frame came about."""
    noted = {"indirectLimit": order.quality.indirect_limit} if order.quality.indirect_limit else {}
    return noted | {
        "scene": scene.name,
        "sceneFingerprint": scene.fingerprint,
        "camera": tracing.view.name,
        "frame": frame,
        "samples": tracing.settings.samples,
        "seed": order.quality.seed,
        "chromaticities": CHROMATICITIES[order.space],
        "pixelAspectRatio": float(order.pixel_aspect),
    }


def _plain(value: Any) -> Any:
    return dict(value) if isinstance(value, Mapping) else value


def with_labels(scene: Scene, labels: Mapping[str, str]) -> Scene:
    """The scene with other labels on some lights; an empty one takes the label away."""
    lights = [
        light.replace(label=labels[light.name] or None) if light.name in labels else light for light in scene.lights
    ]
    return scene.replace(lights=lights) if labels else scene
