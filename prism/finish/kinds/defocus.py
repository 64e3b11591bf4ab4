"""Defocus: what is nearer or farther than the focus becomes discs."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.deep.samples import Samples
from prism.documents import SourceName
from prism.fields import DEGREES, PIXELS, Shown
from prism.finish.aperture import Aperture
from prism.finish.base import FinishStep, Number
from prism.finish.context import Context
from prism.finish.focus_layers import LEAST, SHARP, go_on, layers, layers_of_samples
from prism.finish.planes import finite, in_bands
from prism.keyed import Within
from prism.pixels.picture import Picture

_PIXELS, _LENS = ("by", ("pixels",)), ("by", ("lens",))
Distance = Annotated[Number, Within(1e-6, 1e9)]
Millimetres = Annotated[Number, Within(0.1, 10_000)]


class DefocusStep(FinishStep):
    """The disc of a pixel at a depth z has the radius opening |z - focus| / z, in full pixels, at most `largest`:
    a thin lens. opening: the radius at infinity; by lens it follows from F, the f-number N, the width of the sensor and
    the focus at s millimetres: F^2 / (2 N (s - F)) / sensor times the width of the picture.

    Pixels are parted into layers by their radius, each between its two neighbours; every layer becomes discs with its
    own coverage, and they are laid over each other from far to near. What a layer does not show behind a nearer one is
    filled from around. So no background spreads over what is sharp before it, and no sharp edge stays about what is
    blurred. Where the pass is deep, its samples are the layers, whole behind each other, each in the colour that it
    has in the picture; what has no sample is infinitely far. Depth of 0 or less, and what is not a number, counts as
    infinitely far.
    """

    title: ClassVar[str] = "defocus"
    meaning: ClassVar[str] = "what is nearer or farther than the focus becomes discs"
    focus_by: ClassVar[tuple[str, str] | None] = ("focus", "depth")
    source_fields: ClassVar[tuple[str, ...]] = ("depth",)

    kind: Literal["defocus"] = "defocus"
    depth: Annotated[SourceName, Shown(title="depth", lists="depths_or_deep")]
    focus: Annotated[Distance, Shown(title="focus", digits=3)] = 5.0
    by: Annotated[Literal["pixels", "lens"], Shown(title="opening")] = "pixels"
    opening: Annotated[Number, Within(0, 500), Shown(title="disc at infinity", **PIXELS, when=_PIXELS)] = 12.0
    focal_length: Annotated[Millimetres, Shown(title="focal length", unit="mm", digits=1, when=_LENS)] = 50.0
    f_number: Annotated[Number, Within(0.1, 200), Shown(title="f-number", when=_LENS)] = 2.8
    sensor: Annotated[Millimetres, Shown(title="sensor's width", unit="mm", digits=1, when=_LENS)] = 36.0
    unit: Annotated[Millimetres, Shown(title="one unit of depth", unit="mm", step=10, digits=0, when=_LENS)] = 1000.0
    largest: Annotated[Number, Within(0, 500), Shown(title="largest disc", **PIXELS)] = 60.0
    blades: Annotated[int, Within(0, 16), Shown(title="blades (0: round)", step=0.05, digits=0)] = 0
    turn: Annotated[Number, Within(-3600, 3600), Shown(title="blades turned", **DEGREES)] = 0.0

    @property
    def is_neutral(self) -> bool:
        """With an opening that is none."""
        return self.by == "pixels" and self.opening == 0

    def reach(self, picture: Picture) -> float:
        """The reach of the largest disc, once for it and once for what fills the layers behind it."""
        return 6 * self.largest + 8 * picture.step

    def cost(self, step: int) -> float:
        """The cost of some twenty layers."""
        return 250

    def in_words(self) -> Iterable[str]:
        """Where it is sharp."""
        return (f"sharp at {self.focus:g}",)

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): alpha is blurred as well."""
        clean = np.ascontiguousarray(finite(picture.rgba))
        samples = context.samples(self.depth, picture)
        if samples is not None:
            return self._of_samples(clean, samples, picture)
        laid, filled = np.zeros((5, *clean.shape[1:]), np.float32), False  # the last is how much is known of a pixel
        for layer in layers(self._radii(context.pixels(self.depth, picture)[0], picture)):
            if layer.radius < -SHARP and not filled:
                go_on(laid, self.largest / picture.step, _origin(picture))
                filled = True
            layer.cover(laid, clean, self._aperture(layer.radius), _origin(picture))
        return in_bands(_whole, 4, laid, clean)

    def _of_samples(self, clean: NDArray[np.float32], samples: Samples, picture: Picture) -> NDArray[np.float32]:
        """(4, H, W): every sample in the colour that it has in this picture, so that what is behind is there where a
        nearer one becomes a disc."""
        middles = samples.depth.mean(axis=1, dtype=np.float32)
        radii = self._radii(np.append(middles, np.float32(np.inf))[np.newaxis], picture)[0]
        laid = np.zeros((5, *clean.shape[1:]), np.float32)
        for layer in layers_of_samples(samples, clean, radii[:-1], float(radii[-1])):
            layer.cover(laid, layer.rgba, self._aperture(layer.radius), _origin(picture))
        return in_bands(_whole, 4, laid, clean)

    def _aperture(self, radius: float) -> Aperture:
        return Aperture(abs(radius), self.blades, self.turn)

    def _radii(self, depth: NDArray[np.float32], picture: Picture) -> NDArray[np.float32]:
        """(H, W) in pixels of the picture: above 0 behind the focus, below 0 before it."""
        opening, largest = self._opening(picture.display_window.width), self.largest

        def radii(z: NDArray[np.float32]) -> NDArray[np.float32]:
            inverse = np.divide(np.float32(1), z, out=np.zeros_like(z), where=np.isfinite(z) & (z > 0))
            there = np.float32(opening) * (1 - np.float32(self.focus) * inverse)
            return there.clip(-largest, largest) * np.float32(1 / picture.step)

        return in_bands(radii, 1, depth)[0]

    def _opening(self, width: int) -> float:
        if self.by == "pixels":
            return float(self.opening)
        distance = max(self.focus * self.unit - self.focal_length, 1e-3)
        return self.focal_length**2 / (2 * self.f_number * distance) / self.sensor * width


def _origin(picture: Picture) -> tuple[int, int]:
    """Row and column of the whole frame, in pixels of this size, at which the picture begins."""
    return picture.window.y0 // picture.step, picture.window.x0 // picture.step


def _whole(laid: NDArray[np.float32], clean: NDArray[np.float32]) -> NDArray[np.float32]:
    """(4, H, W): what was laid, divided by how much of it is known; the picture where nothing is."""
    known = laid[4] > LEAST
    return np.asarray(np.where(known, laid[:4] / np.where(known, laid[4], np.float32(1)), clean), np.float32)
