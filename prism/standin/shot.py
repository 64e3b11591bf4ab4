"""A plan carried out: one frame of one of its images rendered, cleaned and written."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from prism.passes.catalogue import BY_KEY
from prism.passes.expansion import DENOISED_ROLES, PlannedFiles, planned_passes
from prism.passes.facts import SceneFacts
from prism.passes.kinds import PassKind
from prism.passes.plan import Plan, PlannedImage
from prism.standin.denoise import denoise
from prism.standin.planes import Planes
from prism.standin.render import Order, Quality, Rendered, render, with_labels
from prism.standin.scene import Scene
from prism.standin.write import write_planned


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """What came of a frame. seconds: of the rendering. noise: relative standard error of the beauty."""

    paths: tuple[Path, ...]
    bytes: int
    seconds: float
    noise: float
    samples: float


def order_of(plan: Plan, image: PlannedImage, facts: SceneFacts) -> Order:
    """What a plan asks of one of its images. facts: of the scene, with the plan's light labels."""
    shot, quality = plan.shot, plan.quality
    width, height = shot.scaled_size
    passes: dict[str, PassKind] = {"beauty": BY_KEY["beauty"]}  # what noise is told by, planned or not
    passes |= {one.key: one.kind for one in planned_passes(plan, image, facts)}
    return Order(
        camera=image.camera,
        size=(width, height),
        margin=tuple((whole - side) // 2 for whole, side in zip(shot.written_size, (width, height), strict=True)),
        passes=passes,
        quality=Quality(
            samples=quality.samples,
            light_samples=quality.light_samples,
            material_samples=quality.material_samples,
            noise_threshold=quality.noise_threshold if quality.sampling == "adaptive" else 0.0,
            time_limit=quality.time_limit,
        ),
        visibility=image.layer.visibility,
        override=image.layer.override,
        mist=plan.mist,
        overlay=plan.overlay,
        deep=plan.deep,
        levels=plan.cryptomatte.levels,
    )


def make_frame(
    plan: Plan,
    scene: Scene,
    facts: SceneFacts,
    image: PlannedImage,
    files: Sequence[PlannedFiles],
    frame: int,
    folder: Path,
    *,
    is_stale: Callable[[], bool] = lambda: False,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Made:
    """Render a frame of an image and write its files. files: those of the image that are wanted.

    Raises UnwritableFile, and Superseded if `is_stale` turns true; then nothing is written.
    """
    facts = facts.relabelled(plan.light_labels)
    order = order_of(plan, image, facts)
    rendered = render(with_labels(scene, plan.light_labels), frame, order, is_stale=is_stale, on_progress=on_progress)
    cleaned = _cleaned(rendered, order, is_stale) if plan.quality.denoise else {}
    paths = write_planned(rendered, files, frame, folder, cleaned)
    return Made(
        paths=tuple(paths),
        bytes=sum(path.stat().st_size for path in paths),
        seconds=rendered.seconds,
        noise=rendered.noise,
        samples=rendered.samples,
    )


def _cleaned(rendered: Rendered, order: Order, is_stale: Callable[[], bool]) -> dict[str, Planes]:
    """Denoised light of all passes that have any. Guides that are not rendered are flat: then colour alone parts surfaces."""
    flat = [np.zeros_like(rendered.planes["beauty"][0])] * 3

    def guide(key: str) -> np.ndarray:
        return np.stack(rendered.planes.get(key, flat)[:3])

    layers = {
        key: np.stack(rendered.planes[key][:3]) for key, kind in order.passes.items() if kind.role in DENOISED_ROLES
    }
    clean = denoise(
        layers, beauty=guide("beauty"), variance=guide("variance"), albedo=guide("albedo"), normals=guide("normals"),
        is_stale=is_stale,
    )  # fmt: skip
    return {key: [*planes, *rendered.planes[key][3:]] for key, planes in clean.items()}
