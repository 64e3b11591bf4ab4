"""The stand-in renderer: million samples a second, and what other orders cost beside the beauty alone: many passes, a light
group by itself, and a frame whose bounced light is read from prepared frames."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np

from bench.measure import in_turn
from demo.conservatory import build_scene
from prism.passes.catalogue import BY_KEY
from prism.standin.preparing import PreparedLight
from prism.standin.render import Order, Quality, Rendered, render, standard_passes
from prism.standin.scene import Scene

WIDTH, HEIGHT, SAMPLES = 240, 136, 12
FRAME = 1002
MANY = 256  # samples of the frame that errors are measured against
BEAUTY = {"beauty": BY_KEY["beauty"]}


def run() -> None:
    scene = build_scene()
    group = BY_KEY["light_group"]
    groups = {f"light_{label}": group for label in scene.light_groups}
    orders = {
        "standard": standard_passes(scene),
        "all": {key: kind for key, kind in BY_KEY.items() if key not in ("light_group", "group_components")},
        "groups": groups,
        **{key: {key: group} for key in groups},
    }
    timings = in_turn(
        {"beauty": _frame(scene, BEAUTY)} | {name: _frame(scene, passes) for name, passes in orders.items()}, runs=5
    )
    count = WIDTH * HEIGHT * SAMPLES / 1e6
    print(f"renderer: {count / timings['beauty'].best:.2f} million samples a second for the beauty alone")
    shown = {
        "standard": "components, groups and common data",
        "all": "every pass, deep and wire too",
        "groups": f"all {len(groups)} light groups",
        **{key: f"{key.removeprefix('light_').replace('_', ' ')} by itself" for key in groups},
    }
    for name, what in shown.items():
        print(f"  {what:<38}{timings[name].best / timings['beauty'].best:6.2f} x the beauty alone")
    _prepared(_still(scene))


def _frame(scene: Scene, passes, **settings) -> Callable[[], Rendered]:
    order = Order(size=(WIDTH, HEIGHT), quality=Quality(samples=SAMPLES), passes=passes, **settings)
    return lambda: render(scene, FRAME, order)


def _still(scene: Scene) -> Scene:
    """Nothing moves, so that light may be prepared."""
    return scene.replace(groups=[group.replace(turn=None) for group in scene.groups])


def _prepared(scene: Scene) -> None:
    """Time and squared error of the bounced diffuse light, read from prepared frames and gathered in full."""
    passes = {"beauty": BY_KEY["beauty"], "diffuse_indirect": BY_KEY["diffuse_indirect"]}
    full = Order(size=(WIDTH, HEIGHT), quality=Quality(samples=MANY, seed=9), passes=passes)
    truth = np.stack(render(scene, FRAME, full).planes["diffuse_indirect"])
    with tempfile.TemporaryDirectory() as folder:
        light = PreparedLight(folder=Path(folder), every=8, first=1001, last=1009)
        works = {"full": _frame(scene, passes), "prepared": _frame(scene, passes, prepared=light)}
        timings = in_turn(works, runs=5)
        errors = {
            name: float(((np.stack(work().planes["diffuse_indirect"]) - truth) ** 2).mean())
            for name, work in works.items()
        }
    print(
        f"  prepared light                        {timings['prepared'].best / timings['full'].best:6.2f} x the time in full,"
        f" {errors['prepared'] / errors['full']:.2f} x the squared error of the bounced light"
    )
