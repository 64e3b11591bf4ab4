"""What camera rays see first, measured and summed by pixel, compiled: coverage, distances, directions, identities."""

from prism.compiled import compiled
from standin.medium import transmittance, within
from standin.rays import FAR, NUDGE, first_seen, material_at, nearest
from standin.sampling import pair
from standin.shading import COAT_REFLECTANCE, cosine_direction, dielectric, schlick, surface_colour
from standin.stage import GLASS, GLOSS, HOLDOUT, LAMP, MATTE, PANE, SHADOW_ONLY, WAX
from standin.surfaces import line_share, moved, on_screen, sheet_place
from standin.vectors import add, along, dot, scale, sub

# Columns of the table of a pixel.
ALPHA, DEPTH, MIST, NORMAL, OCCLUSION, COLOUR = 0, 1, 2, 3, 6, 7
ALBEDO, DEPTH_SUM, SOLID, POSITION, UV, FORWARD, BACKWARD = 10, 13, 14, 15, 18, 20, 22
OPEN, LIT, SQUARE, WIRE, SAMPLES = 24, 27, 30, 33, 34
DATA_COUNT = 35
SLOTS = 24  # things told apart in one pixel; beyond that the least is left out
MOST_LAYERS = 32  # surfaces looked through


@compiled
def pane_reflectance(cosine, ior):
    """Both faces of a thin pane, with the light going back and forth between them."""
    single = dielectric(cosine, 1.0 / ior)
    return 2.0 * single / (1.0 + single)


@compiled
def mist_amount(settings, depth):
    """0 up to near, 1 from far on, a power of the share of the way between (common practice)."""
    t = min(1.0, max(0.0, (depth - settings.mist_near) / (settings.mist_far - settings.mist_near)))
    return t if settings.mist_power == 1.0 else t**settings.mist_power


@compiled
def count_in(things, shares, thing, share):
    """Add coverage to one thing of a pixel. Free slots hold -1."""
    least = 0
    for slot in range(SLOTS):
        if things[slot] == thing or things[slot] < 0:
            things[slot] = thing
            shares[slot] += share
            return
        if shares[slot] < shares[least]:
            least = slot
    if shares[least] < share:
        things[least] = thing
        shares[least] = share


@compiled
def identify(stage, shape, material, things, shares, share):
    """Count a shape in under its object, its material and its group."""
    count_in(things[0], shares[0], stage.shapes[shape].name, share)
    count_in(things[1], shares[1], material if material >= 0 else stage.materials.size, share)
    count_in(things[2], shares[2], stage.shapes[shape].group, share)


@compiled
def survey(stage, settings, camera, data, things, shares, walk, origin, direction, forward, hit, seed, sample):
    """Measure what one camera ray sees first, looking through panes. hit: (distance, normal, shape) that it meets
    first.

    Returns (depth, coverage behind the fog, alpha of the fog in front, depths where that begins and ends), and what is
    met behind the first pane. Depth is FAR where only fog or nothing is seen; fog behind a pane counts as covered by
    it.
    """
    behind = hit
    near = 0.0
    left = 1.0  # share of the ray not yet covered
    mirrored_away = 0.0  # share, by panes of other layers
    seen = FAR
    reach = FAR  # how far the ray gets
    solid = False
    for _ in range(MOST_LAYERS):
        t, n, shape = hit if near == 0.0 else first_seen(stage, origin, direction, near, FAR, True, walk)
        if near > 0.0 and behind[0] == hit[0]:
            behind = (t, n, shape)
        if shape < 0:
            break
        reach = t
        held_out = stage.shapes[shape].look == HOLDOUT
        point = along(origin, direction, t)
        lit = stage.shapes[shape].material == LAMP
        material = LAMP if lit else material_at(stage, shape, point)
        facing = dot(n, direction)
        if facing > 0.0:
            n = scale(n, -1.0)
        kind = -1 if lit else stage.materials[material].kind
        if held_out and kind != PANE:
            break
        depth = t * dot(direction, forward)
        seen = seen if held_out else min(seen, depth)
        if kind == PANE:
            mirrored = left * pane_reflectance(abs(facing), stage.materials[material].ior)
            if held_out:  # it takes away what it mirrors, and lets the rest be seen
                mirrored_away += mirrored
            elif settings.identified == 1:
                identify(stage, shape, material, things, shares, mirrored)
            left -= mirrored
            near = t + NUDGE
            reach = FAR
            continue
        if settings.identified == 1:
            identify(stage, shape, material, things, shares, left)
        left = 0.0
        solid = True
        measure_solid(stage, settings, camera, data, shape, point, n, depth)
        colours(stage, data, material, kind, shape, point, n, direction)
        measure_openness(stage, settings, data, walk, point, n, lit, seed, sample)
        break
    if not solid:
        data[MIST] += 1.0
        data[OCCLUSION] += 1.0
    seen_through = through_fog(stage, data, origin, direction, forward, seen, reach, left, mirrored_away)
    return seen_through, behind


@compiled
def measure_solid(stage, settings, camera, data, shape, point, n, depth):
    """What the first solid surface gives to the pixel, and the nearest of its samples."""
    data[DEPTH_SUM] += depth
    data[SOLID] += 1.0
    data[MIST] += mist_amount(settings, depth)
    for c in range(3):
        data[NORMAL + c] += n[c]
    if depth < data[DEPTH]:
        data[DEPTH] = depth
        if settings.placed == 1:
            nearest_values(stage, camera, data, shape, point)


@compiled
def through_fog(stage, data, origin, direction, forward, seen, reach, left, mirrored_away):
    """(depth, coverage behind the fog, alpha of the fog in front, depths where that begins and ends) of a ray of which
    `left` is not covered by surfaces."""
    through = transmittance(stage.medium, origin, direction, 0.0, reach)
    if stage.medium.seen == 0:
        alpha = (1.0 - left - mirrored_away) * through
        data[ALPHA] += alpha
        return seen, alpha, 0.0, FAR, FAR
    alpha = 1.0 - (left + mirrored_away) * through
    data[ALPHA] += alpha
    ahead = dot(direction, forward)
    first = min(reach, seen / ahead)
    begin, end = within(stage.medium, origin, direction, 0.0, first)
    clear = transmittance(stage.medium, origin, direction, 0.0, first)
    covered = 1.0 - (1.0 - alpha) / clear if clear > 0.0 else 0.0
    if begin >= end:
        return seen, covered, 0.0, FAR, FAR
    return seen, covered, 1.0 - clear, begin * ahead, end * ahead


@compiled
def nearest_values(stage, camera, data, shape, point):
    """Keep what belongs to the nearest sample of a pixel: unfiltered, since its values do not mix."""
    u, v = sheet_place(stage.shapes[shape], point)
    data[UV] = u
    data[UV + 1] = v
    for c in range(3):
        data[POSITION + c] = point[c]
    x, y = on_screen(camera, point)
    after_x, after_y = on_screen(camera, moved(stage.shapes[shape], point, 1.0))
    before_x, before_y = on_screen(camera, moved(stage.shapes[shape], point, -1.0))
    data[FORWARD] = after_x - x
    data[FORWARD + 1] = after_y - y
    data[BACKWARD] = x - before_x
    data[BACKWARD + 1] = y - before_y


@compiled
def colours(stage, data, material, kind, shape, point, n, direction):
    """Surface colour of what scatters roughly; albedo of everything, as a denoiser wants it."""
    if kind < 0:
        for c in range(3):
            data[ALBEDO + c] += 1.0
        return
    colour = surface_colour(stage, material, shape, point)
    base = 1.0
    if kind == GLOSS or kind == WAX:
        base = 1.0 - schlick(COAT_REFLECTANCE, max(0.0, -dot(n, direction)))
    for c in range(3):
        data[ALBEDO + c] += 1.0 if kind == GLASS else colour[c]
        if kind == MATTE or kind == GLOSS:
            data[COLOUR + c] += base * colour[c]


@compiled
def measure_openness(stage, settings, data, walk, point, n, lit, seed, sample):
    """Add 1 to the occlusion of a pixel if a ray leaves free within the distance, or 0."""
    if lit or settings.occlusion_distance <= 0.0:
        data[OCCLUSION] += 1.0
        return
    u, v = pair(seed, sample, 5)
    start = along(point, n, NUDGE)
    _, _, blocker = nearest(stage, start, cosine_direction(n, u, v), NUDGE, settings.occlusion_distance, walk)
    data[OCCLUSION] += 1.0 if blocker < 0 else 0.0


@compiled
def draw_lines(stage, settings, camera, data, walk, origin, direction, across, down):
    """Add the share of a wire line that one camera ray meets; behind surfaces too if hidden lines are wanted.

    across, down: the same ray one pixel further right and further down, not normalised.
    """
    near = 0.0
    for _ in range(MOST_LAYERS):
        t, n, shape = nearest(stage, origin, direction, near, FAR, walk)
        if shape < 0 or stage.shapes[shape].look == HOLDOUT:
            return
        near = t + NUDGE
        if stage.shapes[shape].look == SHADOW_ONLY:
            continue
        point = along(origin, direction, t)
        beside = on_plane(origin, across, point, n)
        below = on_plane(origin, down, point, n)
        if line_share(stage.shapes[shape], settings, point, beside, below) > 0.0:
            data[WIRE] += 1.0
            return
        if settings.wire_hidden == 0:
            return


@compiled
def on_plane(origin, direction, point, n):
    """Where a neighbouring ray meets the plane that touches the surface at `point`."""
    along_normal = dot(direction, n)
    if abs(along_normal) < 1e-9:
        return point
    t = dot(sub(point, origin), n) / along_normal
    return add(origin, scale(direction, t))
