"""The colour of light by its temperature, and how much warmer or cooler one light is than another.

Steps are in mired, 10^6 / kelvin, in which equal steps look about equally large and add up like filters.
Source: Krystek, "An algorithm to calculate correlated colour temperature", Color Research & Application 10 (1985): the
chromaticity of a black body in CIE 1960 (u, v), for 1000 to 15000 K.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from prism.colour.spaces import to_xyz

NEUTRAL_KELVIN = 6504.0  # about the white of CIE illuminant D65
WARMEST, COOLEST = 600.0, -80.0  # mired from neutral, within what the formula is for


def kelvin_of(warmth: float) -> float:
    """The temperature that many mired warmer than neutral."""
    return 1e6 / (1e6 / NEUTRAL_KELVIN + warmth)


def black_body(kelvin: float) -> tuple[float, float]:
    """CIE 1931 (x, y) of a black body of 1000 to 15000 K."""
    t = kelvin
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)


@lru_cache(maxsize=1024)
def warm_gains(warmth: float, space: str) -> tuple[float, float, float]:
    """Factors on R, G, B of a working space that make neutral light that many mired warmer, at the same luminance.

    Exactly 1 for warmth 0. None is below 0: a colour outside of the space is taken to its edge.
    """
    if warmth == 0:
        return 1.0, 1.0, 1.0
    matrix = to_xyz(space)
    neutral, warm = (np.linalg.solve(matrix, _xyz(*black_body(kelvin_of(step)))) for step in (0.0, warmth))
    gains = np.maximum(warm / neutral, 0)
    gains /= matrix[1] @ gains
    red, green, blue = (float(gain) for gain in gains)
    return red, green, blue


def _xyz(x: float, y: float) -> np.ndarray:
    return np.array([x / y, 1, (1 - x - y) / y])
