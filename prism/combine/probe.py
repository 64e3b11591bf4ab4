"""One pixel, read from every row: as stored, and as it goes through the sum."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from prism.colour.view import ViewTransform, apply_exactly
from prism.combine.evaluate import apply_rows, start
from prism.combine.ledger import Ledger
from prism.elements.pixels import Frame, Region
from prism.errors import BadArgument
from prism.pixels.window import Window


@dataclass(frozen=True, slots=True)
class Reading:
    """One line of the probe.

    stored: the floats in the file, without alpha. display: 8-bit codes of them through the view, None for data passes.
    """

    key: str
    title: str
    stored: tuple[float, ...]
    alpha: float | None
    display: tuple[int, int, int] | None


def probe(
    ledger: Ledger, sources: Frame, x: int, y: int, transform: ViewTransform
) -> dict[str, list[Reading] | Reading | None]:
    """Read a pixel, counted from the display window's top left. Raises BadArgument outside the picture.

    Answers `rows` (each row's source, untrimmed), `running` (the result after each row), `rebuilt`, and `rendered`
    (None if there is no beauty).
    """
    display = sources.display_window
    place = Window(x + display.x0, y + display.y0, x + display.x0, y + display.y0)
    if place.union(sources.window) != sources.window:
        raise BadArgument(f"There is no pixel {x}, {y} in a picture of {display}.")
    pixel = Region(sources, place)
    running = start(ledger, pixel)
    stored, results = [], []
    for row in ledger.rows:
        stored.append(_of_source(row.source, pixel, transform, name=row.id))
        apply_rows(running, [row], pixel)
        results.append(_of_result(running, row.id, "running", transform))
    return {
        "rows": stored,
        "running": results,
        "rebuilt": _of_result(running, "rebuilt", "rebuilt", transform),
        "rendered": _of_source(ledger.beauty, pixel, transform) if ledger.beauty in sources else None,
    }


def _of_source(key: str, pixel: Region, transform: ViewTransform, *, name: str = "") -> Reading:
    source = pixel.source(key)
    planes = pixel.pixels(key)
    values = tuple(float(plane[0, 0]) for plane in planes.planes[: max(1, min(3, len(source.colour)))])
    alpha = None if planes.alpha is None else float(planes.alpha[0, 0])
    shown = None if source.is_data else _display([float(plane[0, 0]) for plane in planes.planes], transform)
    return Reading(name or key, source.title, values, alpha, shown)


def _of_result(running: np.ndarray, key: str, title: str, transform: ViewTransform) -> Reading:
    rgb = tuple(float(value) for value in running[:3, 0, 0])
    return Reading(key, title, rgb, float(running[3, 0, 0]), _display(rgb, transform))


def _display(rgb, transform: ViewTransform) -> tuple[int, int, int]:
    shown = apply_exactly(np.array(rgb, np.float32).reshape(1, 1, 3), transform)[0, 0]
    return tuple(int(code) for code in np.floor(shown * 255 + 0.5))
