"""Samples of a pixel put in order of depth, thinned and turned into deep samples, compiled.

Camera rays of a pixel cover disjoint shares of its area; deep samples lie over one another. A share w behind shares that
sum to a becomes a sample of alpha w / (1 - a), so that the flattened pixel is just the sum of the shares again, whatever
was merged. Fog lies in front as one slab.
"""

from prism.compiled import compiled

DEEP_CHANNELS = 6  # R G B A Z ZBack
GAP = 1e-9


@compiled
def sort_by_depth(rays, count):
    """Shell sort of rows (depth, coverage, r, g, b); Ciura's gaps."""
    for gap in (701, 301, 132, 57, 23, 10, 4, 1):
        for i in range(gap, count):
            place = i
            while place >= gap and rays[place - gap, 0] > rays[place, 0]:
                for k in range(rays.shape[1]):
                    held = rays[place, k]
                    rays[place, k] = rays[place - gap, k]
                    rays[place - gap, k] = held
                place -= gap


@compiled
def join(rays, kept, other):
    """Put one ray into another: colours and coverages add, the depth is their mean by coverage."""
    total = rays[kept, 1] + rays[other, 1]
    if total > 0.0:
        rays[kept, 0] = (rays[kept, 0] * rays[kept, 1] + rays[other, 0] * rays[other, 1]) / total
    for k in range(1, rays.shape[1]):
        rays[kept, k] += rays[other, k]


@compiled
def merge_near(rays, count, distance):
    """Merge what lies within `distance` of the first of a bunch. Returns how many are left."""
    if count == 0:
        return 0
    kept = 0
    first = rays[0, 0]
    for i in range(1, count):
        if rays[i, 0] - first <= distance:
            join(rays, kept, i)
        else:
            kept += 1
            first = rays[i, 0]
            for k in range(rays.shape[1]):
                rays[kept, k] = rays[i, k]
    return kept + 1


@compiled
def merge_closest(rays, count, most):
    """Merge the closest neighbours until at most `most` are left."""
    while count > most:
        closest = 0
        for i in range(1, count - 1):
            if rays[i + 1, 0] - rays[i, 0] < rays[closest + 1, 0] - rays[closest, 0]:
                closest = i
        join(rays, closest, closest + 1)
        for i in range(closest + 1, count - 1):
            for k in range(rays.shape[1]):
                rays[i, k] = rays[i + 1, k]
        count -= 1
    return count


@compiled
def deepen(rays, count, most, distance, fog, fog_near, fog_colour, far, out):
    """Write the deep samples of a pixel to `out`, (most, DEEP_CHANNELS), near to far. Returns how many.

    rays: (depth, coverage, r, g, b) of its camera rays, colours without that of the fog, all as shares of the pixel. fog:
    alpha of the slab in front; its colour is premultiplied.
    """
    sort_by_depth(rays, count)
    room = most - 1 if fog > 0.0 else most
    count = merge_closest(rays, merge_near(rays, count, distance), max(1, room))
    written = 0
    if fog > 0.0 and most > 1:
        for c in range(3):
            out[0, c] = fog_colour[c]
        out[0, 3] = fog
        out[0, 4] = fog_near
        out[0, 5] = max(fog_near, rays[0, 0] if count else far)
        written = 1
    clear = 1.0 - fog
    covered = 0.0  # of what is seen through the fog
    for i in range(count):
        open_share = clear * (1.0 - covered)
        if open_share <= GAP:
            break
        share = rays[i, 1] / (1.0 - covered)
        for c in range(3):
            out[written, c] = rays[i, 2 + c] / open_share
        out[written, 3] = min(1.0, share)
        out[written, 4] = rays[i, 0]
        out[written, 5] = rays[i, 0]
        covered += rays[i, 1]
        written += 1
    return written
