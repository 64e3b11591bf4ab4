"""Flare: what a bright light does inside a lens, built from parts."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from types import MappingProxyType
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.documents import Identity, SourceName
from prism.fields import DEGREES, RGB, Shown
from prism.finish.base import WHOLE, Light, Number
from prism.finish.context import Context
from prism.finish.kinds.grain import white_noise
from prism.finish.planes import brightness, by_channel, finite, places
from prism.finish.point import PointStep
from prism.keyed import Within
from prism.pixels.blur import gaussian
from prism.pixels.picture import Picture
from prism.pixels.resize import resized

GOLDEN = (math.sqrt(5) - 1) / 2  # multiples of it, less their whole part, lie as far apart as numbers can
RING_TINTS = (0.985, 1.0, 1.015)  # how wide the ring is in red, green and blue
BRIGHTEST = 0.9  # of the largest luminance in the matte: what counts as its brightest pixels
SPECKS = 160  # cells of dirt across a picture


class FlareStep(PointStep):
    """Light on top, about a place at a distance d from it in pixels, with s the size:

    core / (1 + (d / 0.04 s)^2)^1.5;
    streak e^(-|u| / 0.5 s) e^(-(v / 0.012 s)^2), u along `turn` and v across it;
    ring e^(-((d / 0.45 s w - 1) / 0.035)^2), w 0.985, 1 and 1.015 for red, green and blue;
    ghosts: `count` discs along the line from the place through the middle; dirt on the glass, lit about the place.

    of: the point itself, or the brightest pixels within the matte that it follows. It fades as far as the disc of
    `light_size` about the place is covered: by a matte, or by what is nearer than `distance` in a pass of depth.
    """

    title: ClassVar[str] = "flare"
    meaning: ClassVar[str] = "core, streak, ring, ghosts and dirt about a bright light"
    source_fields: ClassVar[tuple[str, ...]] = ("depth",)
    matte_fields: ClassVar[Mapping[str, str]] = MappingProxyType({**PointStep.matte_fields, "hidden_by": "hidden by"})

    kind: Literal["flare"] = "flare"
    of: Annotated[Literal["point", "brightest"], Shown(title="lies on")] = "point"
    size: Annotated[Number, Within(1, 20_000), Shown(title="size", unit="px", step=1, digits=0)] = 400.0
    tint: Annotated[tuple[Light, Light, Light], Shown(title="tint", parts=RGB)] = (1.0, 0.9, 0.75)
    core: Annotated[Light, Shown(title="core")] = 1.0
    streak: Annotated[Light, Shown(title="streak")] = 0.35
    turn: Annotated[Number, Within(-3600, 3600), Shown(title="turn", **DEGREES)] = 0.0
    ring: Annotated[Light, Shown(title="ring")] = 0.04
    ghosts: Annotated[Light, Shown(title="ghosts", step=0.002, digits=3)] = 0.03
    count: Annotated[int, Within(0, 40), Shown(title="ghosts, how many", step=0.1, digits=0)] = 7
    dirt: Annotated[Light, Shown(title="dirt", step=0.002, digits=3)] = 0.0
    seed: Annotated[int, Within(0, 1_000_000), Shown(title="seed", step=1, digits=0)] = 0
    light_size: Annotated[Number, Within(1, 2000), Shown(title="light's size", unit="px", step=0.25)] = 12.0
    hidden_by: Identity | None = None
    depth: Annotated[SourceName | None, Shown(title="hidden by depth", lists="depths")] = None
    distance: Annotated[Number, Within(0, 1e9), Shown(title="its distance")] = 1000.0

    def reach(self, picture: Picture) -> float:
        """All of the picture, where its brightest pixels are looked for."""
        return WHOLE if self.of == "brightest" else 0

    def cost(self, step: int) -> float:
        """The cost of the lens and of every ghost."""
        return 80 + 40 * self.count

    def in_words(self) -> Iterable[str]:
        """How large, and whether it fades."""
        yield f"{self.size:g} px"
        if self.hidden_by or self.depth:
            yield "hidden by what is before it"

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): alpha stays as it is."""
        out = picture.rgba.copy()
        place = self._brightest(picture, context) if self.of == "brightest" else self.point(picture, context)
        seen = 0.0 if place is None else self._seen(place, picture, context)
        if place is None or seen == 0:
            return out
        x, y = places(picture)
        across, down = (x - np.float32(place[0])) * np.float32(picture.pixel_aspect), y - np.float32(place[1])
        away = np.sqrt(across**2 + down**2)
        light = self._lens(across, down, away) + self._ghosts(x, y, place, picture)
        if self.dirt:
            light = light + self._dirt(away, picture)
        out[:3] += light * (by_channel(self.tint) * np.float32(seen))
        return out

    def _lens(
        self, across: NDArray[np.float32], down: NDArray[np.float32], away: NDArray[np.float32]
    ) -> NDArray[np.float32]:
        """(3, H, W): core, streak and ring."""
        s = self.size
        turn = math.radians(self.turn)
        u = across * np.float32(math.cos(turn)) + down * np.float32(math.sin(turn))
        v = down * np.float32(math.cos(turn)) - across * np.float32(math.sin(turn))
        light = np.float32(self.core) / (1 + (away / np.float32(0.04 * s)) ** 2) ** np.float32(1.5)
        streak = np.exp(-np.abs(u) / np.float32(0.5 * s)) * np.exp(-((v / np.float32(0.012 * s)) ** 2))
        light = light + np.float32(self.streak) * streak
        rings = [np.exp(-(((away / np.float32(0.45 * s * wide) - 1) / np.float32(0.035)) ** 2)) for wide in RING_TINTS]
        return np.asarray(light + np.float32(self.ring) * np.stack(rings), np.float32)

    def _ghosts(
        self, x: NDArray[np.float32], y: NDArray[np.float32], place: tuple[float, float], picture: Picture
    ) -> NDArray[np.float32]:
        """(3, H, W): discs with a soft rim, each a little brighter there."""
        light = np.zeros((3, y.shape[0], x.shape[1]), np.float32)
        middle = picture.display_window.width / 2, picture.display_window.height / 2
        for number in range(self.count if self.ghosts else 0):
            along, wide, warm, strong = _numbers(self.seed, number)
            at = 0.4 + 1.9 * along
            centre = [p + (m - p) * at for p, m in zip(place, middle, strict=True)]
            radius = self.size * (0.03 + 0.16 * wide * wide)
            away = np.hypot((x - np.float32(centre[0])) * np.float32(picture.pixel_aspect), y - np.float32(centre[1]))
            share = away / np.float32(radius)
            disc = ((1 - share) / np.float32(0.12)).clip(0, 1) * (np.float32(0.55) + np.float32(0.45) * share**2)
            tint = by_channel((0.5 + 0.5 * warm, 0.75, 1 - 0.5 * warm))
            light += np.float32(self.ghosts * (0.4 + 0.6 * strong)) * tint * disc
        return light

    def _dirt(self, away: NDArray[np.float32], picture: Picture) -> NDArray[np.float32]:
        """(H, W): specks on the glass, the same on every frame."""
        display, step = picture.display_window, picture.step
        rows = max(2, round(SPECKS * display.height / display.width))
        specks = gaussian(white_noise((rows, SPECKS), (0, 0), self.seed, 0, 7), 1.2) * np.float32(4.26)  # deviation 1
        specks = np.maximum(specks - np.float32(0.6), 0)
        shape = -(-display.height // step), -(-display.width // step)
        glass = resized(specks, shape, pick=False)
        rows_at = (np.arange(away.shape[0]) + (picture.window.y0 - display.y0) // step).clip(0, shape[0] - 1)
        columns_at = (np.arange(away.shape[1]) + (picture.window.x0 - display.x0) // step).clip(0, shape[1] - 1)
        near = 1 / (1 + (away / np.float32(0.6 * self.size)) ** 2) ** 2
        return np.float32(self.dirt) * glass[np.ix_(rows_at, columns_at)] * near

    def _brightest(self, picture: Picture, context: Context) -> tuple[float, float] | None:
        """The middle of the brightest pixels, weighted by their light; of those within the matte it follows."""
        light = np.maximum(brightness(finite(picture.rgba)[:3], picture.space), 0)
        if self.follow is not None:
            light = light * context.matte(self.follow, picture)
        most = float(light.max(initial=0))
        if most <= 0:
            return None
        light = np.where(light >= BRIGHTEST * most, light, 0).astype(np.float64)
        x, y = places(picture)
        return float((light * x).sum() / light.sum()) + self.x, float((light * y).sum() / light.sum()) + self.y

    def _seen(self, place: tuple[float, float], picture: Picture, context: Context) -> float:
        """0..1: how much of the light is not covered; what lies outside of the picture covers nothing."""
        covers: list[NDArray[np.float32]] = []
        if self.hidden_by is not None:
            covers.append(context.around(place, self.light_size / 2, picture.step, matte=self.hidden_by))
        if self.depth is not None:
            near = context.around(place, self.light_size / 2, picture.step, source=self.depth)
            covers.append((near < self.distance).astype(np.float32))
        seen = 1.0
        for cover in covers:
            seen *= 1 - float(cover.mean()) if cover.size else 1.0
        return seen


def _numbers(seed: int, number: int) -> tuple[float, ...]:
    """Four numbers 0..1 of a ghost, spread evenly over all of them."""
    return tuple(math.modf((number + 1 + 17 * k) * GOLDEN * (1 + 0.37 * k) + seed * math.sqrt(2) * (k + 1))[0]
                 for k in range(4))  # fmt: skip
