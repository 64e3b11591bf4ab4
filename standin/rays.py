"""Rays against shapes, compiled: nearest hit, and how much light gets through to a point."""

import math

from prism.compiled import compiled
from standin.medium import transmittance
from standin.stage import BAND, BOX, CYLINDER, DISC, DOME, GLASS, LAMP, PANE, RIBS, RING, SHADOW_ONLY, SPHERE
from standin.tree import WIDE
from standin.vectors import along, dot, mul, normalize, row, scale, sub, vec

FAR = 1e10  # distance of a ray that meets nothing: finite, and beyond any scene; written as infinity
NUDGE = 1e-5  # metres a new ray starts off its surface
SETTLED = 1e-7  # metres from a ring at which its surface counts as met
MOST_STEPS = 250  # towards a ring; a ray that only just grazes it is given up
RIBS_AROUND = 16
RIBS_UP = 4
MISS = (FAR, (0.0, 0.0, 1.0))


@compiled
def hit_sphere(o, d, radius, near):
    """Distance along a unit ray to a sphere around the origin, beyond `near`; FAR if there is none."""
    b = dot(o, d)
    c = dot(o, o) - radius * radius
    root = b * b - c
    if root < 0.0:
        return FAR
    root = math.sqrt(root)
    t = -b - root
    if t < near:
        t = -b + root
    return t if t >= near else FAR


@compiled
def hit_dome(o, d, radius, near):
    """The upper half of a hollow sphere."""
    b = dot(o, d)
    root = b * b - dot(o, o) + radius * radius
    if root < 0.0:
        return FAR
    root = math.sqrt(root)
    t = -b - root
    if t <= near or o[2] + t * d[2] <= 0.0:
        t = -b + root
    return t if t > near and o[2] + t * d[2] > 0.0 else FAR


@compiled
def hit_cap(o, d, radius, height, near):
    """The disc across a cylinder's axis at a height; FAR if missed."""
    t = (height - o[2]) / d[2]
    x = o[0] + t * d[0]
    y = o[1] + t * d[1]
    return t if t > near and x * x + y * y <= radius * radius else FAR


@compiled
def hit_cylinder(o, d, radius, half, capped, near):
    """Distance to a cylinder along z, z in -half..half, with or without its caps; FAR if there is none."""
    best = FAR
    a = d[0] * d[0] + d[1] * d[1]
    if a > 1e-14:
        b = o[0] * d[0] + o[1] * d[1]
        root = b * b - a * (o[0] * o[0] + o[1] * o[1] - radius * radius)
        if root < 0.0:
            return FAR
        root = math.sqrt(root)
        t = (-b - root) / a
        if t <= near or abs(o[2] + t * d[2]) >= half:
            t = (-b + root) / a
        if t > near and abs(o[2] + t * d[2]) < half:
            best = t
    if capped and abs(d[2]) > 1e-14:
        t = hit_cap(o, d, radius, half, near)
        best = t if t < best else best
        t = hit_cap(o, d, radius, -half, near)
        best = t if t < best else best
    return best


@compiled
def hit_box(o, d, half, near):
    """Distance to a box around the origin with half sides `half`, by slabs (Kay & Kajiya, SIGGRAPH 1986)."""
    inverse = (1.0 / (d[0] + 1e-300), 1.0 / (d[1] + 1e-300), 1.0 / (d[2] + 1e-300))
    reach = (abs(half[0] * inverse[0]), abs(half[1] * inverse[1]), abs(half[2] * inverse[2]))
    middle = (-o[0] * inverse[0], -o[1] * inverse[1], -o[2] * inverse[2])
    enter = max(middle[0] - reach[0], max(middle[1] - reach[1], middle[2] - reach[2]))
    leave = min(middle[0] + reach[0], min(middle[1] + reach[1], middle[2] + reach[2]))
    if enter > leave or leave < near:
        return FAR
    return enter if enter > near else leave


@compiled
def box_normal(p, half):
    """The normal of the face that a point of the surface is nearest to."""
    gap = (half[0] - abs(p[0]), half[1] - abs(p[1]), half[2] - abs(p[2]))
    if gap[0] <= gap[1] and gap[0] <= gap[2]:
        return (math.copysign(1.0, p[0]), 0.0, 0.0)
    if gap[1] <= gap[2]:
        return (0.0, math.copysign(1.0, p[1]), 0.0)
    return (0.0, 0.0, math.copysign(1.0, p[2]))


@compiled
def hit_disc(o, d, radius, near):
    """Distance to a disc in the plane z = 0; FAR if there is none."""
    if abs(d[2]) < 1e-14:
        return FAR
    t = -o[2] / d[2]
    p = along(o, d, t)
    return t if t >= near and p[0] * p[0] + p[1] * p[1] <= radius * radius else FAR


@compiled
def flat_square(o, d, t):
    """Squared distance from the z axis of a point along a ray."""
    x = o[0] + t * d[0]
    y = o[1] + t * d[1]
    return x * x + y * y


@compiled
def ring_gap(p, radius, thick):
    """Signed distance from a torus, and the direction in which it grows."""
    flat = math.sqrt(p[0] * p[0] + p[1] * p[1])
    across = flat - radius
    length = math.sqrt(across * across + p[2] * p[2])
    return length - thick, (p[0] / flat * across / length, p[1] / flat * across / length, p[2] / length)


@compiled
def ring_crossing(o, d, radius, thick, outside, inside):
    """Where the ray enters between a place outside and one inside, by halving."""
    while inside - outside > SETTLED:
        middle = 0.5 * (outside + inside)
        if ring_gap(along(o, d, middle), radius, thick)[0] > 0.0:
            outside = middle
        else:
            inside = middle
    return inside


@compiled
def hit_ring(o, d, radius, thick, near):
    """A torus: march by the exact distance inside its slab, with Newton steps once the surface is close ahead.

    Marching avoids the cancellation that closed formulas for the quartic suffer from with thin rings; Newton's steps
    are longer, and the way to a surface approached at a slant is long.
    Source: Hart, "Sphere Tracing", The Visual Computer 12, 1996.
    """
    outer = radius + thick
    inverse = (1.0 / (d[0] + 1e-300), 1.0 / (d[1] + 1e-300), 1.0 / (d[2] + 1e-300))
    reach = (abs(outer * inverse[0]), abs(outer * inverse[1]), abs(thick * inverse[2]))
    middle = (-o[0] * inverse[0], -o[1] * inverse[1], -o[2] * inverse[2])
    t = max(near, max(middle[0] - reach[0], max(middle[1] - reach[1], middle[2] - reach[2])))
    leave = min(middle[0] + reach[0], min(middle[1] + reach[1], middle[2] + reach[2]))
    inner = radius - thick
    if t > leave or (flat_square(o, d, t) < inner * inner and flat_square(o, d, leave) < inner * inner):
        return FAR  # the distance from the axis is convex along a ray: it stays within the hole
    leave += SETTLED
    outside = -1.0  # last place known to be outside
    for _ in range(MOST_STEPS):
        if t > leave:
            return FAR
        gap, normal = ring_gap(along(o, d, t), radius, thick)
        if abs(gap) < SETTLED:
            return t
        if gap < 0.0 and outside >= 0.0:  # stepped over the surface: it lies between
            return ring_crossing(o, d, radius, thick, outside, t)
        slope = dot(normal, d)
        if gap > 0.0:
            outside = t
        if 0.0 < gap < 0.5 * thick and slope < -0.05:
            t -= gap / slope
        else:
            t += abs(gap)
    return FAR


@compiled
def own_axes(shape, rel):
    """A vector of the world along the shape's own axes."""
    frame = shape.frame
    return (
        rel[0] * frame[0, 0] + rel[1] * frame[0, 1] + rel[2] * frame[0, 2],
        rel[0] * frame[1, 0] + rel[1] * frame[1, 1] + rel[2] * frame[1, 2],
        rel[0] * frame[2, 0] + rel[1] * frame[2, 1] + rel[2] * frame[2, 2],
    )


@compiled
def hit_distance(shape, origin, direction, near):
    """Distance along the ray, FAR if missed. Spheres need not be turned to their own axes."""
    rel = sub(origin, vec(shape.centre))
    kind = shape.kind
    if kind == SPHERE:
        return hit_sphere(rel, direction, shape.size[0], near)
    o = own_axes(shape, rel)
    d = own_axes(shape, direction)
    if kind == CYLINDER:
        return hit_cylinder(o, d, shape.size[0], shape.size[1], True, near)
    if kind == BAND:
        return hit_cylinder(o, d, shape.size[0], shape.size[1], False, near)
    if kind == RING:
        return hit_ring(o, d, shape.size[0], shape.size[1], near)
    if kind == BOX:
        return hit_box(o, d, vec(shape.size), near)
    if kind == DISC:
        return hit_disc(o, d, shape.size[0], near)
    return hit_dome(o, d, shape.size[0], near)


@compiled
def normal_at(shape, point):
    """Outward unit normal in the world where the surface of a shape was met."""
    rel = sub(point, vec(shape.centre))
    kind = shape.kind
    if kind == SPHERE or kind == DOME:
        return scale(rel, 1.0 / shape.size[0])
    p = own_axes(shape, rel)
    x = row(shape.frame, 0)
    y = row(shape.frame, 1)
    z = row(shape.frame, 2)
    if kind == DISC:
        return z
    if kind == RING:
        _, n = ring_gap(p, shape.size[0], shape.size[1])
    elif kind == BOX:
        n = box_normal(p, vec(shape.size))
    else:
        side = shape.size[0] - math.sqrt(p[0] * p[0] + p[1] * p[1])
        if kind == CYLINDER and shape.size[1] - abs(p[2]) < side:
            return scale(z, math.copysign(1.0, p[2]))
        n = normalize((p[0], p[1], 0.0))
    return (
        n[0] * x[0] + n[1] * y[0] + n[2] * z[0],
        n[0] * x[1] + n[1] * y[1] + n[2] * z[1],
        n[0] * x[2] + n[1] * y[2] + n[2] * z[2],
    )


@compiled
def hit_shape(shape, origin, direction, near):
    """Distance along the ray and outward unit normal in the world; FAR if missed."""
    t = hit_distance(shape, origin, direction, near)
    return (t, normal_at(shape, along(origin, direction, t))) if t < FAR else MISS


@compiled
def enter_boxes(boxes, branch, origin, inverse, far, entries):
    """Distances at which a ray enters the boxes of a branch, by place; FAR for one that it misses or enters beyond
    `far`.

    Written out by axis and by comparison: the compiler keeps tuples in registers only where their index is a constant,
    and its own min and max look for NaN each time.
    """
    x = 3 if inverse[0] < 0.0 else 0  # of the side that is met first
    y = 3 if inverse[1] < 0.0 else 0
    z = 3 if inverse[2] < 0.0 else 0
    for place in range(WIDE):
        enter = (boxes[branch, x, place] - origin[0]) * inverse[0]
        leave = (boxes[branch, 3 - x, place] - origin[0]) * inverse[0]
        low = (boxes[branch, 1 + y, place] - origin[1]) * inverse[1]
        high = (boxes[branch, 4 - y, place] - origin[1]) * inverse[1]
        enter = low if low > enter else enter
        leave = high if high < leave else leave
        low = (boxes[branch, 2 + z, place] - origin[2]) * inverse[2]
        high = (boxes[branch, 5 - z, place] - origin[2]) * inverse[2]
        enter = low if low > enter else enter
        leave = high if high < leave else leave
        enter = enter if enter > 0.0 else 0.0
        entries[place] = enter if enter <= leave and enter < far else FAR


@compiled
def inverse_of(direction):
    """1 / direction by axis, never infinite."""
    tiny = 1e-300  # avoids 0 * inf where a ray lies in a box face
    return (
        1.0 / (direction[0] if direction[0] != 0.0 else tiny),
        1.0 / (direction[1] if direction[1] != 0.0 else tiny),
        1.0 / (direction[2] if direction[2] != 0.0 else tiny),
    )


@compiled
def nearest(stage, origin, direction, near, far, walk):
    """First shape along the ray between near and far: (distance, normal, shape index), index -1 if none."""
    inverse = inverse_of(direction)
    branches, entries, places = walk
    best = far
    best_shape = -1
    branch = 0
    waiting = 0
    while True:
        enter_boxes(stage.tree.boxes, branch, origin, inverse, best, places)
        before = waiting
        for place in range(WIDE):
            entry = places[place]
            if entry >= best or entry >= FAR:
                continue
            inside = stage.tree.inside[branch, place]
            if inside >= 0:
                at = waiting  # the nearest of this branch last, which is where the ray goes on
                while at > before and entries[at - 1] < entry:
                    entries[at] = entries[at - 1]
                    branches[at] = branches[at - 1]
                    at -= 1
                entries[at] = entry
                branches[at] = inside
                waiting += 1
                continue
            t = hit_distance(stage.shapes[~inside], origin, direction, near)
            if t < best:
                best = t
                best_shape = ~inside
        while waiting > 0 and entries[waiting - 1] >= best:
            waiting -= 1
        if waiting == 0:
            break
        waiting -= 1
        branch = branches[waiting]
    if best_shape < 0:
        return best, (0.0, 0.0, 1.0), best_shape
    return best, normal_at(stage.shapes[best_shape], along(origin, direction, best)), best_shape


@compiled
def first_seen(stage, origin, direction, near, far, camera, walk):
    """The nearest thing along a ray; what only throws shadows is not there for the camera."""
    while True:
        t, n, shape = nearest(stage, origin, direction, near, far, walk)
        if not camera or shape < 0 or stage.shapes[shape].look != SHADOW_ONLY:
            return t, n, shape
        near = t + NUDGE


@compiled
def material_at(stage, shape, point):
    """The material there: a ribbed dome is made of another one along its ribs."""
    material = stage.shapes[shape].material
    if stage.materials[material].pattern == RIBS:
        rel = sub(point, vec(stage.shapes[shape].centre))
        radius = stage.shapes[shape].size[0]
        around = math.atan2(rel[1], rel[0]) / (2.0 * math.pi) * RIBS_AROUND
        up = math.asin(min(1.0, max(0.0, rel[2] / radius))) / (0.5 * math.pi) * RIBS_UP
        flat = math.sqrt(rel[0] * rel[0] + rel[1] * rel[1])
        width = stage.materials[material].scale
        gap_around = abs(around - round(around)) * 2.0 * math.pi / RIBS_AROUND * flat
        gap_up = abs(up - round(up)) * 0.5 * math.pi / RIBS_UP * radius
        if gap_around < width or gap_up < width:
            material = stage.materials[material].rib
    return material


@compiled
def through_shape(stage, index, point, direction, far):
    """Colour share of light that one shape lets pass, in and out again; black if it stops it or is a light itself."""
    through = (1.0, 1.0, 1.0)
    near = NUDGE
    while True:
        t = hit_distance(stage.shapes[index], point, direction, near)
        if t >= far:
            return through
        if stage.shapes[index].material == LAMP:
            return (0.0, 0.0, 0.0)
        material = material_at(stage, index, along(point, direction, t))
        kind = stage.materials[material].kind
        if kind != PANE and kind != GLASS:
            return (0.0, 0.0, 0.0)
        through = mul(through, vec(stage.materials[material].colour))
        near = t + NUDGE


@compiled
def light_through(stage, point, direction, distance, walk):
    """Colour share of light that reaches `point` from `distance` away: glass and panes tint it, fog dims it, all else
    stops it.

    Glass throws tinted, unbent shadows here; that keeps them free of the noise of focused light. Since tints multiply
    in any order, shapes are met as the tree holds them, and the first that stops the light ends the search.
    """
    clear = transmittance(stage.medium, point, direction, 0.0, distance)
    through = (clear, clear, clear)
    far = distance - NUDGE
    inverse = inverse_of(direction)
    branch = 0
    waiting = 0
    while True:
        enter_boxes(stage.tree.boxes, branch, point, inverse, far, walk.places)
        for place in range(WIDE):
            if walk.places[place] >= FAR:
                continue
            inside = stage.tree.inside[branch, place]
            if inside >= 0:
                walk.branches[waiting] = inside
                waiting += 1
                continue
            through = mul(through, through_shape(stage, ~inside, point, direction, far))
            if through[0] <= 0.0 and through[1] <= 0.0 and through[2] <= 0.0:
                return through
        if waiting == 0:
            return through
        waiting -= 1
        branch = walk.branches[waiting]
