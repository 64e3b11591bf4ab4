"""From a scene to files: render one frame and write its passes."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from prism.bands import run_bands
from prism.errors import BadArgument
from prism.formats.exr import to_half, write_exr
from prism.naming.patterns import Pattern, parse_pattern
from prism.passes.estimate import Measured
from prism.passes.recognise import recognise
from prism.pixels.channels import group_layers
from prism.pixels.image import Image
from prism.standin import paths
from prism.standin.paths import COMPONENTS, Settings, trace_band
from prism.standin.rays import new_stack
from prism.standin.scene import Camera, Scene
from prism.standin.stage import build_stage
from prism.standin.view import camera_table

BAND_ROWS = 8
FALLOFFS = {"linear": 0, "quadratic": 1, "inverse-quadratic": 2}
REC709_CHROMATICITIES = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)  # ITU-R BT.709-6
ONE_FILE = parse_pattern("{shot}.{frame:04}.exr")


@dataclass(frozen=True, slots=True, kw_only=True)
class Quality:
    samples: int = 16  # per pixel
    most_bounces: int = 6
    indirect_limit: float = 4.0
    seed: int = 1


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
    """Render every pass of one frame.

    Returns float32 planes named as in the file: R G B A, `<component>.R`, `light_<group>.R`, `surface_colour.R`,
    `raw_light.R`, `Z`, `mist.V`, `occlusion.V`, `N.X`. The same scene, frame, size and quality give the same bits.
    Raises BadArgument if there is no such camera, Superseded if `is_stale` turns true.
    """
    width, height = size or scene.size
    if min(width, height) < 1:
        raise BadArgument(f"A picture of {width} x {height} pixels cannot be rendered.")
    view = scene.camera(camera)
    stage = build_stage(scene, frame)
    settings = settings_of(scene, quality, frame)
    table = camera_table(view, width, height)
    rows = paths.FIRST_GROUP + len(scene.light_groups)
    light = np.empty((rows, 3, height, width), np.float32)
    data = np.empty((paths.DATA_COUNT, height, width), np.float32)

    def work(first: int, end: int) -> None:
        booked = np.zeros((end - first, width, rows, 3))
        measured = np.zeros((end - first, width, paths.DATA_COUNT))
        trace_band(stage, settings, table, first, end, booked, measured, new_stack())
        light[:, :, first:end] = booked.transpose(2, 3, 0, 1)
        data[:, first:end] = measured.transpose(2, 0, 1)

    run_bands(work, height, BAND_ROWS, is_stale=is_stale, on_progress=on_progress)
    return Image.of_planes(
        _planes(scene, light, data), chromaticities=REC709_CHROMATICITIES, **_described(scene, view, frame, quality)
    )


def measure_frame(scene: Scene, frame: int, *, camera: str, size: tuple[int, int], samples: int) -> Measured:
    """Render a frame for the time it takes."""
    load_compiled(scene)
    begun = time.perf_counter()
    render_frame(scene, frame, camera=camera, size=size, quality=Quality(samples=samples))
    return Measured(time.perf_counter() - begun, *size, samples)


def load_compiled(scene: Scene) -> None:
    """Have the loops compiled, or read from where they are kept, so that the next frame takes only its own time."""
    render_frame(scene, scene.first, size=(8, 8), quality=Quality(samples=1))


def write_frame(
    image: Image, folder: Path, name: str, frame: int, *, pattern: Pattern = ONE_FILE, camera: str = ""
) -> list[Path]:
    """Write a rendered frame: colour as half, data as float, lossless. Returns the files written.

    pattern: of the paths below `folder`. One with {pass} makes a file for each pass; any other makes one that holds all.
    """
    values = {
        "production": "",
        "layer": "all",
        "shot": name,
        "camera": camera,
        "version": 1,
        "frame": frame,
        "suffix": "exr",
    }
    files: dict[str, dict[str, np.ndarray]] = {}
    for layer in group_layers(image.channels):
        known = recognise(layer.layer or "beauty")
        planes = files.setdefault(pattern.expand(values | {"pass": known.key}), {})
        stored_names = known.kind.channel_names(known.key, alone="pass" in pattern.fields)
        for stored_name, channel in zip(stored_names, layer.names, strict=True):
            plane = image.plane(channel)
            planes[stored_name] = to_half(plane, name=channel) if known.kind.pixel == "half" else plane
    for path, planes in files.items():
        write_exr(folder / path, Image.of_planes(planes, **image.attributes))
    return [folder / path for path in files]


def settings_of(scene: Scene, quality: Quality, frame: int) -> Settings:
    """What the compiled loops need besides the stage; every frame draws its own random numbers."""
    return Settings(
        samples=quality.samples,
        most_bounces=quality.most_bounces,
        indirect_limit=quality.indirect_limit,
        mist_start=scene.mist.start,
        mist_depth=scene.mist.depth,
        mist_falloff=FALLOFFS[scene.mist.falloff],
        occlusion_distance=scene.occlusion_distance,
        seed=quality.seed + 7919 * frame,
    )


def _planes(scene: Scene, light: np.ndarray, data: np.ndarray) -> dict[str, np.ndarray]:
    planes = {"A": data[paths.ALPHA]}

    def colour(layer: str, rgb: np.ndarray) -> None:
        for component, plane in zip("RGB", rgb, strict=True):
            planes[f"{layer}.{component}" if layer else component] = plane

    colour("", light[paths.BEAUTY])
    for index, name in enumerate(COMPONENTS):
        colour(name, light[index])
    for index, group in enumerate(scene.light_groups):
        colour(f"light_{group}", light[paths.FIRST_GROUP + index])
    surface = data[paths.COLOUR : paths.COLOUR + 3]
    lit = light[paths.DIFFUSE] + light[paths.DIFFUSE_INDIRECT]
    colour("surface_colour", surface)
    # Raw light x surface colour = diffuse light; where the surface is black there is nothing to divide out.
    colour("raw_light", np.divide(lit, surface, out=np.zeros_like(lit), where=surface > 0))
    planes["Z"] = data[paths.DEPTH]
    planes["mist.V"] = data[paths.MIST]
    planes["occlusion.V"] = data[paths.OCCLUSION]
    for axis, plane in zip("XYZ", data[paths.NORMAL : paths.NORMAL + 3], strict=True):
        planes[f"N.{axis}"] = plane
    return planes


def _described(scene: Scene, camera: Camera, frame: int, quality: Quality) -> dict[str, str | int]:
    return {
        "scene": scene.name,
        "camera": camera.name,
        "frame": frame,
        "samples": quality.samples,
        "seed": quality.seed,
        "emptyDepth": "1e10",
    }
