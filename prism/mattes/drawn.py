"""Parts of mattes that are drawn: strokes and shapes, by the distance of each pixel's middle from their outline;
polygons with hard edges by the share of each pixel that they cover.

An edge is never harder than one pixel of the plane it is drawn on, so that it is antialiased at every size.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.limits import current
from prism.mattes.parts import ShapePart, Stroke, StrokesPart

BAND_ROWS = 16
BETWEEN = 16  # straight pieces that a smooth curve has from corner to corner
LINES = 16  # scan lines in every row of pixels of an outline with hard edges


def strokes(part: StrokesPart, shape: tuple[int, int], origin: tuple[float, float], step: int) -> NDArray[np.float32]:
    """(H, W). origin: x and y of the plane's upper left corner in the picture. step: pixels of the picture for one of
    the plane."""
    out = np.zeros(shape, np.float32)
    for stroke in part.strokes:
        current().require()
        moved = (np.array(stroke.points) + np.array([part.x - origin[0], part.y - origin[1]])) / step
        _lay(out, stroke, moved, stroke.size / 2 / step)
    return out


def _lay(out: NDArray[np.float32], stroke: Stroke, points: NDArray[np.float64], radius: float) -> None:
    """One stroke over the others; where it crosses itself it is no stronger."""
    reach = radius + 1
    (left, top), (right, bottom) = points.min(axis=0) - reach, points.max(axis=0) + reach
    rows = slice(max(0, math.floor(top)), min(out.shape[0], math.ceil(bottom)))
    columns = slice(max(0, math.floor(left)), min(out.shape[1], math.ceil(right)))
    if rows.start >= rows.stop or columns.start >= columns.stop:
        return
    box = out[rows, columns]
    far = np.full(box.shape, np.inf, np.float32)
    lines = points - (columns.start, rows.start)
    if len(lines) == 1:
        lines = np.repeat(lines, 2, axis=0)
    run_bands(lambda a, b: _distance_to_lines(far, lines, reach, a, b), len(far), BAND_ROWS)
    soft = radius * (1 - stroke.hardness)  # inside of the radius
    most = min(1.0, max(0.0, 2 * radius - soft))  # a line thinner than a pixel covers no more of it than it is wide
    laid = (0.5 + (radius - soft / 2 - far) / max(1.0, soft)).clip(0, most) * np.float32(stroke.opacity)
    box[:] = box * (1 - laid) if stroke.erases else box + laid * (1 - box)


@compiled
def _distance_to_lines(out, points, reach, begin, end):
    """Distance of the middles of pixels in rows begin..end from the nearest piece of a line; untouched beyond reach."""
    for piece in range(len(points) - 1):
        ax, ay = points[piece, 0], points[piece, 1]
        dx, dy = points[piece + 1, 0] - ax, points[piece + 1, 1] - ay
        length = dx * dx + dy * dy
        top = max(begin, int(np.floor(min(ay, ay + dy) - reach)))
        bottom = min(end, int(np.ceil(max(ay, ay + dy) + reach)) + 1)
        left = max(0, int(np.floor(min(ax, ax + dx) - reach)))
        right = min(out.shape[1], int(np.ceil(max(ax, ax + dx) + reach)) + 1)
        for row in range(top, bottom):
            for column in range(left, right):
                x, y = column + 0.5 - ax, row + 0.5 - ay
                along = 0.0 if length == 0 else min(1.0, max(0.0, (x * dx + y * dy) / length))
                away = np.hypot(x - along * dx, y - along * dy)
                if away < out[row, column]:
                    out[row, column] = away


def shape(part: ShapePart, size: tuple[int, int], origin: tuple[float, float], step: int) -> NDArray[np.float32]:
    """(H, W); as `strokes`."""
    if part.form in ("polygon", "smooth"):
        return _outlined(part, size, origin, step)
    x = (np.arange(size[1]) + 0.5) * step + origin[0] - part.x
    y = ((np.arange(size[0]) + 0.5) * step + origin[1] - part.y)[:, np.newaxis]
    if part.form == "gradient":
        (ax, ay), (bx, by) = ((corner.x, corner.y) for corner in part.corners)
        length = (bx - ax) ** 2 + (by - ay) ** 2
        way = ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / length if length else (x - ax) + 0 * y
        return way.clip(0, 1).astype(np.float32)
    cosine, sine = math.cos(math.radians(part.turn)), math.sin(math.radians(part.turn))
    across, down = cosine * x + sine * y, cosine * y - sine * x
    away = (_from_ellipse if part.form == "ellipse" else _from_rectangle)(across, down, part.width / 2, part.height / 2)
    most = min(1.0, part.width / step) * min(1.0, part.height / step)  # of a pixel that holds all of it
    return (0.5 - away / max(step, part.soft)).clip(0, max(0.0, most)).astype(np.float32)


def _from_rectangle(x: NDArray, y: NDArray, wide: float, high: float) -> NDArray:
    """Signed distance, below 0 inside."""
    dx, dy = np.abs(x) - wide, np.abs(y) - high
    return np.hypot(np.maximum(dx, 0), np.maximum(dy, 0)) + np.minimum(np.maximum(dx, dy), 0)


def _from_ellipse(x: NDArray, y: NDArray, wide: float, high: float) -> NDArray:
    """Signed distance to first order: the value of x²/a² + y²/b² - 1 by the length of its gradient, exact on the
    outline and for circles nearly so everywhere (Taubin, "Estimation of planar curves", IEEE PAMI 13, 1991)."""
    if wide <= 0 or high <= 0:
        return np.full(np.broadcast_shapes(x.shape, y.shape), np.inf)
    q = np.hypot(x / wide, y / high)
    steep = np.hypot(x / wide**2, y / high**2)
    return np.where(steep > 0, q * (q - 1) / np.where(steep > 0, steep, 1), -min(wide, high))


def _outlined(part: ShapePart, size: tuple[int, int], origin: tuple[float, float], step: int) -> NDArray[np.float32]:
    corners = np.array([[corner.x, corner.y, corner.soft] for corner in part.corners], np.float64)
    outline = corners if part.form == "polygon" else _smooth(corners)
    outline[:, :2] = (outline[:, :2] + (part.x - origin[0], part.y - origin[1])) / step
    outline[:, 2] = np.maximum(1, outline[:, 2] / step)
    out = np.zeros(size, np.float32)
    if outline[:, 2].max() <= 1:
        crossings = np.empty((-(-len(out) // BAND_ROWS), len(outline)))
        run_bands(lambda a, b: _cover(out, outline, crossings[a // BAND_ROWS], a, b), len(out), BAND_ROWS)
    else:
        run_bands(lambda a, b: _fill(out, outline, a, b), len(out), BAND_ROWS)
    return out


def _smooth(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """A closed curve through all corners (uniform Catmull-Rom), as straight pieces."""
    before, here, after, then = (np.roll(corners, shift, axis=0)[:, np.newaxis] for shift in (1, 0, -1, -2))
    t = (np.arange(BETWEEN) / BETWEEN)[np.newaxis, :, np.newaxis]
    curve = 0.5 * (
        2 * here + (after - before) * t + (2 * before - 5 * here + 4 * after - then) * t**2
        + (3 * here - before - 3 * after + then) * t**3
    )  # fmt: skip
    return np.maximum(curve.reshape(-1, 3), (-np.inf, -np.inf, 0))


@compiled
def _cover(out, outline, crossings, begin, end):
    """The share of every pixel that lies inside, by even and odd crossings of LINES lines in each row: exact along a
    line.

    crossings: room for one number a side.
    """
    for row in range(begin, end):
        for line in range(LINES):
            count = _crossed(crossings, outline, row + (line + 0.5) / LINES)
            for pair in range(0, count - 1, 2):
                _add_span(out[row], crossings[pair], crossings[pair + 1])


@compiled
def _crossed(crossings, outline, y):
    """Where the sides cross a line, left to right; answers how many do."""
    found = 0
    sides = len(outline)
    for side in range(sides):
        ax, ay = outline[side, 0], outline[side, 1]
        other = side + 1 if side + 1 < sides else 0
        bx, by = outline[other, 0], outline[other, 1]
        if (ay > y) == (by > y):
            continue
        x = (bx - ax) * (y - ay) / (by - ay) + ax
        at = found
        while at > 0 and crossings[at - 1] > x:
            crossings[at] = crossings[at - 1]
            at -= 1
        crossings[at] = x
        found += 1
    return found


@compiled
def _add_span(pixels, left, right):
    """What a piece of a scan line covers of each pixel of its row."""
    first, last = max(0, int(np.floor(left))), min(pixels.size - 1, int(np.floor(right)))
    for column in range(first, last + 1):
        pixels[column] += max(0.0, min(right, column + 1.0) - max(left, float(column))) / LINES


@compiled
def _fill(out, outline, begin, end):
    """Inside by even and odd crossings; the edge of each side is as wide as its third number says, half of it on either
    hand."""
    count = len(outline)
    for row in range(begin, end):
        y = row + 0.5
        for column in range(out.shape[1]):
            x = column + 0.5
            inside = False
            most, least = 0.0, 1.0
            for side in range(count):
                ax, ay, soft = outline[side, 0], outline[side, 1], outline[side, 2]
                other = side + 1 if side + 1 < count else 0
                bx, by = outline[other, 0], outline[other, 1]
                if (ay > y) != (by > y) and x < (bx - ax) * (y - ay) / (by - ay) + ax:
                    inside = not inside
                dx, dy = bx - ax, by - ay
                length = dx * dx + dy * dy
                along = 0.0 if length == 0 else min(1.0, max(0.0, ((x - ax) * dx + (y - ay) * dy) / length))
                away = np.hypot(x - ax - along * dx, y - ay - along * dy) / soft
                most = max(most, 0.5 - away)
                least = min(least, 0.5 + away)
            out[row, column] = least if inside else most
