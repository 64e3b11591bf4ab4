"""What of image processing a ledger's page asks for, in plain NumPy."""

import numpy as np


def looked_up(plane, y, x):
    """Values of a plane at places between its pixels, from the four around; 0 outside. y, x: in pixels, 0 is the middle
    of the first."""
    framed = np.pad(np.asarray(plane, float), 1)
    y, x = np.clip(y + 1, 0, framed.shape[0] - 1), np.clip(x + 1, 0, framed.shape[1] - 1)
    row, column = np.minimum(y.astype(int), framed.shape[0] - 2), np.minimum(x.astype(int), framed.shape[1] - 2)
    v, u = y - row, x - column
    above = framed[row, column] * (1 - u) + framed[row, column + 1] * u
    below = framed[row + 1, column] * (1 - u) + framed[row + 1, column + 1] * u
    return above * (1 - v) + below * v


def softened(plane, deviation):
    """Under a Gaussian cut off at 4 deviations; the outermost pixels go on beyond the edge."""
    radius = int(4 * deviation + 0.5)
    weights = np.exp(-0.5 * (np.arange(-radius, radius + 1) / deviation) ** 2)
    weights /= weights.sum()
    for axis in (0, 1):
        wide = np.pad(plane, [(radius, radius) if each == axis else (0, 0) for each in (0, 1)], mode="edge")
        count = plane.shape[axis]
        plane = sum(w * np.take(wide, range(n, n + count), axis) for n, w in enumerate(weights))
    return plane


def grown(plane, radius):
    """The largest value within a disc."""
    wide, (height, width) = np.pad(plane, radius, mode="edge"), plane.shape
    places = [(y, x) for y in range(-radius, radius + 1) for x in range(-radius, radius + 1)]
    inside = [(y + radius, x + radius) for y, x in places if x * x + y * y <= radius * radius]
    return np.max([wide[y : y + height, x : x + width] for y, x in inside], axis=0)


def area_around(holds, row, column):
    """The pixels that hang together with one, across corners too; none if it is not one of them."""
    here = np.zeros_like(holds)
    here[row, column] = holds[row, column]
    while True:
        more = grown_by_one(here) & holds
        if (more == here).all():
            return here
        here = more


def grown_by_one(holds):
    """With all eight neighbours."""
    wide, (height, width) = np.pad(holds, 1), holds.shape
    return np.any([wide[y : y + height, x : x + width] for y in range(3) for x in range(3)], axis=0)
