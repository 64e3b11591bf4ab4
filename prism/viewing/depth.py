"""What a group by depth looks like inside: the number of samples, the section of a pixel, its samples as points in
space, and where depth matters."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.colour.view import apply_exactly
from prism.combine.in_depth import drawn_at, elements_of, flat_by_depth, group_of, laid_in_depth, merged_samples
from prism.combine.program import compile_ledger
from prism.deep import operations as deep
from prism.deep.samples import Samples
from prism.errors import BadArgument
from prism.ledger.document import Ledger
from prism.ledger.rows import DepthRow
from prism.ledger.steps import Depths
from prism.limits import Stale, never
from prism.pixels.resize import averaged
from prism.pixels.window import Window
from prism.sources.pixels import Frame, Grid, Pixels, picture_of
from prism.viewing.picture import Look
from prism.viewing.reading import Line, codes_of, region_of
from prism.viewing.remap import Remap
from prism.viewing.subjects import Shown

SHOWS = ("seen", "flat", "difference", "samples")
THIN = 0.01  # alpha of what glows more than it covers: its own colour says nothing
PIXEL_COST = 400e-9  # seconds for a pixel of some samples, by what was measured on one machine
WARM = np.array(
    [[0, 0, 0], [0.35, 0.05, 0.1], [0.85, 0.3, 0.05], [1, 0.75, 0.25], [1, 1, 0.9]], np.float32
)  # few to many


def depths_of(ledger: Ledger, row: str, frame: int) -> Depths:
    """A group by depth at a frame, as if nothing else were in the ledger. Raises BadArgument if that row is none."""
    group = ledger.row(row)
    if not isinstance(group, DepthRow):
        raise BadArgument(f"Row {row} is no group by depth.", where=row, advice="Choose one that orders by depth.")
    alone = group.replace(on=True, solo=False, amount=1.0, matte=None)
    (step,) = compile_ledger(ledger.replace(rows=(alone,)), frame).steps
    return group_of(step)


@dataclass(frozen=True, slots=True, kw_only=True)
class DepthSubject:
    """A group by depth of a ledger. show: one of SHOWS: what is seen; what flat pictures merged by one depth a pixel
    would give; the difference of both; or how many samples each pixel has."""

    ledger: Ledger
    row: str
    show: str = "seen"

    def shown(self, frame: Frame, *, step: int = 1, remap: Remap = Remap(), is_stale: Stale = never) -> Shown:
        """The picture; samples as warmth, from none to the most of any pixel."""
        group = depths_of(self.ledger, self.row, frame.number)
        part, left = drawn_at(frame, step)
        if self.show == "samples":
            return _counted(group, frame, part, step)
        rgba = self._rgba(group, part, left)
        return Shown(picture_of(frame, rgba, step=step, space=self.ledger.space), False, list(rgba[:3]), "RGB")

    def _rgba(self, group: Depths, frame: Frame, step: int) -> NDArray[np.float32]:
        if self.show not in SHOWS:
            raise BadArgument(f"Unknown picture {self.show}.", advice=f"Use {', '.join(SHOWS)}.")
        if self.show == "seen":
            return _stacked(laid_in_depth(group, frame, step))
        flat = flat_by_depth(group, frame)
        if self.show == "difference":
            flat = np.abs(_stacked(laid_in_depth(group, frame, 1)) - flat)
            flat[3] = 1
        return np.stack([averaged(plane, step) for plane in flat])

    def seconds(self, frame: Frame, *, step: int = 1) -> float:
        """By the pixels that are drawn; how many samples those have is not known before they are read."""
        part, _ = drawn_at(frame, step)
        group = depths_of(self.ledger, self.row, frame.number)
        height, width = part.shape()
        return PIXEL_COST * height * width * len(group.steps)

    def lines(self, frame: Frame, box: Window, look: Look) -> list[Line]:
        """What each deep pass and card shows by itself, and what all of them come to."""
        region = region_of(frame, box)
        group = depths_of(self.ledger, self.row, frame.number)
        titles = {row.id: row.id for row in self.ledger.walk()}
        lines = [
            _line(f"row/{step.id}", titles[step.id], deep.flattened(samples)[1], look)
            for step, samples in elements_of(group, region)
        ]
        whole = _stacked(laid_in_depth(group, region, 1))
        return [*lines, _line("seen", "by depth", whole, look), *_count_line(group, region)]


def _stacked(pixels: Pixels) -> NDArray[np.float32]:
    alpha = np.ones_like(pixels.planes[0]) if pixels.alpha is None else pixels.alpha
    return np.stack([*pixels.planes, alpha]).astype(np.float32)


def _line(key: str, title: str, rgba: NDArray[np.float32], look: Look) -> Line:
    rgb, alpha = tuple(float(plane.mean()) for plane in rgba[:3]), float(rgba[3].mean())
    return Line(key, title, tuple("RGB"), rgb, alpha, codes_of(rgb, look))


def _count_line(group: Depths, frame: Frame) -> list[Line]:
    counts = merged_samples(group, frame).counts
    return [Line("samples", "samples", ("",), (float(counts.mean()),), None, None)]


def _counted(group: Depths, frame: Frame, part: Frame, step: int) -> Shown:
    counts = merged_samples(group, part).counts.astype(np.float32)
    counts = averaged(counts, step) if part is frame else counts
    most = max(1.0, float(counts.max()))
    stops = np.linspace(0, most, len(WARM))
    warmth = np.stack([np.interp(counts, stops, WARM[:, channel]) for channel in range(3)])
    rgba = np.concatenate([warmth, np.ones_like(warmth[:1])]).astype(np.float32)
    return Shown(picture_of(frame, rgba, step=step), True, (counts,), ("samples",), (0.0, most))


# ---- One pixel ----
@dataclass(frozen=True, slots=True)
class Slab:
    """A sample in the section of a pixel. row: id of what it is of. through: how much of it is seen, 0..1. code:
    display bytes of its whole colour."""

    row: str
    front: float
    back: float
    alpha: float
    through: float
    code: tuple[int, int, int]


def section(ledger: Ledger, row: str, frame: Frame, x: int, y: int, look: Look) -> dict[str, Any]:
    """The samples of a pixel, of each deep pass and card and as they are put together, near to far: see Slab; `before`:
    pairs of depth and alpha that has gathered up to there. Raises BadArgument outside of the picture."""
    region = region_of(frame, Window(x, y, x, y))
    group = depths_of(ledger, row, frame.number)
    elements = list(elements_of(group, region))
    merged = deep.merged([samples for _, samples in elements]) if elements else None
    return {
        "slabs": [slab for step, samples in elements for slab in _slabs(step.id, samples, merged, look)],
        "gathered": _gathered(merged),
    }


def _slabs(row: str, samples: Samples, merged: Samples | None, look: Look) -> list[Slab]:
    made = []
    for (front, back), alpha, colour in zip(samples.depth, samples.alpha, samples.colour, strict=True):
        whole = [float(value / colour[3]) if colour[3] > THIN else float(value) for value in colour[:3]]
        codes = codes_of([value if np.isfinite(value) else 0.0 for value in whole], look)[8]
        made.append(Slab(row, float(front), float(back), float(alpha), _through(merged, front), codes))
    return made


def _through(merged: Samples | None, depth: float) -> float:
    """What is let through by all that is nearer."""
    nearer = merged.alpha[merged.depth[:, 1] <= depth] if merged is not None else ()
    return float(np.prod(1 - np.asarray(nearer, np.float64)))


def _gathered(merged: Samples | None) -> list[tuple[float, float]]:
    if merged is None:
        return []
    pairs, through = [], 1.0
    for (front, back), alpha in zip(merged.depth, merged.alpha, strict=True):
        pairs.append((float(front), 1 - through))
        through *= 1 - float(alpha)
        pairs.append((float(back), 1 - through))
    return pairs


# ---- All of them in space ----
@dataclass(frozen=True, slots=True, eq=False)
class Cloud:
    """Samples as points. places: (N, 3) float32, x and y in pixels of the picture from its middle, y up, and the depth
    of the middle of each. codes: (N, 4) bytes, display colour and alpha. total: how many samples there are; every
    total/N-th was taken."""

    places: NDArray[np.float32]
    codes: NDArray[np.uint8]
    total: int


def cloud(ledger: Ledger, row: str, frame: Frame, look: Look, *, most: int) -> Cloud:
    """All deep passes and cards of a group as at most that many points, evenly thinned."""
    group = depths_of(ledger, row, frame.number)
    height, width = frame.shape()
    part, _ = drawn_at(frame, max(1, round((height * width / most) ** 0.5)))
    scale = part.step if isinstance(part, Grid) else 1
    elements = [samples for _, samples in elements_of(group, part)]
    total = sum(map(len, elements))
    stride = max(1, -(-total // most))
    parts = [_points(samples, look, stride, scale) for samples in elements]
    return Cloud(
        places=np.concatenate([np.zeros((0, 3), np.float32), *(places for places, _ in parts)]),
        codes=np.concatenate([np.zeros((0, 4), np.uint8), *(codes for _, codes in parts)]),
        total=total,
    )


def _points(
    samples: Samples, look: Look, stride: int, scale: int
) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:  # fmt: skip
    taken = np.arange(stride // 2, len(samples), stride)
    finite = np.isfinite(samples.depth[taken]).all(axis=1)
    taken = taken[finite]
    pixels = np.searchsorted(samples.offsets, taken, side="right") - 1
    row, column = np.divmod(pixels, samples.window.width)
    display = samples.display_window
    x = scale * (column + samples.window.x0 - display.x0 + 0.5 - display.width / 2)
    y = scale * (display.height / 2 - (row + samples.window.y0 - display.y0 + 0.5))
    places = np.stack([x, y, samples.depth[taken].mean(axis=1)], axis=1).astype(np.float32)
    seen = np.nan_to_num(samples.colour[taken], nan=0, posinf=0, neginf=0)
    alpha = seen[:, 3:]
    whole = np.divide(seen[:, :3], alpha, out=seen[:, :3].copy(), where=alpha > THIN) * np.float32(2.0**look.stops)
    shown = apply_exactly(whole[np.newaxis].astype(np.float32), look.transform)[0]
    codes = np.concatenate([shown, samples.alpha[taken, np.newaxis]], axis=1)
    return places, np.floor(codes.clip(0, 1) * 255 + 0.5).astype(np.uint8)
