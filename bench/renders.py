"""The stand-in renderer: million samples a second, and how both cores are used."""

from __future__ import annotations

import numpy as np

from bench.measure import measure
from demo.conservatory import build_scene
from prism.standin.paths import DATA_COUNT, FIRST_GROUP, trace_band
from prism.standin.rays import new_stack
from prism.standin.render import Quality, render_frame, settings_of
from prism.standin.stage import build_stage
from prism.standin.view import camera_table

WIDTH, HEIGHT, SAMPLES = 240, 136, 4


def run() -> None:
    scene = build_scene()
    quality = Quality(samples=SAMPLES)
    stage = build_stage(scene, 1001)
    table = camera_table(scene.camera(), WIDTH, HEIGHT)
    rows = FIRST_GROUP + len(scene.light_groups)
    light = np.zeros((HEIGHT, WIDTH, rows, 3))
    data = np.zeros((HEIGHT, WIDTH, DATA_COUNT))

    def alone() -> None:
        trace_band(stage, settings_of(scene, quality, 1001), table, 0, HEIGHT, light, data, new_stack())

    one = measure(alone, runs=3)
    all_cores = measure(lambda: render_frame(scene, 1001, size=(WIDTH, HEIGHT), quality=quality), runs=3)
    count = WIDTH * HEIGHT * SAMPLES / 1e6
    print(
        f"renderer, all passes: {count / all_cores.best:.2f} million samples a second on all cores, "
        f"{one.best / all_cores.best:.2f} times as fast as one core"
    )
