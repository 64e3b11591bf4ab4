"""A large plan expanded and checked, against the bare formatting of the same names."""

from __future__ import annotations

from bench.measure import in_turn
from prism.passes.catalogue import CATALOGUE
from prism.plan.checks import check
from prism.plan.expansion import expand
from prism.plan.packing import Packing
from prism.plan.plan import Layer, Plan, ShotSettings
from prism.scenes.facts import CameraFact, GroupFact, LightFact, SceneFacts

LAYERS, CAMERAS, LABELS = 6, ("a", "b", "c"), 18
NAMES = "{shot}/v{version:03}/{layer}/{shot}_{layer}_{camera}_{pass}_v{version:03}.{frame:04}.{suffix}"


def run() -> None:
    gives = frozenset({"rough", "shiny", "glass", "moving"})
    facts = SceneFacts(
        name="large",
        groups={f"group{number}": GroupFact(gives=gives, surfaces=3) for number in range(12)},
        lights=tuple(LightFact(name=f"l{n}", kind="sphere", label=f"label{n}") for n in range(LABELS)),
        cameras={camera: CameraFact() for camera in CAMERAS},
        everywhere=frozenset({"sky", "medium", "subsurface"}),
    )
    plan = Plan(
        shot=ShotSettings(production="P", code="S", frames="1001-2000"),
        layers=tuple(Layer(name=f"layer{number}") for number in range(LAYERS)),
        cameras=CAMERAS,
        passes=tuple(kind.key for kind in CATALOGUE if not kind.total_of),
        packing=Packing(rule="each-pass"),
        names=NAMES,
    )
    files = expand(plan, facts)
    values = [planned.values | {"frame": 1001} for planned in files]
    timings = in_turn(
        {
            "bare": lambda: [NAMES.format_map(value) for value in values],
            "expand": lambda: [planned.example for planned in expand(plan, facts)],
            "check": lambda: check(plan, facts, expand(plan, facts)),
        }
    )
    bare = timings["bare"].median
    passes = len(files) // (LAYERS * len(CAMERAS))
    print(f"plan of {passes} passes x {LAYERS} layers x {len(CAMERAS)} cameras x 1000 frames: {len(files)} sequences")
    for name, what in (("expand", "expanded and named"), ("check", "and checked")):
        timing = timings[name].median
        print(f"  {what:<22}{timing * 1e3:8.1f} ms{timing / bare:8.1f} x the bare formatting of the names")
