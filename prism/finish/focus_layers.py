"""A picture parted into layers by the radius of the disc that each pixel becomes, and laid together again."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import partial

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only
from prism.deep.operations import flattened
from prism.deep.samples import Samples
from prism.finish.aperture import Aperture
from prism.finish.planes import in_bands
from prism.pixels.blur import each_plane, gaussian

SHARP = 0.5  # pixels: radius up to which a pixel is as sharp as it can be
RATIO = 1.6  # of the radii of neighbouring layers, about
NEAR_RATIO = 1.25  # the same of samples; an opaque one is whole in both of its layers
FINEST = 16.0  # pixels of the radius that a disc is drawn at; larger ones are made of blocks
UNSEEN = 1e-3  # of the light that comes through what counts as opaque
ABSENT = -9.0  # the place of a sample that is in no layer
LEAST = 1e-4  # coverage below which nothing is known of what lies there
BAND_ROWS = 32
_NONE: NDArray[np.float32] = np.zeros((0, 0), np.float32)


@dataclass(frozen=True, slots=True, eq=False)
class FocusLayer:
    """Pixels whose discs have about one radius, which is below 0 before the focus. places: (H, W), where every pixel
    lies between layers; its share of the layer `number` is 1 - |places - number|. box: first and end of the rows and of
    the columns that hold something of it. rgba, coverage: (4, H, W) and (H, W) of a layer that has its own; of the
    others every pixel covers."""

    radius: float
    number: int
    places: NDArray[np.float32]
    box: tuple[tuple[int, int], tuple[int, int]]
    rgba: NDArray[np.float32] = field(default_factory=lambda: _NONE)
    coverage: NDArray[np.float32] = field(default_factory=lambda: _NONE)

    def cover(
        self, laid: NDArray[np.float32], rgba: NDArray[np.float32], aperture: Aperture, origin: tuple[int, int]
    ) -> None:
        """Lay its discs over what is there: laid (5, H, W), R G B A and coverage, in place. rgba: the picture. origin:
        row and column of a larger picture at which this one begins, so that blocks lie alike in parts of it."""
        step = max(1, math.ceil(aperture.radius / FINEST))
        reach = aperture.reach + 2 * step
        (top, bottom), (left, right) = (
            _blocks(ends, reach, step, begin) for ends, begin in zip(self.box, origin, strict=True)
        )
        part = np.empty((5, (bottom - top) // step, (right - left) // step), np.float32)
        number = np.float32(self.number)

        given = read_only(rgba), read_only(self.coverage), self.places, number
        run_bands(lambda a, b: _gather(part, _line(part), *given, step, top, left, a, b), part.shape[1], BAND_ROWS)
        soft = aperture.in_blocks(step).opened(part) if aperture.radius > SHARP else part
        height, width = self.places.shape
        rows, columns = (max(0, top), min(height, bottom)), (max(0, left), min(width, right))
        run_bands(
            lambda a, b: _spread(laid, _line(soft), soft, step, top, left, *columns, rows[0] + a, rows[0] + b),
            rows[1] - rows[0],
            BAND_ROWS,
        )


def layers(radii: NDArray[np.float32]) -> Iterator[FocusLayer]:
    """From far to near. radii: (H, W), in pixels; the largest on either side has a layer of its own."""
    if radii.size == 0:
        return
    marks = _marks_about(radii, RATIO)
    numbers = np.arange(len(marks), dtype=np.float32)
    places = in_bands(lambda part: np.asarray(np.interp(part, marks, numbers), np.float32), 1, radii)[0]
    height, width = places.shape
    rows, columns = np.zeros((height, len(marks) + 1), np.bool_), np.zeros((width, len(marks) + 1), np.bool_)
    _found(places, rows, columns)
    for number in range(len(marks) - 1, -1, -1):
        ends = [np.flatnonzero(side[:, number]) for side in (rows, columns)]
        if all(each.size for each in ends):
            down, across = ((int(each[0]), int(each[-1]) + 1) for each in ends)
            yield FocusLayer(float(marks[number]), number, places, (down, across))


def layers_of_samples(
    samples: Samples, rgba: NDArray[np.float32], radii: NDArray[np.float32], beyond: float
) -> Iterator[FocusLayer]:
    """From far to near, the first of what no sample is of, which covers as far as they do not. rgba: (4, H, W), the
    picture of which they are to have the colour. radii: (N,), of the samples, and beyond: of what is infinitely
    far. Every sample is parted between the two layers about its radius, so that both together cover as it does."""
    height, width = rgba.shape[1:]
    alpha, colour, _ = flattened(samples)
    flat = np.concatenate([colour, alpha[np.newaxis]])
    times = np.divide(rgba, flat, out=np.ones_like(rgba), where=flat > LEAST)
    everywhere = np.zeros((height, width), np.float32)
    box = (0, height), (0, width)
    yield FocusLayer(beyond, 0, everywhere, box, rgba - flat * times, 1 - alpha.clip(0, 1))
    if not len(samples):
        return
    marks = _marks_about(radii, NEAR_RATIO)
    places = np.interp(radii, marks, np.arange(len(marks))).astype(np.float32)
    order = np.lexsort((samples.depth[:, 0], samples.pixels))
    ordered = samples.offsets, samples.colour[order], samples.alpha[order], places[order]
    _set_surfaces(ordered[0], ordered[2], ordered[3])
    for number in sorted({*np.floor(places).astype(int).tolist(), *np.ceil(places).astype(int).tolist()}, reverse=True):
        own, coverage = np.zeros_like(rgba), np.zeros((height, width), np.float32)
        run_bands(partial(_in_layer, own, coverage, *ordered, number, times), height, BAND_ROWS)
        yield FocusLayer(float(marks[number]), 0, everywhere, box, own, coverage)


def go_on(laid: NDArray[np.float32], reach: float, origin: tuple[int, int]) -> None:
    """Fill what nearer layers hid of those behind with what is around, in place: laid is (5, H, W).

    reach: how far in, in pixels: the mean about it under a Gaussian half as wide, of those that are known."""
    step = max(1, int(reach / 8))
    height, width = laid.shape[1:]
    (top, bottom), (left, right) = (
        _blocks((0, count), 0, step, begin) for count, begin in zip((height, width), origin, strict=True)
    )
    small = np.empty((5, (bottom - top) // step, (right - left) // step), np.float32)
    given = read_only(laid[:4]), read_only(laid[4]), np.zeros((height, width), np.float32), np.float32(0)
    run_bands(lambda a, b: _gather(small, _line(small), *given, step, top, left, a, b), small.shape[1], BAND_ROWS)
    wide = each_plane(lambda plane: gaussian(plane, max(reach / 2 / step, 0.5), edge="constant"), small)
    known = wide[4] > LEAST
    guess = np.where(known, wide / np.where(known, wide[4], np.float32(1)), np.float32(0))
    run_bands(lambda a, b: _fill(laid, _line(guess), guess, step, top, left, a, b), height, BAND_ROWS)


def _line(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """(N, W) to work in, for planes (N, H, W)."""
    return np.empty((len(planes), planes.shape[2]), np.float32)


def _marks_about(radii: NDArray[np.float32], ratio: float) -> NDArray[np.float32]:
    """(M,), rising: 0, and on either side radii up to the largest there is, each about `ratio` times the one before."""

    def side(most: float) -> list[float]:
        count = math.ceil(math.log(most / SHARP, ratio)) if most > SHARP else 0
        return [SHARP * (most / SHARP) ** (k / count) for k in range(1, count + 1)]

    near, far = side(-float(radii.min())), side(float(radii.max()))
    return np.array([-r for r in reversed(near)] + [0.0] + far, np.float32)


def _blocks(ends: tuple[int, int], reach: int, step: int, begin: int) -> tuple[int, int]:
    """First and end of whole blocks that hold all that a stretch of pixels reaches."""
    first, last = ends[0] - reach + begin, ends[1] + reach + begin
    return first // step * step - begin, -(-last // step) * step - begin


@compiled
def _set_surfaces(offsets, alpha, places):
    """What lies just behind a surface is no surface of its own: once next to nothing is seen through samples, those
    behind them in the same layers are left out, in place, and what hides them is opaque."""
    for pixel in range(offsets.size - 1):
        through, at = np.float32(1), np.float32(0)
        for sample in range(offsets[pixel], offsets[pixel + 1]):
            if through <= UNSEEN:
                if abs(places[sample] - at) < 1:
                    places[sample] = ABSENT
                    continue
                through = np.float32(1)
            if alpha[sample] >= 1 - UNSEEN:
                alpha[sample] = 1
            through *= np.float32(1) - alpha[sample]
            at = places[sample]


@compiled
def _in_layer(own, coverage, offsets, colour, alpha, places, number, times, begin, end):
    """Rows begin..end: the samples of a layer over each other, near to far, times what their pixel is brighter."""
    width = own.shape[2]
    for row in range(begin, end):
        for column in range(width):
            pixel = row * width + column
            for at in range(offsets[pixel], offsets[pixel + 1]):
                share = np.float32(1) - abs(places[at] - np.float32(number))
                if share <= 0:
                    continue
                through = np.float32(1) - coverage[row, column]
                # As a volume is parted: 1 - a = (1 - a)^share (1 - a)^(1 - share). Light without alpha is shared out.
                covers = np.float32(1) - max(np.float32(1) - alpha[at], np.float32(0)) ** share
                part = through * (covers / alpha[at] if alpha[at] > 0 else share)
                for channel in range(3):
                    own[channel, row, column] += part * colour[at, channel] * times[channel, row, column]
                own[3, row, column] += through * covers * times[3, row, column]
                coverage[row, column] += through * covers


@compiled
def _found(places, rows, columns):
    """Mark which rows and columns have something of each layer."""
    for row in range(places.shape[0]):
        for column in range(places.shape[1]):
            number = int(places[row, column])
            rows[row, number] = columns[column, number] = True
            if places[row, column] > number:
                rows[row, number + 1] = columns[column, number + 1] = True


@compiled
def _gather(out, line, rgba, coverage, places, number, step, top, left, begin, end):
    """Rows begin..end of blocks: the layer's share of R, G, B, A and 1, every pixel parted between the middles of the
    four blocks about it, so that its light stays where it was. Nothing lies beyond the border. line: (5, w), to work
    in."""
    height, width = places.shape
    wide = out.shape[2]
    whole = np.float32(1.0 / (step * step))
    half = np.float32(0.5)
    for plane in range(5):
        for row in range(begin, end):
            for column in range(wide):
                out[plane, row, column] = 0
    for y in range(max(0, top + begin * step - step), min(height, top + (end + 1) * step)):
        v = (np.float32(y - top) + half) / np.float32(step) - half
        upper = int(np.floor(v))
        t = v - np.float32(upper)
        first = last = -1
        for x in range(max(0, left), min(width, left + wide * step)):
            share = whole * (np.float32(1) - abs(places[y, x] - number))
            if share <= 0:
                continue
            u = (np.float32(x - left) + half) / np.float32(step) - half
            near = int(np.floor(u))
            s = u - np.float32(near)
            low, high = max(near, 0), min(near + 1, wide - 1)
            if first < 0:
                first = low
                for plane in range(5):
                    line[plane, low] = 0
                last = low
            while last < high:
                last += 1
                for plane in range(5):
                    line[plane, last] = 0
            for plane in range(5):
                if plane < 4:
                    value = share * rgba[plane, y, x]
                else:
                    value = share * coverage[y, x] if coverage.size else share
                line[plane, low] += (np.float32(1) - s) * value
                line[plane, high] += s * value
        if first < 0:
            continue
        for row, part in ((upper, np.float32(1) - t), (upper + 1, t)):
            if begin <= row < end:
                for plane in range(5):
                    for column in range(first, last + 1):
                        out[plane, row, column] += part * line[plane, column]


@compiled
def _between(at, begin, step, last):
    """Where the middle of a pixel lies between those of blocks: the block before, that after, and the share of it."""
    half = np.float32(0.5)
    v = min(max((np.float32(at - begin) + half) / np.float32(step) - half, np.float32(0)), np.float32(last))
    before = int(v)
    return before, min(before + 1, last), v - np.float32(before)


@compiled
def _row_between(line, part, row, top, step):
    """A row of pixels between two rows of blocks."""
    upper, lower, t = _between(row, top, step, part.shape[1] - 1)
    for plane in range(5):
        above, below = part[plane, upper], part[plane, lower]
        for column in range(part.shape[2]):
            line[plane, column] = above[column] + t * (below[column] - above[column])


@compiled
def _spread(laid, line, part, step, top, left, first, last, begin, end):
    """laid (1 - coverage) + part at rows begin..end, the part read between its blocks. line: (5, w), to work in."""
    for row in range(begin, end):
        _row_between(line, part, row, top, step)
        for column in range(first, last):
            near, far, s = _between(column, left, step, part.shape[2] - 1)
            cover = line[4, near] + s * (line[4, far] - line[4, near])
            if cover <= 0:
                continue
            through = max(np.float32(1) - cover, np.float32(0))
            for plane in range(4):
                value = line[plane, near] + s * (line[plane, far] - line[plane, near])
                laid[plane, row, column] = laid[plane, row, column] * through + value
            laid[4, row, column] = laid[4, row, column] * through + cover


@compiled
def _fill(laid, line, guess, step, top, left, begin, end):
    """laid + (1 - coverage) guess at rows begin..end, the guess read between its blocks. line: (5, w), to work in."""
    for row in range(begin, end):
        _row_between(line, guess, row, top, step)
        for column in range(laid.shape[2]):
            lack = np.float32(1) - laid[4, row, column]
            if lack <= 0:
                continue
            near, far, s = _between(column, left, step, guess.shape[2] - 1)
            for plane in range(5):
                value = line[plane, near] + s * (line[plane, far] - line[plane, near])
                laid[plane, row, column] += lack * value
