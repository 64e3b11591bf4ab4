"""Camera rays of a pixel turned into deep samples, compiled: in order of depth, without overlaps, thinned.

Camera rays of a pixel cover disjoint shares of its area; deep samples lie over one another. A share w behind shares
that sum to a becomes a sample of alpha w / (1 - a), so that the flattened pixel is just the sum of the shares again,
whatever was merged. What surfaces cover are points; fog is cut at those points into stretches, each of which takes what
fog the rays meet there. So the samples are tidy: sorted, and no two share any depth (as "Interpreting OpenEXR Deep
Pixels" asks).
"""

import math

from prism.compiled import compiled

DEEP_CHANNELS = 6  # R G B A Z ZBack
GAP = 1e-9
# Columns of a camera ray: what its surface covers and sends; fog in front of it.
DEPTH, COVERED, COLOUR, FOG, FOG_NEAR, FOG_FAR, FOG_COLOUR = 0, 1, 2, 5, 6, 7, 8
RAY_VALUES = 11
# Columns of an item: a point, or a stretch of fog.
NEAR, BACK, SHARE, LIGHT = 0, 1, 2, 3
ITEM_VALUES = 6


def item_rows(samples: int) -> int:
    """Rows of scratch space for that many camera rays: every surface, and fog before, between and behind them."""
    return 2 * samples + 1


@compiled
def sort_by_depth(rays, count):
    """Shell sort of rows by their first column; Ciura's gaps."""
    for gap in (701, 301, 132, 57, 23, 10, 4, 1):
        for i in range(gap, count):
            place = i
            while place >= gap and rays[place - gap, DEPTH] > rays[place, DEPTH]:
                for k in range(rays.shape[1]):
                    held = rays[place, k]
                    rays[place, k] = rays[place - gap, k]
                    rays[place - gap, k] = held
                place -= gap


@compiled
def surface_points(rays, count, distance, far, items):
    """One point for each bunch of surfaces within `distance` of its first; its depth is their mean by coverage.

    Rays that meet nothing make no point of their own unless they bring light, which then lies at `far`. Returns how
    many.
    """
    made = 0
    first = -1.0
    for i in range(count):
        light = rays[i, COLOUR] != 0.0 or rays[i, COLOUR + 1] != 0.0 or rays[i, COLOUR + 2] != 0.0
        if rays[i, COVERED] <= 0.0 and not light:
            continue
        depth = min(rays[i, DEPTH], far)
        if made == 0 or depth - first > distance:
            first = depth
            items[made, NEAR] = depth
            items[made, SHARE] = 0.0
            for c in range(3):
                items[made, LIGHT + c] = 0.0
            made += 1
        kept = made - 1
        total = items[kept, SHARE] + rays[i, COVERED]
        if total > 0.0:
            items[kept, NEAR] += (depth - items[kept, NEAR]) * rays[i, COVERED] / total
        items[kept, SHARE] = total
        for c in range(3):
            items[kept, LIGHT + c] += rays[i, COLOUR + c]
    for i in range(made):
        items[i, BACK] = items[i, NEAR]
    return made


@compiled
def fog_within(ray, begin, end):
    """Share of the fog before one ray's surface that lies between two depths: Beer-Lambert along the ray."""
    near = max(begin, ray[FOG_NEAR])
    back = min(end, ray[FOG_FAR])
    if back <= near:
        return 0.0
    if ray[FOG] >= 1.0:
        return 1.0 if begin <= ray[FOG_NEAR] else 0.0
    rate = -math.log1p(-ray[FOG]) / (ray[FOG_FAR] - ray[FOG_NEAR])
    passed = math.exp(-rate * (near - ray[FOG_NEAR])) - math.exp(-rate * (back - ray[FOG_NEAR]))
    return passed / ray[FOG]


@compiled
def fog_stretches(rays, count, share, points, items):
    """Fog before, between and behind the points, put between them. Returns how many items there are then.

    share: of the pixel that one ray has.
    """
    begin = 1e30
    end = -1.0
    for i in range(count):
        if rays[i, FOG] > 0.0:
            begin = min(begin, rays[i, FOG_NEAR])
            end = max(end, rays[i, FOG_FAR])
    if end <= begin:
        return points
    total = 2 * points + 1
    for i in range(points - 1, -1, -1):  # from the back, so that none is overwritten before it is moved
        for k in range(ITEM_VALUES):
            items[2 * i + 1, k] = items[i, k]
    for i in range(0, total, 2):
        low = begin if i == 0 else max(begin, items[i - 1, NEAR])
        high = end if i == total - 1 else min(end, items[i + 1, NEAR])
        items[i, NEAR] = low
        items[i, BACK] = high
        for k in range(SHARE, ITEM_VALUES):
            items[i, k] = 0.0
        if high <= low:
            continue
        for j in range(count):
            if rays[j, FOG] > 0.0:
                part = fog_within(rays[j], low, high)
                items[i, SHARE] += share * rays[j, FOG] * part
                for c in range(3):
                    items[i, LIGHT + c] += rays[j, FOG_COLOUR + c] * part
    kept = 0
    for i in range(total):
        if i % 2 == 1 or items[i, SHARE] > 0.0:
            for k in range(ITEM_VALUES):
                items[kept, k] = items[i, k]
            kept += 1
    return kept


@compiled
def thin(items, count, most):
    """Merge the neighbours that span the least depth until at most `most` are left. Points that merge stay a point."""
    while count > most:
        closest = 0
        for i in range(1, count - 1):
            if items[i + 1, BACK] - items[i, NEAR] < items[closest + 1, BACK] - items[closest, NEAR]:
                closest = i
        after = closest + 1
        total = items[closest, SHARE] + items[after, SHARE]
        points = items[closest, NEAR] == items[closest, BACK] and items[after, NEAR] == items[after, BACK]
        if points and total > 0.0:
            items[closest, NEAR] += (items[after, NEAR] - items[closest, NEAR]) * items[after, SHARE] / total
            items[closest, BACK] = items[closest, NEAR]
        elif not points:
            items[closest, BACK] = items[after, BACK]
        items[closest, SHARE] = total
        for c in range(3):
            items[closest, LIGHT + c] += items[after, LIGHT + c]
        for i in range(after, count - 1):
            for k in range(ITEM_VALUES):
                items[i, k] = items[i + 1, k]
        count -= 1
    return count


@compiled
def deepen(rays, count, most, distance, far, items, out):
    """Write the deep samples of a pixel to `out`, (most, DEEP_CHANNELS), near to far. Returns how many.

    rays: (count, RAY_VALUES) of its camera rays; coverages and colours as shares of the pixel, FOG as the alpha of the
    fog before that one ray, COVERED what its surface adds to that. items: scratch of item_rows(count).
    """
    sort_by_depth(rays, count)
    points = surface_points(rays, count, distance, far, items)
    made = thin(items, fog_stretches(rays, count, 1.0 / count, points, items), most)
    written = 0
    covered = 0.0
    for i in range(made):
        clear = 1.0 - covered
        if clear <= GAP:
            break
        for c in range(3):
            out[written, c] = items[i, LIGHT + c] / clear
        out[written, 3] = min(1.0, items[i, SHARE] / clear)
        out[written, 4] = items[i, NEAR]
        out[written, 5] = items[i, BACK]
        covered += items[i, SHARE]
        written += 1
    return written
