"""The stand-in renderer: million samples a second, and what other orders cost beside the beauty alone: many passes, a
light group by itself, and a frame whose bounced light is read from prepared frames."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np

from bench.measure import in_turn
from demo.conservatory import build_scene
from prism.passes.catalogue import BY_KEY
from standin.preparing import PreparedLight
from standin.render import Order, Quality, Rendered, render, standard_passes
from standin.scene import Camera, Group, Light, Material, Mist, Scene, Shape

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
    _prepared(_room())


def _frame(scene: Scene, passes, **settings) -> Callable[[], Rendered]:
    order = Order(size=(WIDTH, HEIGHT), quality=Quality(samples=SAMPLES), passes=passes, **settings)
    return lambda: render(scene, FRAME, order)


def _room() -> Scene:
    """A closed room with one lamp, where most light has bounced and nothing moves: what prepared light is for."""
    walls = (((0, 0, -0.1), (4, 4, 0.1)), ((0, 0, 3.1), (4, 4, 0.1)), ((-3, 0, 1.5), (4, 0.1, 1.6)))
    walls += (((3, 0, 1.5), (4, 0.1, 1.6)), ((0, 3, 1.5), (0.1, 4, 1.6)), ((0, -4, 1.5), (0.1, 4, 1.6)))
    shapes = [
        Shape(name=f"wall_{number}", group="room", material="chalk", kind="box", centre=centre, size=size)
        for number, (centre, size) in enumerate(walls)
    ]
    shapes += [
        Shape(
            name=f"ball_{number}",
            group="room",
            material="clay",
            kind="sphere",
            centre=(number - 2, 1, 0.4),
            size=(0.4, 0, 0),
        )
        for number in range(5)
    ]
    return Scene(
        name="room",
        first=1001,
        last=1009,
        size=(WIDTH, HEIGHT),
        materials={
            "chalk": Material(kind="matte", colour=(0.7, 0.68, 0.62)),
            "clay": Material(kind="matte", colour=(0.6, 0.2, 0.15)),
        },
        groups=[Group(name="room")],
        shapes=shapes,
        lights=[Light(name="lamp", label="lamp", kind="sphere", radiance=(60, 54, 42), centre=(0, 1, 2.6), radius=0.2)],
        cameras=[Camera(name="inside", position=(0, -3, 1.5), target=(0, 1, 1.2), fov=65)],
        mist=Mist(near=1, far=9),
    )


def _prepared(scene: Scene) -> None:
    """Time and squared error of a frame whose bounced light is read from prepared frames, beside all of it traced."""
    full = Order(size=(WIDTH, HEIGHT), quality=Quality(samples=MANY, seed=9), passes=BEAUTY)
    truth = np.stack(render(scene, FRAME, full).planes["beauty"][:3])
    with tempfile.TemporaryDirectory() as folder:
        light = PreparedLight(folder=Path(folder), every=8, first=1001, last=1009)
        works = {"full": _frame(scene, BEAUTY), "prepared": _frame(scene, BEAUTY, prepared=light)}
        timings = in_turn(works, runs=5)
        errors = {
            name: float(np.minimum((np.stack(work().planes["beauty"][:3]) - truth) ** 2, 1).mean())
            for name, work in works.items()
        }
    print(
        f"  prepared light in a closed room       {timings['prepared'].best / timings['full'].best:6.2f} x the "
        "time in full,"
        f" {errors['prepared'] / errors['full']:.2f} x the squared error"
    )
