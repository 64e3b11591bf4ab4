"""From the tables of a traced band to the planes of passes: what every entry of the catalogue is made of."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from prism.errors import BadArgument
from prism.mattes.cryptomatte import flat_colours, name_floats, ranked
from prism.passes.catalogue import BY_KEY
from prism.passes.kinds import LIT, PassKind, Role
from standin import survey as columns
from standin.accumulation import BEAUTY, COMPONENTS, DIFFUSE, FIRST_GROUP, part_row
from standin.rays import FAR

Planes = list[NDArray[np.float32]]
_KINDS = {"object": 0, "material": 1, "group": 2}


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Band:
    """The tables of a band of rows, and what their numbers stand for."""

    accounts: NDArray[np.float64]  # (H, W, rows, 3)
    table: NDArray[np.float64]  # (H, W, DATA_COUNT)
    things: NDArray[np.int32]  # (H, W, 3, SLOTS)
    shares: NDArray[np.float64]
    labels: tuple[str, ...]  # light groups
    names: tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...]]  # objects, materials, groups
    to_camera: NDArray[np.float64]  # (3, 3), rows right, up and towards the viewer
    line_colour: tuple[float, float, float]
    levels: int
    openness_is_beauty: bool  # under the occlusion override

    def columns(self, first: int, count: int = 1) -> Planes:
        """Planes of the survey's table, float32 (rows, W) each."""
        return [self.table[..., first + place].astype(np.float32) for place in range(count)]

    def light(self, *rows: int) -> Planes:
        """The sum of some rows of the account, as three planes (H, W)."""
        total = self.accounts[..., np.array(rows, int), :].sum(axis=2)
        return [total[..., channel].astype(np.float32) for channel in range(3)]


_ROWS = {component: row for row, component in enumerate(COMPONENTS)}
"""Rows of the account by component. No scene of this renderer has light of any other: it is black."""


def planes_of(key: str, kind: PassKind, band: Band) -> Planes:
    """The planes of a pass, float32 (H, W) each, in the order of its channels. key: the pass's own, light_LABEL or
    COMPONENT_light_LABEL."""
    if kind.role is Role.GROUP:
        return band.light(FIRST_GROUP + band.labels.index(key.removeprefix("light_")))
    if kind.role is Role.PART:
        component, _, label = key.partition("_light_")
        rows = [part_row(_ROWS[component], band.labels.index(label), len(band.labels))] if component in _ROWS else []
        return band.light(*rows)
    if kind.role is Role.LIGHT:
        return band.light(*(_ROWS[part] for part in kind.total_of or (kind.key,) if part in _ROWS))
    if kind.key not in MAKERS:
        raise BadArgument(
            f"This renderer does not make the pass {kind.title}.",
            where=key,
            advice="Switch it off in the plan, or render it elsewhere and import it.",
        )
    return MAKERS[kind.key](band)


def _beauty(band: Band) -> Planes:
    alpha = band.columns(columns.ALPHA)
    if band.openness_is_beauty:
        grey = (band.table[..., columns.OCCLUSION] - (1 - band.table[..., columns.SOLID])).clip(0).astype(np.float32)
        return [grey, grey, grey, *alpha]
    return [*band.light(BEAUTY), *alpha]


def _raw_light(band: Band) -> Planes:
    """Raw light x surface colour = diffuse light; where the surface is black there is nothing to divide out."""
    lit, surface = band.light(DIFFUSE, DIFFUSE + 1), band.columns(columns.COLOUR, 3)
    return [np.divide(a, b, out=np.zeros_like(a), where=b > 0) for a, b in zip(lit, surface, strict=True)]


def _shadow(band: Band) -> Planes:
    """Light that arrives of what would arrive with nothing in the way; 1 where no light could be aimed at."""
    lit, opened = band.columns(columns.LIT, 3), band.columns(columns.OPEN, 3)
    return [np.divide(a, b, out=np.ones_like(a), where=b > 0) for a, b in zip(lit, opened, strict=True)]


def _depth_filtered(band: Band) -> Planes:
    total, solid = band.table[..., columns.DEPTH_SUM], band.table[..., columns.SOLID]
    return [np.divide(total, solid, out=np.full_like(total, np.inf), where=solid > 0).astype(np.float32)]


def _depth(band: Band) -> Planes:
    nearest = band.table[..., columns.DEPTH]
    return [np.where(nearest < FAR, nearest, np.inf).astype(np.float32)]


def _normals_camera(band: Band) -> Planes:
    turned = band.table[..., columns.NORMAL : columns.NORMAL + 3] @ band.to_camera.T
    return [turned[..., axis].astype(np.float32) for axis in range(3)]


def _variance(band: Band) -> Planes:
    """The variance of the mean over the samples taken, without bias: spread / (n - 1)."""
    taken = band.table[..., columns.SAMPLES]
    mean = band.accounts[..., BEAUTY, :]
    spread = band.table[..., columns.SQUARE : columns.SQUARE + 3] - mean * mean
    variance = spread.clip(0) / np.maximum(taken - 1, 1)[..., np.newaxis]
    return [variance[..., channel].astype(np.float32) for channel in range(3)]


def _wire(band: Band) -> Planes:
    return [(band.table[..., columns.WIRE] * level).astype(np.float32) for level in band.line_colour]


def _flat_id(what: str) -> Callable[[Band], Planes]:
    def make(band: Band) -> Planes:
        place = _KINDS[what]
        palette = flat_colours(band.names[place])
        most = band.shares[..., place, :].argmax(axis=-1)[..., np.newaxis]
        thing = np.take_along_axis(band.things[..., place, :], most, -1)[..., 0]
        picture = np.where((thing >= 0)[..., np.newaxis], palette[np.maximum(thing, 0)], np.float32(0))
        return [np.ascontiguousarray(picture[..., channel]) for channel in range(3)]

    return make


def _crypto(what: str) -> Callable[[Band], Planes]:
    def make(band: Band) -> Planes:
        place = _KINDS[what]
        return ranked(
            band.things[..., place, :], band.shares[..., place, :], name_floats(band.names[place]), band.levels
        )

    return make


def _columns(first: int, count: int = 1) -> Callable[[Band], Planes]:
    return lambda band: band.columns(first, count)


MAKERS: Mapping[str, Callable[[Band], Planes]] = MappingProxyType(
    {
        "beauty": _beauty,
        "surface_colour": _columns(columns.COLOUR, 3),
        "albedo": _columns(columns.ALBEDO, 3),
        "raw_light": _raw_light,
        "occlusion": _columns(columns.OCCLUSION),
        "shadow": _shadow,
        "wire": _wire,
        "depth": _depth,
        "depth_filtered": _depth_filtered,
        "mist": _columns(columns.MIST),
        "normals": _columns(columns.NORMAL, 3),
        "normals_camera": _normals_camera,
        "position": _columns(columns.POSITION, 3),
        "uv": _columns(columns.UV, 2),
        "motion_forward": _columns(columns.FORWARD, 2),
        "motion_backward": _columns(columns.BACKWARD, 2),
        "variance": _variance,
        **{f"id_{what}": _flat_id(what) for what in _KINDS},
        **{f"crypto_{what}": _crypto(what) for what in _KINDS},
    }
)
"""Every pass that is neither light nor deep, by its key."""


def is_drawn(key: str) -> bool:
    """Whether there is a maker for an entry of the catalogue."""
    kind = BY_KEY[key]
    return kind.role in LIT or key in MAKERS or key == "deep"
