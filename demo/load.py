"""The demo shots: rendered here, and entered by `manage.py load_demo`."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from demo.conservatory import FIRST, LAST, build_scene
from prism.formats.safe import replacing
from prism.passes.estimate import Measured
from prism.passes.expansion import expand
from prism.passes.plan import Layer, Plan, ShotSettings
from prism.passes.presets import SHIPPED, apply

RENDER_FOLDER = Path("render") / "v001"
LAYERED_NAMES = "render/v{version:03}/{layer}/{camera}/{shot}_{layer}_{camera}_{pass}_v{version:03}.{frame:04}.{suffix}"
NAMES = "render/v{version:03}/{shot}.{frame:04}.{suffix}"


@dataclass(frozen=True)
class DemoShot:
    code: str
    title: str
    camera: str
    frames: tuple[int, ...]  # rendered for the demo
    layered_next: bool  # whether a second version with layers is planned
    at_once: bool  # whether the first of them is there before the page is ready


SHOTS = (
    DemoShot("ORR_010", "The conservatory at dusk, wide", "wide", (1001, 1013, 1025, 1037, 1048), False, at_once=True),
    DemoShot("ORR_020", "The sun at the hub, close", "close", (1001, 1025), True, at_once=False),
)
RANGE = (FIRST, LAST)
SCENE_FILE = "orrery_conservatory.json"


def plan_of(shot: DemoShot) -> Plan:
    """The plan that the demo's frames follow: all passes of the scene in one file for each frame."""
    width, height = build_scene().size
    settings = ShotSettings(production="ORR", code=shot.code, frames=f"{FIRST}-{LAST}", width=width, height=height)
    plan = apply(Plan(shot=settings, cameras=(shot.camera,), names=NAMES), "everything", SHIPPED)
    return plan.replace(quality=plan.quality.replace(samples=16))


def next_plan_of(shot: DemoShot) -> Plan:
    """What is planned next: the orrery and what stands around it as layers of their own, through both cameras."""
    plan = plan_of(shot)
    groups = build_scene().groups
    turning = [group.name for group in groups if group.turn]
    around = [group.name for group in groups if not group.turn and group.name != "stand"]
    layers = (
        Layer(name="orrery", visibility=dict.fromkeys(around, "holdout")),
        Layer(
            name="room",
            visibility=dict.fromkeys((*turning, "stand"), "shadow-only"),
            passes=("beauty", "light_group", "depth", "mist", "crypto_object"),
        ),
    )
    return plan.replace(
        number=2,
        layers=layers,
        cameras=("wide", "close"),
        quality=plan.quality.replace(samples=64),
        packing=plan.packing.replace(rule="each-pass"),
        names=LAYERED_NAMES,
    )


def write_scene(folder: Path) -> Path:
    """Write the scene document that the frames are rendered from."""
    path = folder / SCENE_FILE
    with replacing(path) as temporary:
        temporary.write_text(json.dumps(build_scene().as_json(), indent=1) + "\n", encoding="utf-8")
    return path


def frame_path(shot: DemoShot, folder: Path, frame: int) -> Path:
    return folder / RENDER_FOLDER / f"{shot.code}.{frame:04d}.exr"


def render(
    shot: DemoShot, folder: Path, frame: int, on_progress: Callable[[float], None] = lambda done: None
) -> Measured:
    """Render one frame of a demo shot into its folder, all passes in one file. Returns how long the rendering took."""
    # Imported here: the renderer takes seconds to load, and most starts have nothing to render.
    from prism.standin.facts import facts_of
    from prism.standin.render import load_compiled
    from prism.standin.shot import make_frame

    scene, plan = build_scene(), plan_of(shot)
    facts = facts_of(scene)
    load_compiled(scene)
    files = expand(plan, facts)
    image = next(plan.images())
    made = make_frame(plan, scene, facts, image, files, frame, folder, on_progress=on_progress)
    return Measured(made.seconds, *plan.shot.written_size, plan.quality.samples)
