"""The demo shots and their plans; `manage.py load_demo` enters them."""

from __future__ import annotations

from dataclasses import dataclass

from demo.conservatory import FIRST, LAST, build_scene
from prism.plan.plan import Layer, Plan, ShotSettings
from prism.plan.presets import SHIPPED, apply


@dataclass(frozen=True)
class DemoShot:
    code: str
    title: str
    camera: str
    frames: str  # rendered for the demo
    few: str  # of them, on a small machine
    layered_next: bool  # whether a second version with layers is planned
    first: bool  # before the others
    deep: bool = False  # whether its pixels are rendered as many samples, too, and a bird flies between them


SAMPLES = 6
SMALL = 2  # cores
# Of indirect light: with so few samples stray dots would sparkle, and the denoiser takes them for highlights.
LIMIT = 1.5

ALL, FEW, PAIR = f"{FIRST}-{LAST}", f"{FIRST}-{FIRST + 7}", f"{FIRST},{FIRST + 24}"
SHOTS = (
    DemoShot("ORR_010", "The conservatory at dusk, wide", "wide", ALL, FEW, False, first=True),
    DemoShot("ORR_020", "The sun at the hub, close", "close", PAIR, PAIR, True, first=False, deep=True),
)


def plan_of(shot: DemoShot) -> Plan:
    """The plan that the demo's frames follow: all passes of the scene in one file for each frame, cleaned beside it."""
    width, height = build_scene().size
    settings = ShotSettings(production="ORR", code=shot.code, frames=f"{FIRST}-{LAST}", width=width, height=height)
    plan = apply(Plan(shot=settings, cameras=(shot.camera,)), "everything", SHIPPED)
    passes = tuple(key for key in plan.passes if key not in ("motion_forward", "crypto_material", "deep"))
    passes += ("deep",) if shot.deep else ()
    return plan.replace(
        passes=passes, quality=plan.quality.replace(samples=SAMPLES, indirect_limit=LIMIT, denoise=True)
    )


def next_plan_of(shot: DemoShot) -> Plan:
    """What is planned next: the orrery and what stands around it as layers that sum to the whole, through both
    cameras."""
    plan = plan_of(shot)
    groups = build_scene().groups
    turning = [group.name for group in groups if group.turn]
    around = [group.name for group in groups if not group.turn and group.name != "stand"]
    layers = (
        Layer(
            name="orrery",
            visibility=dict.fromkeys(around, "holdout"),
            kept_out=("sky", "lamps", "fog"),
            passes=tuple(key for key in plan.passes if key not in ("emission", "volume", "background")),
        ),
        Layer(
            name="room",
            visibility=dict.fromkeys((*turning, "stand"), "holdout"),
            passes=("beauty", "light_group", "depth", "mist", "crypto_object"),
        ),
    )
    return plan.replace(
        number=2,
        layers=layers,
        cameras=("wide", "close"),
        quality=plan.quality.replace(samples=64, denoise=False),
        packing=plan.packing.replace(rule="each-pass"),
    )


def frames_of(shot: DemoShot, cores: int) -> str:
    """The frames that are rendered unasked: on a small machine not so many that it is busy for long."""
    return shot.few if cores <= SMALL else shot.frames
