"""Grain: noise of a size, another each frame, that never repeats."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.fields import Shown
from prism.finish.base import Domain, FinishStep, Number, Share
from prism.finish.context import Context
from prism.finish.planes import brightness
from prism.keyed import Within
from prism.pixels.blur import bell, gaussian
from prism.pixels.picture import Picture
from prism.pixels.resize import averaged

BAND_ROWS = 64
DEVIATION = math.sqrt(math.log(2)) / math.pi  # of a Gaussian that leaves half the power at half a cycle in a pixel
_SPREAD = math.sqrt(4 * (256**2 - 1) / 12)  # standard deviation of the sum of four bytes
_MIDDLE = 4 * 255 / 2


class GrainStep(FinishStep):
    """v + amount n sqrt(4 y (1 - y)), y the luma clamped to 0..1: strongest in mids, none in black and white. n: noise
    of mean 0 and deviation 1, of which half the power is left at half a cycle in `size` pixels of the full picture.

    It follows from place, frame and seed by a hash, so it is the same whenever that frame is made, in all its parts. A
    preview shows the mean over each of its pixels.
    """

    title: ClassVar[str] = "grain"
    meaning: ClassVar[str] = "noise of a size, another each frame"
    says_amount: ClassVar[bool] = True
    domains: ClassVar[tuple[Domain, ...]] = ("display",)

    kind: Literal["grain"] = "grain"
    amount: Annotated[Share, Shown(title="amount", step=0.001, digits=3)] = 0.03
    size: Annotated[Number, Within(0.5, 30), Shown(title="size", unit="px", step=0.02)] = 1.5
    mono: Annotated[bool, Shown(title="the same in all channels")] = False
    seed: Annotated[int, Within(0, 1_000_000), Shown(title="seed", step=1, digits=0)] = 0

    def cost(self, step: int) -> float:
        """The cost of noise that is made for the full picture, whatever its preview."""
        return 20 + 10 * step**2

    def in_words(self) -> Iterable[str]:
        """How much, and how coarse."""
        return f"{self.amount:.1%}", f"{self.size:g} px"

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): at an amount of 1; the evaluator lays on less of it."""
        rgb = picture.rgba[:3]
        y = brightness(rgb, picture.space).clip(0, 1)
        strength = np.sqrt(4 * y * (1 - y))
        noise = np.stack([self._noise(picture, context.number, channel) for channel in range(1 if self.mono else 3)])
        return np.concatenate([rgb + noise * strength, picture.rgba[3:]])

    def _noise(self, picture: Picture, number: int, channel: int) -> NDArray[np.float32]:
        """(h, w) float32 over the picture's window."""
        deviation = DEVIATION * self.size
        weights = bell(deviation)
        margin = len(weights) - 1
        window = picture.window
        begins = window.y0 - picture.display_window.y0 - margin, window.x0 - picture.display_window.x0 - margin
        size = window.height + 2 * margin, window.width + 2 * margin
        plane = white_noise(size, begins, self.seed, number, channel)
        soft = gaussian(plane, deviation)[margin : margin + window.height, margin : margin + window.width]
        power = weights[0] ** 2 + 2 * float((weights[1:] ** 2).sum())  # along one side; what is left of the variance
        return averaged(soft, picture.step) * np.float32(1 / power)


def white_noise(
    shape: tuple[int, int], begins: tuple[int, int], seed: int, number: int, channel: int
) -> NDArray[np.float32]:
    """(H, W) of mean 0 and deviation 1, each pixel by itself. begins: the row and column of its first pixel, so that
    parts agree with the whole. seed, number, channel: whole numbers; another one gives other noise."""
    plane = np.empty(shape, np.float32)
    key = _key(seed, number, channel)
    run_bands(lambda first, end: _fill(plane, begins[1], begins[0], key, first, end), len(plane), BAND_ROWS)
    return plane


def _key(seed: int, number: int, channel: int) -> np.uint32:
    key = 0
    for part in (seed, number, channel):
        key = int(_hashed(np.uint32((key ^ (part & 0xFFFFFFFF)) & 0xFFFFFFFF)))
    return np.uint32(key)


@compiled
def _hashed(x):
    """A whole number of 32 bits, every bit of which depends on all of `x`. Source: Wellons, "Prospecting for hash
    functions", 2018, the one of the least bias; from memory."""
    x ^= x >> np.uint32(16)
    x = np.uint32(x * np.uint32(0x7FEB352D))
    x ^= x >> np.uint32(15)
    x = np.uint32(x * np.uint32(0x846CA68B))
    return x ^ (x >> np.uint32(16))


@compiled
def _fill(out, x, y, key, begin, end):
    """Rows begin..end: sums of the four bytes of a hash of every place, brought to mean 0 and deviation 1."""
    for row in range(begin, end):
        down = _hashed(key ^ np.uint32(y + row))
        for column in range(out.shape[1]):
            bits = _hashed(down ^ np.uint32(x + column))
            total = (bits & np.uint32(255)) + ((bits >> np.uint32(8)) & np.uint32(255))
            total += ((bits >> np.uint32(16)) & np.uint32(255)) + (bits >> np.uint32(24))
            out[row, column] = (np.float32(total) - np.float32(_MIDDLE)) / np.float32(_SPREAD)
