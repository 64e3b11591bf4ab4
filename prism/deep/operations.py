"""What is done with deep pictures. Every function gives a new one and leaves those it was given as they were."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.deep import kernels
from prism.deep.banded import by_rows, row_bands
from prism.deep.samples import Samples
from prism.errors import BadArgument, MissingChannels, SizeMismatch
from prism.pixels.window import Window

_Parts = tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32], NDArray[np.uint32]]
BAND_PIXELS = 1 << 13  # whose samples one thread works off at a time


def tidied(samples: Samples) -> Samples:
    """With the samples of each pixel one behind the other: split where others begin or end, and joined where they share
    a place. What lies behind something opaque is gone."""
    if samples.tidy:
        return samples
    targets = _offsets(_tidy_counts(samples))
    made = _room(samples, int(targets[-1]))
    _fill_tidy(samples, targets, made)
    return _with(samples, targets, made, tidy=True)


def _tidy_counts(samples: Samples) -> NDArray[np.int64]:
    """(P,): how many samples each pixel has once it is tidy."""
    most = int(np.diff(samples.offsets).max(initial=0))
    counts = np.zeros(len(samples.offsets) - 1, np.int64)
    _over_pixels(
        len(counts),
        lambda first, last: kernels.count_tidy(
            samples.offsets, samples.depth, samples.alpha, counts, np.empty(2 * most + 1, np.float32),
            np.empty(most, np.int64), first, last,
        ),
    )  # fmt: skip
    return counts


def _fill_tidy(samples: Samples, targets: NDArray[np.int64], made: _Parts) -> None:
    """The tidy samples, from `targets` (P + 1,) of each pixel on."""
    most = int(np.diff(samples.offsets).max(initial=0))
    _over_pixels(
        len(targets) - 1,
        lambda first, last: kernels.fill_tidy(
            samples.offsets, samples.depth, samples.alpha, samples.colour, samples.ids, targets, *made,
            np.empty(2 * most + 1, np.float32), np.empty(most, np.int64), np.empty(len(samples.names)), first, last,
        ),
    )  # fmt: skip


def flattened(samples: Samples) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """(H, W) alpha, (C, H, W) colour in the order of its names, and (2, H, W) depths: of the nearest front and the
    farthest back, infinity where there is no sample."""
    tidy = tidied(samples)
    pixels = len(tidy.offsets) - 1
    alpha, colour = np.zeros(pixels, np.float32), np.zeros((pixels, len(tidy.names)), np.float32)
    _over_pixels(
        pixels, lambda first, last: kernels.flatten(tidy.offsets, tidy.alpha, tidy.colour, alpha, colour, first, last)
    )
    shape = samples.window.shape
    ends = np.full((2, pixels), np.inf, np.float32)
    full = np.flatnonzero(np.diff(tidy.offsets))
    ends[0, full], ends[1, full] = tidy.depth[tidy.offsets[full], 0], tidy.depth[tidy.offsets[full + 1] - 1, 1]
    return alpha.reshape(shape), np.moveaxis(colour, -1, 0).reshape(-1, *shape), ends.reshape(2, *shape)


def merged(pictures: Sequence[Samples]) -> Samples:
    """All samples of several pictures in one, tidy, over all of their windows. Channels that one has not are 0 there.

    Raises SizeMismatch if their display windows differ.
    """
    _require_one_display(pictures)
    names = tuple(dict.fromkeys(name for picture in pictures for name in picture.names))
    id_names = tuple(dict.fromkeys(name for picture in pictures for name in picture.id_names))
    # Each tidy first: several solids at one place of one picture are one of them in the mean with others.
    alike = [tidied(picture).with_names(names, id_names) for picture in pictures]
    window = alike[0].window
    for picture in alike[1:]:
        window = window.union(picture.window)
    if all((picture.depth[:, 0] == picture.depth[:, 1]).all() for picture in alike):
        return _merged_points(alike, window)
    return by_rows(alike, window, lambda parts: tidied(_together(parts, parts[0].window)))


def _merged_points(pictures: Sequence[Samples], window: Window) -> Samples:
    """The merge of points alone, which are never split: there are no more of them than before, so that there is room
    for all from the start, and what is needed on the way is of some rows."""
    made = _room(pictures[0], sum(map(len, pictures)))
    targets = [np.zeros(1, np.int64)]
    for band in row_bands(pictures, window):
        together = _together([picture.over(band) for picture in pictures], band)
        own = targets[-1][-1] + _offsets(_tidy_counts(together))
        _fill_tidy(together, own, made)
        targets.append(own[1:])
    offsets = np.concatenate(targets)
    depth, alpha, colour, ids = made
    there = slice(0, int(offsets[-1]))
    parts = depth[there], alpha[there], colour[there], ids[there]
    return _with(replace(pictures[0], window=window), offsets, parts, tidy=True)


def held_out(samples: Samples, *by: Samples) -> Samples:
    """What of a picture is seen among the samples of others, as a deep picture: laid over each other its samples come
    to just what the picture adds to the merge of all, so that each held out by the others sum to that.

    Over the windows of all. Raises SizeMismatch if their display windows differ.
    """
    _require_one_display([samples, *by])
    window = samples.window
    for other in by:
        window = window.union(other.window)
    bare = [other.with_names((), ()) for other in by]  # their colour hides nothing
    return by_rows([samples, *bare], window, lambda parts: _held_out(parts[0], parts[1:]))


def _held_out(samples: Samples, by: Sequence[Samples]) -> Samples:
    """The holdout of pictures over the same window."""
    own, others = tidied(samples), [tidied(each) for each in by]
    other = others[0] if len(others) == 1 else tidied(_together(others, samples.window))
    own, other = _split(own, other.offsets, other.depth), _split(other, own.offsets, own.depth)
    alpha, colour = np.empty_like(own.alpha), np.empty_like(own.colour)
    solids = _solids_beside(own, others)
    _over_pixels(
        len(own.offsets) - 1,
        lambda first, last: kernels.hold_out(
            own.offsets, own.depth, own.alpha, own.colour, other.offsets, other.depth, other.alpha, solids, alpha,
            colour, first, last,
        ),
    )  # fmt: skip
    seen = (alpha > 0) | (colour != 0).any(axis=1)
    return replace(own, alpha=alpha, colour=colour).kept(seen)


def _solids_beside(own: Samples, others: Sequence[Samples]) -> NDArray[np.int64]:
    """(N,): how many of other pictures have an opaque sample just where an opaque one of these is, and so share its
    place with it; at least 1."""
    solids = np.ones(len(own), np.int64)
    chosen = np.flatnonzero(own.alpha >= 1)
    if len(others) < 2 or not chosen.size:
        return solids
    places = _places_of(own, chosen)
    shared = [np.isin(places, _places_of(each, np.flatnonzero(each.alpha >= 1))) for each in others]
    solids[chosen] = np.maximum(1, np.sum(shared, axis=0))
    return solids


def _places_of(samples: Samples, chosen: NDArray[np.int64]) -> NDArray:
    """The pixel, front and back of samples, as one value each."""
    table = np.empty((len(chosen), 3), np.int64)
    table[:, 0] = samples.pixels[chosen]
    table[:, 1:] = samples.depth[chosen].view(np.int32)
    return np.ascontiguousarray(table).view(f"V{table.strides[0]}").reshape(-1)


def _require_one_display(pictures: Sequence[Samples]) -> None:
    if len({picture.display_window for picture in pictures}) > 1:
        raise SizeMismatch("The pictures have different display windows.", advice="Use pictures of one camera.")


def cut(samples: Samples, near: float, far: float) -> Samples:
    """The samples within near <= depth < far; volumes lose what lies outside. Raises BadArgument unless near < far."""
    if not near < far:
        raise BadArgument(f"From {near:g} to {far:g} there is nothing.", where="near", advice="Let near be below far.")
    return by_rows([samples], samples.window, lambda parts: _cut(parts[0], near, far))


def _cut(samples: Samples, near: float, far: float) -> Samples:
    parts = replace(samples, depth=samples.depth.copy(), alpha=samples.alpha.copy(), colour=samples.colour.copy())
    keeps = np.zeros(len(samples), np.bool_)
    _over_pixels(
        len(samples.offsets) - 1,
        lambda first, last: kernels.cut(
            parts.offsets, parts.depth, parts.alpha, parts.colour, np.float32(near), np.float32(far), keeps, first, last
        ),
    )
    return parts.kept(keeps)


def moved(samples: Samples, *, add: float = 0.0, times: float = 1.0) -> Samples:
    """At depth x times + add. Raises BadArgument unless times is above 0: turned around, backs would lie in front."""
    if not times > 0:
        raise BadArgument(f"Depths cannot be multiplied by {times:g}.", where="times", advice="Use more than 0.")
    depth = samples.depth * np.float32(times) + np.float32(add)
    return replace(samples.at_depths(depth), tidy=samples.tidy)


def split_at(samples: Samples, depths: Sequence[float]) -> Samples:
    """With every volume in pieces that end at some depths."""
    pixels = len(samples.offsets) - 1
    ends = np.repeat(np.asarray(depths, np.float32), 2).reshape(-1, 2)
    return _split(samples, np.arange(pixels + 1, dtype=np.int64) * len(ends), np.tile(ends, (pixels, 1)))


def flattened_among(
    samples: Samples, depths: Sequence[NDArray[np.float32]], alphas: Sequence[NDArray[np.float32]],
    colours: Sequence[NDArray[np.float32]],
) -> NDArray[np.float32]:  # fmt: skip
    """(C, H, W): colour of a picture with cards put between its samples, as merging and flattening all of it gives, but
    without a sort. A card: its depth (H, W), NaN where it is not; alpha (H, W); colour (C, H, W)."""
    tidy = tidied(samples)
    pixels, channels = len(tidy.offsets) - 1, len(tidy.names)
    planes = [np.stack(each) if each else np.zeros((0, pixels), np.float32) for each in (depths, alphas)]
    depth, alpha = (np.ascontiguousarray(plane.reshape(-1, pixels), np.float32) for plane in planes)
    colour = np.zeros((len(depth), pixels, channels), np.float32)
    for place, each in enumerate(colours):
        colour[place] = each.reshape(channels, -1).T
    flat = np.zeros((pixels, channels), np.float32)
    _over_pixels(
        pixels,
        lambda first, last: kernels.flatten_among(
            tidy.offsets,
            tidy.depth,
            tidy.alpha,
            tidy.colour,
            depth,
            alpha,
            colour,
            flat,
            np.empty(channels),
            first,
            last,
        ),
    )
    return np.ascontiguousarray(flat.T).reshape(channels, *samples.window.shape)


def rounding_bound(samples: Samples, unit: float) -> NDArray[np.float32]:
    """(C, H, W): how far the flattened colour can be off if every number of a sample is off by `unit` of itself."""
    tidy = tidied(samples)
    pixels, channels = len(tidy.offsets) - 1, len(tidy.names)
    bound = np.zeros((pixels, channels), np.float32)
    _over_pixels(
        pixels,
        lambda first, last: kernels.flatten_error(tidy.offsets, tidy.alpha, tidy.colour, unit, bound, first, last),
    )
    return np.ascontiguousarray(bound.T).reshape(channels, *samples.window.shape)


def of_card(
    depth: NDArray[np.float32], alpha: NDArray[np.float32], colour: NDArray[np.float32], names: Sequence[str],
    window: Window, display: Window,
) -> Samples:  # fmt: skip
    """One sample at each pixel whose depth (H, W) is a number. alpha: (H, W); colour: (C, H, W), called `names`."""
    front = depth.reshape(-1)
    there = np.isfinite(front)
    front = front[there]
    return Samples(
        offsets=_offsets(there.astype(np.int64)),
        depth=np.stack([front, front], axis=1).astype(np.float32),
        alpha=np.ascontiguousarray(alpha.reshape(-1)[there]),
        colour=np.ascontiguousarray(colour.reshape(len(names), -1)[:, there].T),
        ids=np.zeros((len(front), 0), np.uint32),
        names=tuple(names), window=window, display_window=display, tidy=True,
    )  # fmt: skip


def recoloured(samples: Samples, matrix: NDArray[np.float32], *, chosen: NDArray[np.bool_] | None = None) -> Samples:
    """With another colour: a matrix (C, C) on the colour of every sample, or of those chosen by a mask (N,): see
    `by_depth` and `by_ids`. Alpha stays, so what covers still covers."""
    changed = samples.colour @ np.asarray(matrix, np.float32).T
    colour = changed if chosen is None else np.where(chosen[:, np.newaxis], changed, samples.colour)
    return replace(samples, colour=np.ascontiguousarray(colour, np.float32))


def by_depth(samples: Samples, near: float, far: float) -> NDArray[np.bool_]:
    """(N,): the samples whose middle is within near <= depth < far; `split_at` both to part volumes there."""
    middle = samples.depth.mean(axis=1)
    return (middle >= near) & (middle < far)


def by_ids(samples: Samples, channel: str, wanted: Sequence[int]) -> NDArray[np.bool_]:
    """(N,): the samples whose whole number in a channel is one of those. Raises MissingChannels."""
    if channel not in samples.id_names:
        found = ", ".join(samples.id_names) or "none"
        raise MissingChannels(f"There is no channel {channel} of whole numbers; found {found}.", where=channel)
    return np.isin(samples.ids[:, samples.id_names.index(channel)], np.asarray(wanted, np.uint32))


def resized(samples: Samples, shape: tuple[int, int]) -> Samples:
    """Over a window of other sides: every pixel takes the samples of the one that its middle is in. Samples of
    neighbours are never mixed, since that would put one depth's edge at another's."""
    height, width = samples.window.shape
    rows = ((np.arange(shape[0]) + 0.5) * height / shape[0]).astype(np.int64)
    columns = ((np.arange(shape[1]) + 0.5) * width / shape[1]).astype(np.int64)
    pixels = (rows[:, np.newaxis] * width + columns).reshape(-1)
    return samples.of_pixels(pixels, Window.of_size(shape[1], shape[0]))


def placed(
    rgba: NDArray[np.float32],
    depth: NDArray[np.float32] | float,
    *,
    thick: float = 0.0,
    window: Window,
    display: Window,
) -> Samples:
    """A flat picture (4, H, W) at one depth, or at that of each pixel (H, W): one sample where it covers or shines,
    from there `thick` to the back. Raises BadArgument for a thickness below 0."""
    if thick < 0:
        raise BadArgument(f"{thick:g} is no thickness.", where="thick", advice="Use 0 for a card, or more.")
    at = np.broadcast_to(np.asarray(depth, np.float32), rgba.shape[1:])
    shown = np.where((rgba != 0).any(axis=0), at, np.float32(np.nan))
    card = of_card(shown, rgba[3].clip(0, 1), rgba[:3], ("R", "G", "B"), window, display)
    return replace(card, depth=card.depth + np.array([0, thick], np.float32))


def thinned(samples: Samples, *, tolerance: float = 0.0, most: int = 0) -> Samples:
    """Tidy, with neighbours joined that lie within a tolerance of depth, and then, where more than `most` are left (0
    for any number), those whose joining can change least. Flattened alone it is the same but for rounding.

    Raises BadArgument for a tolerance or number below 0.
    """
    if tolerance < 0 or most < 0:
        raise BadArgument("Tolerance and most samples are 0 or more.", where="tolerance")
    return by_rows([samples], samples.window, lambda parts: _thinned(tidied(parts[0]), tolerance, most))


def _thinned(tidy: Samples, tolerance: float, most: int) -> Samples:
    made = replace(tidy, depth=tidy.depth.copy(), alpha=tidy.alpha.copy(), colour=tidy.colour.copy())
    keeps = np.zeros(len(tidy), np.bool_)
    limit = most or np.iinfo(np.int64).max
    _over_pixels(
        len(tidy.offsets) - 1,
        lambda first, last: kernels.thin(
            made.offsets, made.depth, made.alpha, made.colour, np.float32(tolerance), limit, keeps, first, last
        ),
    )
    return made.kept(keeps)


def holdout_error(before: Samples, after: Samples) -> tuple[float, float]:
    """How much is changed of what is seen in front of an opaque card, wherever in depth that stands: the largest change
    of any channel or alpha at any depth, and the mean over all pixels of the largest of each.

    Raises SizeMismatch unless both are of one window.
    """
    if before.window != after.window:
        raise SizeMismatch("The pictures have different windows.", advice="Compare samples of one picture.")
    one, other = tidied(before), tidied(after.with_names(before.names, before.id_names))
    apart = np.zeros(len(one.offsets) - 1, np.float64)
    edges = 2 * int((np.diff(one.offsets) + np.diff(other.offsets)).max(initial=0))

    def measure(first: int, last: int) -> None:
        room = np.zeros((4, 1 + len(one.names))), np.zeros(edges)
        kernels.seen_apart(
            one.offsets, one.depth, one.alpha, one.colour, other.offsets, other.depth, other.alpha, other.colour,
            room, apart, first, last,
        )  # fmt: skip

    _over_pixels(len(apart), measure)
    return float(apart.max(initial=0)), float(apart.mean()) if apart.size else 0.0


def _split(samples: Samples, offsets: NDArray[np.int64], depth: NDArray[np.float32]) -> Samples:
    """With every volume in pieces that end where samples of another picture, (P + 1,) and (N, 2), begin or end."""
    pixels = len(samples.offsets) - 1
    counts = np.zeros(len(samples), np.int64)
    _over_pixels(
        pixels,
        lambda first, last: kernels.count_pieces(samples.offsets, samples.depth, offsets, depth, counts, first, last),
    )
    targets = _offsets(counts)
    made = _room(samples, int(targets[-1]))
    _over_pixels(
        pixels,
        lambda first, last: kernels.fill_pieces(
            samples.offsets, samples.depth, samples.alpha, samples.colour, samples.ids, offsets, depth,
            targets, *made, first, last,
        ),
    )  # fmt: skip
    return _with(samples, targets[samples.offsets], made, tidy=samples.tidy)


def _together(pictures: Sequence[Samples], window: Window) -> Samples:
    """Samples of several pictures with the same channels, one picture's after the other's in every pixel of a
    window."""
    counts = np.zeros(window.shape, np.int64)
    for picture in pictures:
        counts[picture.window.slices_in(window)] += picture.counts
    offsets = _offsets(counts.reshape(-1))
    made = _room(pictures[0], int(offsets[-1]))
    begins = offsets[:-1].copy()
    places = np.arange(counts.size).reshape(window.shape)
    for picture in pictures:
        columns = np.ascontiguousarray(places[picture.window.slices_in(window)].reshape(-1))
        gather = partial(
            kernels.gather, picture.offsets, picture.depth, picture.alpha, picture.colour, picture.ids, begins, columns,
            *made,
        )  # fmt: skip
        _over_pixels(len(columns), gather)
    return _with(replace(pictures[0], window=window), offsets, made, tidy=False)


def _offsets(counts: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.concatenate([[0], np.cumsum(counts, dtype=np.int64)])


def _room(like: Samples, count: int) -> _Parts:
    """For depth, alpha, colour and whole numbers of so many samples."""
    return (
        np.empty((count, 2), np.float32), np.empty(count, np.float32), np.empty((count, len(like.names)), np.float32),
        np.empty((count, len(like.id_names)), np.uint32),
    )  # fmt: skip


def _with(samples: Samples, offsets: NDArray[np.int64], parts: _Parts, *, tidy: bool) -> Samples:
    depth, alpha, colour, ids = parts
    return replace(samples, offsets=offsets, depth=depth, alpha=alpha, colour=colour, ids=ids, tidy=tidy)


def _over_pixels(count: int, work: Callable[[int, int], None]) -> None:
    run_bands(work, count, BAND_PIXELS, alone=1)
