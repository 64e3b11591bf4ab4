"""A plan carried out: one frame of one of its images rendered, cleaned and written."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from prism.naming.timecode import rate_of, time_code
from prism.passes.catalogue import BY_KEY
from prism.passes.kinds import PassKind
from prism.plan.expansion import PlannedFiles, expand
from prism.plan.plan import Plan, PlannedImage
from prism.scenes.facts import SceneFacts
from standin.clean import GUIDES, cleaned
from standin.preparing import PreparedLight
from standin.render import Order, Quality, load_compiled, render, with_labels
from standin.scene import Scene
from standin.write import write_planned


@dataclass(frozen=True, slots=True, kw_only=True)
class RenderedFrame:
    """What came of a frame. seconds: of rendering, denoising and writing. noise: relative standard error of the beauty,
    None if one sample a pixel tells nothing of it."""

    paths: tuple[Path, ...]
    bytes: int
    seconds: float
    noise: float | None
    samples: float


PREPARED_FOLDER = "prepared"  # below the folder of a plan's files


def order_of(plan: Plan, image: PlannedImage, files: Sequence[PlannedFiles], folder: Path) -> Order:
    """What a plan asks of one of its images, for the files that are wanted of it."""
    shot, quality = plan.shot, plan.quality
    width, height = shot.scaled_size
    passes: dict[str, PassKind] = {pass_.key: pass_.kind for planned in files for pass_ in planned.passes}
    if any(planned.group.denoised for planned in files):
        passes |= {key: BY_KEY[key] for key in GUIDES if key not in passes}
    frames = shot.written_frames
    prepared = PreparedLight(folder / PREPARED_FOLDER, quality.prepared_every, frames[0], frames[-1])
    return Order(
        camera=image.camera,
        size=(width, height),
        margin=((shot.written_size[0] - width) // 2, (shot.written_size[1] - height) // 2),
        pixel_aspect=shot.pixel_aspect,
        space=shot.space,
        passes=passes,
        quality=Quality(
            samples=quality.samples,
            light_samples=quality.light_samples,
            material_samples=quality.material_samples,
            indirect_limit=quality.indirect_limit,
            noise_threshold=quality.noise_threshold if quality.sampling == "adaptive" else 0.0,
            time_limit=quality.time_limit,
        ),
        visibility=image.layer.visibility,
        kept_out=image.layer.kept_out,
        override=image.layer.override,
        prepared=prepared if quality.prepared_every else None,
        mist=plan.mist,
        overlay=plan.overlay,
        deep=plan.deep,
        levels=plan.cryptomatte.levels,
    )


def header_of(plan: Plan, image: PlannedImage, frame: int) -> dict[str, Any]:
    """Header entries of a plan's files: what they belong to, and their place in time."""
    rate = rate_of(plan.shot.rate)
    return {
        "production": plan.shot.production,
        "shot": plan.shot.code,
        "layer": image.layer.name,
        "camera": image.camera,
        "planVersion": plan.number,  # plain "version" is the file format's own
        "planFingerprint": plan.fingerprint,
        "framesPerSecond": rate,
        "timeCode": time_code(frame, plan.shot.rate),
    }


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
) -> RenderedFrame:
    """Render a frame of an image and write its files. files: those of the image that are wanted; none for a warm-up
    frame, which is rendered as the others are and thrown away. facts: of the scene, with its own light labels.

    Raises UnwritableFile, and Superseded if `is_stale` turns true; then nothing is written.
    """
    begun = time.perf_counter()
    wanted = files or [planned for planned in expand(plan, facts) if planned.is_of(image)]
    order = order_of(plan, image, wanted, folder)
    labelled = with_labels(scene, plan.light_labels)
    load_compiled()
    rendered = render(labelled, frame, order, is_stale=is_stale, on_progress=on_progress)
    clean = cleaned(rendered, order, is_stale) if any(planned.group.denoised for planned in files) else {}
    # The scene is told by its own document, whatever the plan calls its lights.
    header = {**rendered.attributes} | header_of(plan, image, frame) | {"sceneFingerprint": facts.fingerprint}
    paths = write_planned(replace(rendered, attributes=header), files, frame, folder, clean)
    return RenderedFrame(
        paths=tuple(paths),
        bytes=sum(path.stat().st_size for path in paths),
        seconds=time.perf_counter() - begun,
        noise=rendered.noise,
        samples=rendered.samples,
    )
