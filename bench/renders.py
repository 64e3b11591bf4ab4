"""The stand-in renderer: million samples a second, and what many passes cost beside the beauty alone."""

from __future__ import annotations

from collections.abc import Callable

from bench.measure import in_turn
from demo.conservatory import build_scene
from prism.passes.catalogue import BY_KEY
from prism.standin.render import Order, Quality, render, standard_passes

WIDTH, HEIGHT, SAMPLES = 240, 136, 4


def run() -> None:
    scene = build_scene()

    def frame(passes) -> Callable[[], object]:
        order = Order(size=(WIDTH, HEIGHT), quality=Quality(samples=SAMPLES), passes=passes)
        return lambda: render(scene, 1001, order)

    timings = in_turn(
        {
            "beauty": frame({"beauty": BY_KEY["beauty"]}),
            "standard": frame(standard_passes(scene)),
            "all": frame({key: kind for key, kind in BY_KEY.items() if key not in ("light_group", "group_components")}),
        },
        runs=5,
    )
    count = WIDTH * HEIGHT * SAMPLES / 1e6
    print(f"renderer: {count / timings['beauty'].best:.2f} million samples a second for the beauty alone")
    for name, what in (("standard", "components, groups and common data"), ("all", "every pass, deep and wire too")):
        print(f"  {what:<38}{timings[name].best / timings['beauty'].best:6.2f} x the beauty alone")
