"""A frame whose sources lie in memory: for the laws of ledgers, and for the bench."""

from __future__ import annotations

from types import MappingProxyType, SimpleNamespace

import numpy as np

from prism.errors import UnknownSource, UnreadableFile
from prism.passes.catalogue import CATALOGUE
from prism.pixels.window import Window
from prism.sources.pixels import Pixels, smaller


class MemoryFrame:
    """sources: {key: (colour (3, H, W), alpha (H, W) or None)}, of one size; colour float16 or float32. deep: by key,
    the samples of sources that are deep."""

    pixel_aspect = 1.0

    def __init__(self, sources, number: int = 1, deep=MappingProxyType({})) -> None:
        self.number = number
        self.deep = {key: samples.with_names(("R", "G", "B"), ()) for key, samples in deep.items()}
        self.facts: dict[str, dict] = {}
        self.others: dict[int, MemoryFrame] = {}
        self.clips: dict[str, MemoryClip] = {}
        self._pixels = {key: _pixels(colour, alpha) for key, (colour, alpha) in sources.items()}
        height, width = next(iter(self._pixels.values())).planes[0].shape
        self.window = self.display_window = Window(0, 0, width - 1, height - 1)

    def __contains__(self, key: str) -> bool:
        return key in self._pixels

    def __iter__(self):
        return iter(self.source(key) for key in self._pixels)

    def source(self, key: str):
        if key not in self._pixels:
            raise UnknownSource(f"There is no source {key}.")
        alpha = None if self._pixels[key].alpha is None else "A"
        named = "light_group" if key.startswith("light_") else "group_components" if "_light_" in key else key
        named = "crypto_object" if key.startswith("ids") else named
        kind = next((kind for kind in CATALOGUE if kind.key == named), None)
        facts = {
            "kind": kind,
            "scaled": False,
            "bits": 0,
            "lossy": "",
            "layer": "",
            "camera": "",
            "attributes": MappingProxyType({}),
            "colour": ("R", "G", "B"),
        } | self.facts.get(key, {})
        return SimpleNamespace(
            key=key, title=key, is_data=False, denoised=False, excluded=False, alpha=alpha,
            where="memory", is_deep=key in self.deep, **facts,
        )  # fmt: skip

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        self.source(key)
        return self._pixels[key] if step == 1 else smaller(self._pixels[key], step, pick=False)

    def samples(self, key: str):
        return self.deep[key]

    def samples_at(self, key: str, pixels, window):
        return self.deep[key].of_pixels(pixels, window)

    def read(self, keys, *, step: int = 1) -> None:
        pass

    def shape(self, step: int = 1) -> tuple[int, int]:
        return -(-self.window.height // step), -(-self.window.width // step)

    def at(self, number: int):
        if number not in self.others:
            raise UnreadableFile(f"Frame {number} is not there.")
        return self.others[number]

    def clip(self, key: str):
        return self.clips.get(key)

    @property
    def whole(self):
        return self

    def cut(self, plane):
        return plane

    def box(self, key, rows, columns):
        return self.pixels(key).cut(rows, columns)

    def cached(self, key, make):
        return make()

    def identity(self):
        return id(self)


class MemoryClip:
    """plates: {number, or None for a still: (colour, alpha, window, display window, pixel aspect)}, each of a size of
    its own."""

    def __init__(self, key: str, plates) -> None:
        self._plates = {number: _alone(key, *plate) for number, plate in plates.items()}
        self.numbers = tuple(sorted(number for number in plates if number is not None))

    def at(self, number: int):
        return self._plates[number if self.numbers else None]


def _alone(key, colour, alpha, window: Window, display: Window, aspect: float) -> MemoryFrame:
    frame = MemoryFrame({key: (colour, alpha)})
    frame.window, frame.display_window, frame.pixel_aspect = window, display, aspect
    return frame


def _pixels(colour, alpha) -> Pixels:
    planes = tuple(np.ascontiguousarray(plane) for plane in colour)
    return Pixels(planes, None if alpha is None else np.ascontiguousarray(alpha.astype(colour.dtype)))
