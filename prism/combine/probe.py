"""One pixel, read from every row: as stored, and as it goes through the sum."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from prism.colour.view import ViewTransform, apply_exactly
from prism.combine.evaluate import apply_rows, start
from prism.combine.ledger import Ledger
from prism.combine.sources import FrameSources, Pixels
from prism.errors import BadArgument


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


class _OnePixel:
    """The sources of a frame, cut down to one pixel, for the same evaluator as the whole picture."""

    def __init__(self, sources: FrameSources, x: int, y: int) -> None:
        self._sources, self._rows, self._columns = sources, slice(y, y + 1), slice(x, x + 1)

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        full = self._sources.pixels(key)
        cut = [np.ascontiguousarray(plane[self._rows, self._columns]) for plane in full.planes]
        alpha = None if full.alpha is None else np.ascontiguousarray(full.alpha[self._rows, self._columns])
        return Pixels(tuple(cut), alpha)

    def shape(self, step: int = 1) -> tuple[int, int]:
        return 1, 1

    def source(self, key: str):
        return self._sources.source(key)


def probe(
    ledger: Ledger, sources: FrameSources, x: int, y: int, transform: ViewTransform
) -> dict[str, list[Reading] | Reading | None]:
    """Read a pixel, counted from the display window's top left. Raises BadArgument outside the picture.

    Answers `rows` (each row's source, untrimmed), `running` (the result after each row), `rebuilt`, and `rendered`
    (None if there is no beauty).
    """
    display, window = sources.display_window, sources.window
    column, line = x + display.x0 - window.x0, y + display.y0 - window.y0
    if not (0 <= column < window.width and 0 <= line < window.height):
        raise BadArgument(f"There is no pixel {x}, {y} in a picture of {display}.")
    pixel = _OnePixel(sources, column, line)
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


def _of_source(key: str, pixel: _OnePixel, transform: ViewTransform, *, name: str = "") -> Reading:
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
