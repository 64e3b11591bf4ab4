"""Places on the sheets of the shapes, how they move, and the lines drawn along them, compiled."""

import math

from prism.compiled import compiled
from standin.stage import BOX, DISC, DOME, RING, SPHERE
from standin.vectors import dot, row, sub, vec


@compiled
def turn_share(y, x):
    """The angle around an axis, as a share of the whole turn, 0..1."""
    return math.atan2(y, x) / (2.0 * math.pi) + 0.5


@compiled
def sheet_place(shape, point):
    """u and v, 0..1, of a point in the world on the shape's own sheet.

    u goes around the axis and v up it; on a ring v goes around the tube; a disc and the faces of a box are flat sheets.
    """
    rel = sub(point, vec(shape.centre))
    x = dot(rel, row(shape.frame, 0))
    y = dot(rel, row(shape.frame, 1))
    z = dot(rel, row(shape.frame, 2))
    size = vec(shape.size)
    if shape.kind == SPHERE:
        return turn_share(y, x), math.asin(min(1.0, max(-1.0, z / size[0]))) / math.pi + 0.5
    if shape.kind == DOME:
        return turn_share(y, x), math.asin(min(1.0, max(0.0, z / size[0]))) * 2.0 / math.pi
    if shape.kind == RING:
        return turn_share(y, x), turn_share(z, math.sqrt(x * x + y * y) - size[0])
    if shape.kind == DISC:
        return 0.5 * x / size[0] + 0.5, 0.5 * y / size[0] + 0.5
    if shape.kind == BOX:
        a = abs(x) / size[0]
        b = abs(y) / size[1]
        c = abs(z) / size[2]
        if a >= b and a >= c:
            return 0.5 * y / size[1] + 0.5, 0.5 * z / size[2] + 0.5
        if b >= c:
            return 0.5 * x / size[0] + 0.5, 0.5 * z / size[2] + 0.5
        return 0.5 * x / size[0] + 0.5, 0.5 * y / size[1] + 0.5
    return turn_share(y, x), min(1.0, max(0.0, 0.5 * z / size[1] + 0.5))


@compiled
def moved(shape, point, frames):
    """Where a point of a shape is that many frames later: shapes turn steadily about a vertical line."""
    angle = shape.turn * frames
    x = point[0] - shape.pivot[0]
    y = point[1] - shape.pivot[1]
    c = math.cos(angle)
    s = math.sin(angle)
    return (c * x - s * y + shape.pivot[0], s * x + c * y + shape.pivot[1], point[2])


@compiled
def on_screen(camera, point):
    """Pixel coordinates of a point in the world, x to the right and y down, (0, 0) at the upper left corner."""
    rel = sub(point, row(camera, 0))
    depth = dot(rel, row(camera, 1))
    right = row(camera, 2)
    down = row(camera, 3)
    x = dot(rel, right) / (dot(right, right) * depth)
    y = dot(rel, down) / (dot(down, down) * depth)
    return 0.5 * (x + 1.0) * camera[4, 0], 0.5 * (y + 1.0) * camera[4, 1]


@compiled
def step_between(a, b):
    """The shorter way between two places on a sheet that closes on itself."""
    step = b - a
    return step - math.floor(step + 0.5)


@compiled
def line_share(shape, settings, point, beside, below):
    """1 if a point lies on a line of the sheet's grid, 0 if not.

    beside, below: places one pixel further right and down, from which the grid's steps are told in pixels.
    """
    u, v = sheet_place(shape, point)
    beside_u, beside_v = sheet_place(shape, beside)
    below_u, below_v = sheet_place(shape, below)
    half = 0.5 * settings.wire_width
    u_pixel = math.hypot(step_between(u, beside_u), step_between(u, below_u))
    v_pixel = math.hypot(step_between(v, beside_v), step_between(v, below_v))
    around = u * settings.wire_divisions
    up = v * max(1, settings.wire_divisions // 2)
    near_u = abs(around - math.floor(around + 0.5)) / settings.wire_divisions
    near_v = abs(up - math.floor(up + 0.5)) / max(1, settings.wire_divisions // 2)
    return 1.0 if near_u < half * u_pixel or near_v < half * v_pixel else 0.0
