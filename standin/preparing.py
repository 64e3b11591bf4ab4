"""Light prepared on every n-th frame: points found through the camera, light gathered there, kept on disk."""

from __future__ import annotations

import math
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.formats.safe import replacing
from standin.accumulation import DIFFUSE, FIRST_GROUP, rows_of
from standin.paths import Path as LightPath
from standin.paths import Ray, Settings, Tracer, carry, surface_of
from standin.prepared import INDIRECT, Points, Prepared, not_prepared, prepared_of, tree_of
from standin.rays import FAR, NUDGE, first_seen, material_at
from standin.sampling import pair
from standin.shading import cosine_direction
from standin.stage import HOLDOUT, LAMP, PANE, WAX, Stage
from standin.survey import DATA_COUNT, MOST_LAYERS
from standin.tracing import camera_ray
from standin.tree import new_walk
from standin.vectors import along, dot, largest, normalize, row, scale

GRID = 4  # pixels between the points
PATHS = 96  # followed from each point
BAND_POINTS = 64
LEAST_COSINE = 0.25  # of the view to a surface, for the spacing of points on it
ANGLE_SAMPLE = 1 << 20  # numbers the random points apart from those of pixels


@dataclass(frozen=True, slots=True)
class PreparedLight:
    """Where prepared light is kept, and for which frames. every: n; first, last: frames of the shot."""

    folder: Path
    every: int
    first: int
    last: int

    def keys_about(self, frame: int) -> tuple[int, int, float]:
        """The prepared frames before and after a frame, and how far on the way between them it is, 0..1.

        Frames before the first read the first, frames after the last the last.
        """
        inside = min(max(frame, self.first), self.last)
        before = self.first + (inside - self.first) // self.every * self.every
        after = min(before + self.every, self.last)
        return before, after, (inside - before) / (after - before) if after > before else 0.0


@compiled
def find_points(stage, settings, camera, first, end, across, out, walk):
    """Write (place, normal, spacing) of what the camera sees at grid rows first..end-1 to `out`, (rows, across, 7).

    The spacing stays 0 where nothing is seen that scatters light roughly. Panes are looked through.
    """
    position = row(camera, 0)
    pixel = 2.0 * math.sqrt(dot(row(camera, 2), row(camera, 2))) / camera[4, 0]  # its width at distance 1
    for y in range(first, end):
        for x in range(across):
            direction = normalize(camera_ray(camera, (x + 0.5) * GRID, (y + 0.5) * GRID))
            near = 0.0
            for _ in range(MOST_LAYERS):
                t, n, shape = first_seen(stage, position, direction, near, FAR, True, walk)
                if shape < 0 or stage.shapes[shape].look == HOLDOUT or stage.shapes[shape].material == LAMP:
                    break
                point = along(position, direction, t)
                material = material_at(stage, shape, point)
                if stage.materials[material].kind == PANE:
                    near = t + NUDGE
                    continue
                facing = dot(n, direction)
                if facing > 0.0:
                    n = scale(n, -1.0)
                diffuse, _, _, _ = surface_of(stage, material, shape, point, n, scale(direction, -1.0), 0)
                if stage.materials[material].kind != WAX and largest(diffuse) > 0.0:
                    for c in range(3):
                        out[y, x, c] = point[c] + n[c] * NUDGE
                        out[y, x, 3 + c] = n[c]
                    out[y, x, 6] = t * pixel * GRID / max(LEAST_COSINE, abs(facing))
                break


@compiled
def gather_points(stage, settings, blind, points, first, end, account, data, out, walk):
    """Write the indirect light that arrives at points first..end-1 to `out`, (N, groups, 3).

    points: (N, 7) as find_points leaves them. blind: no prepared light. account, data: scratch, with components by
    group.
    """
    tracer = Tracer(stage, settings, blind, account, data, walk)
    share = 1.0 / PATHS
    row_of_indirect = FIRST_GROUP + settings.groups + INDIRECT * settings.groups
    for i in range(first, end):
        place = (points[i, 0], points[i, 1], points[i, 2])
        normal = (points[i, 3], points[i, 4], points[i, 5])
        for k in range(account.shape[0]):
            for c in range(3):
                account[k, c] = 0.0
        seed = np.uint64(settings.seed) * np.uint64(0x1000003) + np.uint64(ANGLE_SAMPLE + i) * np.uint64(65537)
        for sample in range(PATHS):
            u, v = pair(seed, sample, 3)
            direction = cosine_direction(normal, u, v)
            density = max(1e-9, dot(normal, direction)) / math.pi
            hit = first_seen(stage, place, direction, 0.0, FAR, False, walk)
            path = LightPath((share, share, share), DIFFUSE, 1, 1, density, False)
            carry(tracer, Ray(place, direction, 0.0), hit, hit, path, share, seed, sample)
        for group in range(settings.groups):
            for c in range(3):
                out[i, group, c] = account[row_of_indirect + group, c]


def prepare(stage: Stage, settings: Settings, camera: NDArray, is_stale: Callable[[], bool]) -> Points:
    """Find the points (N, 3) a camera sees and gather their light. camera: table of `camera_table`.

    Raises Superseded if `is_stale` turns true.
    """
    across, down = (max(1, int(side) // GRID) for side in camera[4, :2])
    grid = np.zeros((down, across, 7))
    find_points(stage, settings, camera, 0, down, across, grid, new_walk())
    points = np.ascontiguousarray(grid[grid[..., 6] > 0])
    light = np.zeros((len(points), settings.groups, 3))

    def work(first: int, end: int) -> None:
        account, data = np.zeros((rows_of(settings.groups, True), 3)), np.zeros(DATA_COUNT)
        blind = not_prepared(settings.groups)
        gather_points(stage, settings, blind, points, first, end, account, data, light, new_walk())

    run_bands(work, len(points), BAND_POINTS, is_stale=is_stale)
    return tree_of(points[:, :3], points[:, 3:6], points[:, 6], light)


def kept(path: Path, make: Callable[[], Points]) -> Points:
    """Points from a file, or made and written to it. A file that cannot be read is made again."""
    try:
        with np.load(path) as stored:
            return Points(*(np.ascontiguousarray(stored[name]) for name in Points._fields))
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        points = make()
        with replacing(path) as temporary, open(temporary, "wb") as file:
            np.savez(file, **points._asdict())
        return points


def light_about(
    light: PreparedLight, frame: int, identity: Callable[[int], str], make: Callable[[int], Points]
) -> Callable[[], Prepared]:
    """What a frame reads: for each thread a Prepared with scratch space of its own.

    identity: tells apart all that the light of a frame depends on. make: prepares one frame.
    """
    before, after, share = light.keys_about(frame)
    found: dict[int, Any] = {
        key: kept(light.folder / f"prepared_{key:04}_{identity(key)}.npz", partial(make, key))
        for key in {before, after if share else before}
    }
    return lambda: prepared_of(found[before], found.get(after, found[before]), share)
