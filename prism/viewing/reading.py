"""The probe: one pixel or a box read from every pass of a frame, or from every row of a ledger, at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from prism.colour.view import apply_exactly
from prism.combine.evaluate import apply_steps, evaluate, start
from prism.combine.program import compile_ledger
from prism.errors import BadArgument
from prism.ledger.document import Ledger
from prism.pixels.window import Window
from prism.sources.pixels import Frame, Region, Source
from prism.viewing.picture import Look
from prism.viewing.remap import component_names

MOST_PIXELS = 1 << 20  # of a box


@dataclass(frozen=True, slots=True)
class Line:
    """One pass under the probe. stored: its channels as the frame has them, in their order. codes: of R, G, B through
    what is on screen, at 8, 10 and 16 bits; None for data."""

    key: str
    title: str
    names: tuple[str, ...]
    stored: tuple[float, ...]
    alpha: float | None
    codes: dict[int, tuple[int, int, int]] | None


def probe_passes(frame: Frame, box: Window, look: Look, keys: Sequence[str] | None = None) -> list[Line]:
    """Every pass at a pixel, or its average over a box, counted from the picture's corner. Raises BadArgument outside
    of it."""
    region = region_of(frame, box)
    wanted = [source for source in frame if keys is None or source.key in keys]
    wanted = [source for source in wanted if not _is_deep(source)]
    region.read(source.key for source in wanted)
    return [_line(source, region, look) for source in wanted]


def probe_ledger(ledger: Ledger, frame: Frame, box: Window, look: Look) -> list[Line]:
    """The source of every row as `row/ID`, the sum down to it as `sum/ID`, then `rebuilt` and, if there is one,
    `rendered`.

    Raises BadArgument outside of the picture, UnknownSource.
    """
    region = region_of(frame, box)
    program = compile_ledger(ledger, region.number)
    running = start(program.alpha, region)
    steps = {step.id: step for step in program.steps}
    lines = []
    for row in ledger.walk():
        key = None if row.holds_rows else row.source_taken
        # Not of a row that is off and asks in vain, nor a background of another size.
        if key is not None and key in region:
            lines.append(replace(_line(region.source(key), region, look), key=f"row/{row.id}"))
    for row in ledger.rows:
        if row.id in steps:
            apply_steps(running, (steps[row.id],), region)
        lines.append(_of_result(running, f"sum/{row.id}", f"down to {row.id}", look))
    lines.append(_of_result(running, "rebuilt", "rebuilt", look))
    if all(key in region for key in ledger.rendered.sources):
        lines.append(_of_result(evaluate(ledger.rendered, region).rgba, "rendered", "rendered", look))
    return lines


def _of_result(running: np.ndarray, key: str, title: str, look: Look) -> Line:
    rgb, alpha = tuple(_average(plane) for plane in running[:3]), _average(running[3])
    return Line(key, title, tuple("RGB"), rgb, alpha, codes_of(rgb, look))


def region_of(frame: Frame, box: Window) -> Region:
    """A box counted from the picture's corner."""
    display = frame.display_window
    place = box.moved(display.x0, display.y0)
    if place.intersection(frame.window) != place or place.width * place.height > MOST_PIXELS:
        raise BadArgument(f"That pixel is outside a picture of {display}.", where="probe")
    return Region(frame, place)


def _is_deep(source: Source) -> bool:
    return source.kind is not None and source.kind.key == "deep"


def _line(source: Source, region: Region, look: Look) -> Line:
    pixels = region.pixels(source.key)
    count = max(1, min(3, len(source.colour)))
    values = tuple(_average(plane) for plane in pixels.planes[:count])
    alpha = None if pixels.alpha is None else _average(pixels.alpha)
    codes = None
    if not source.is_data:
        codes = codes_of([_average(plane) for plane in pixels.planes], look)
    return Line(source.key, source.title, component_names(source)[:count], values, alpha, codes)


def _average(plane: np.ndarray) -> float:
    return float(plane.reshape(-1)[0]) if plane.size == 1 else float(plane.mean(dtype=np.float64))


def codes_of_values(values: Sequence[float], gamma: float) -> dict[int, tuple[int, int, int]]:
    """Code values of display values through the viewer's gamma."""
    shown = np.asarray(values, np.float64) ** (1 / gamma)
    found = {}
    for bits in (8, 10, 16):
        red, green, blue = (int(code) for code in np.floor(shown * ((1 << bits) - 1) + 0.5))
        found[bits] = red, green, blue
    return found


def codes_of(rgb: Sequence[float], look: Look) -> dict[int, tuple[int, int, int]]:
    """Code values through exposure, view and gamma: floor(v (2^n - 1) + 1/2)."""
    light = np.array(rgb, np.float32).reshape(1, 1, 3) * np.float32(2.0**look.stops)
    return codes_of_values(apply_exactly(light, look.transform)[0, 0], look.gamma)
