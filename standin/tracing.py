"""Bands of a picture traced, compiled: every pixel's samples taken, until it is clean enough."""

import math

import numpy as np

from prism.compiled import compiled
from standin.accumulation import BEAUTY, VOLUME
from standin.deepening import COLOUR, COVERED, FOG, FOG_COLOUR, FOG_FAR, FOG_NEAR, deepen
from standin.deepening import DEPTH as RAY_DEPTH
from standin.paths import follow
from standin.prepared import forget
from standin.rays import FAR, first_seen
from standin.sampling import pair
from standin.survey import (
    DEPTH,
    OPEN,
    POSITION,
    SAMPLES,
    SQUARE,
    draw_lines,
    survey,
)
from standin.vectors import add, row, scale

LEAST_SAMPLES = 8  # before a pixel may count as clean
CHECK_EVERY = 4
DARK = 0.01  # brightness below which noise is not relative any more


@compiled
def camera_ray(camera, x, y):
    """Direction, not normalised, through a place of the picture in pixels."""
    right = scale(row(camera, 2), 2.0 * x / camera[4, 0] - 1.0)
    down = scale(row(camera, 3), 2.0 * y / camera[4, 1] - 1.0)
    return add(add(row(camera, 1), right), down)


@compiled
def is_clean(account, data, taken, threshold):
    """Whether the standard error of a pixel is below a share of its brightness."""
    worst = 0.0
    for c in range(3):
        mean = account[BEAUTY, c] / taken
        spread = max(0.0, data[SQUARE + c] / taken - mean * mean)
        worst = max(worst, math.sqrt(spread / (taken - 1)) / max(mean, DARK))
    return worst < threshold


@compiled
def trace_pixel(stage, settings, prepared, camera, x, y, account, data, things, shares, rays, walk):
    """Take the samples of one pixel; sums, not means, are left in the tables. Returns how many were taken."""
    position = row(camera, 0)
    forward = row(camera, 1)
    seed = np.uint64(settings.seed) * np.uint64(0x1000003) + np.uint64(y) * np.uint64(65537) + np.uint64(x)
    paths = settings.material_samples
    forget(prepared)
    taken = 0
    for sample in range(settings.samples):
        u, v = pair(seed, sample, 1)
        direction = camera_ray(camera, x + u, y + v)
        direction = scale(direction, 1.0 / math.sqrt(direction[0] ** 2 + direction[1] ** 2 + direction[2] ** 2))
        hit = first_seen(stage, position, direction, 0.0, FAR, True, walk)
        met, behind = (FAR, 0.0, 0.0, FAR, FAR), hit
        if settings.surveyed == 1:
            met, behind = survey(
                stage, settings, camera, data, things, shares, walk, position, direction, forward, hit, seed, sample
            )
        depth, covered, fog, fog_near, fog_far = met
        if settings.wire_divisions > 0:
            across = camera_ray(camera, x + u + 1.0, y + v)
            down = camera_ray(camera, x + u, y + v + 1.0)
            draw_lines(stage, settings, camera, data, walk, position, direction, across, down)
        before = (account[BEAUTY, 0], account[BEAUTY, 1], account[BEAUTY, 2])
        fog_before = (account[VOLUME, 0], account[VOLUME, 1], account[VOLUME, 2])
        for path in range(paths):
            follow(
                stage, settings, prepared, account, data, walk, position, direction, hit, behind, 1.0 / paths, seed,
                sample * paths + path,
            )  # fmt: skip
        for c in range(3):
            found = account[BEAUTY, c] - before[c]
            data[SQUARE + c] += found * found
            if settings.deep_samples > 0:
                of_fog = account[VOLUME, c] - fog_before[c] if fog > 0.0 else 0.0
                rays[sample, COLOUR + c] = found - of_fog
                rays[sample, FOG_COLOUR + c] = of_fog
        if settings.deep_samples > 0:
            rays[sample, RAY_DEPTH] = depth
            rays[sample, COVERED] = covered * (1.0 - fog)
            rays[sample, FOG] = fog
            rays[sample, FOG_NEAR] = fog_near
            rays[sample, FOG_FAR] = fog_far
        taken = sample + 1
        due = settings.noise_threshold > 0.0 and taken >= LEAST_SAMPLES and taken % CHECK_EVERY == 0
        if due and is_clean(account, data, taken, settings.noise_threshold):
            break
    return taken


@compiled
def trace_band(
    stage,
    settings,
    prepared,
    camera,
    first,
    end,
    accounts,
    table,
    things,
    shares,
    rays,
    items,
    deep,
    deep_counts,
    walk,
):
    """Render rows first..end-1.

    camera: (5, 3) table of position, forward, right times half width, down times half height, (width, height, -).
    accounts: (H, W, rows, 3) float64, zeros. table: (H, W, DATA_COUNT) float64, zeros. things: (H, W, 3, SLOTS) int32
    of -1, shares: the same, zeros; object, material and group. rays: (samples, RAY_VALUES) and items: scratch for
    deepen. deep: (H, W, most, DEEP_CHANNELS) and deep_counts: (H, W), or of size 1 if deep is not wanted.
    """
    for y in range(first, end):
        for x in range(accounts.shape[1]):
            account = accounts[y - first, x]
            data = table[y - first, x]
            mine = things[y - first, x]
            held = shares[y - first, x]
            data[DEPTH] = FAR
            taken = trace_pixel(stage, settings, prepared, camera, x, y, account, data, mine, held, rays, walk)
            share = 1.0 / taken
            for k in range(account.shape[0]):
                for c in range(3):
                    account[k, c] *= share
            for k in range(SAMPLES):
                if k != DEPTH and not POSITION <= k < OPEN:
                    data[k] *= share
            for kind in range(3):
                for slot in range(held.shape[1]):
                    held[kind, slot] *= share
            data[SAMPLES] = taken
            if settings.deep_samples > 0:
                for sample in range(taken):
                    rays[sample, COVERED] *= share
                    for c in range(3):
                        rays[sample, COLOUR + c] *= share
                        rays[sample, FOG_COLOUR + c] *= share
                deep_counts[y - first, x] = deepen(
                    rays, taken, settings.deep_samples, settings.deep_distance, FAR, items, deep[y - first, x]
                )
