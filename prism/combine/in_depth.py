"""Deep passes and cards put in the order of their depths, and what is seen of them.

Trims, mattes and fog work on every sample before it is covered by others, so they are right at soft edges and behind
glass, where a flat picture has one colour for all that a pixel sees. A holdout's samples cover and show nothing.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from prism.combine.behind import fitted_in, frame_behind, picked_in
from prism.combine.shaping import haze
from prism.combine.trimming import trimmed
from prism.deep import operations as deep
from prism.deep.samples import Samples
from prism.errors import PrismError
from prism.ledger.steps import Air, Behind, Card, Deep, Depths, Step
from prism.ledger.trims import FrameTrims
from prism.mattes.planes import alpha_of, matte_plane
from prism.pixels.resize import averaged
from prism.sources.pixels import Frame, Grid, Pixels

SEEN = "seen"  # beside R, G, B of samples: what they cover of the picture, 0 of a holdout
CHANNELS = ("R", "G", "B", SEEN)
MOST_AVERAGED = 1 << 20  # pixels of a frame whose previews are averages


@dataclass(frozen=True, slots=True, eq=False)
class _Flat:
    """A card over the window: depth (H, W), NaN where it is not; seen (4, H, W), colour and what it covers of the
    picture; alpha (H, W)."""

    depth: NDArray[np.float32]
    seen: NDArray[np.float32]
    alpha: NDArray[np.float32]


def group_of(step: Step) -> Depths:
    """A group by depth; one of a deep pass or card alone, with its trims and weight left for what it gives."""
    if isinstance(step.content, Depths):
        return step.content
    return Depths(steps=(replace(step, trims=FrameTrims(), weight=1.0, matte=None, within=False),), air=None)


def laid_in_depth(group: Depths, frame: Frame, size: int) -> Pixels:
    """What is seen of a group by depth over the window of a frame, every side divided by `size`. Raises PrismError
    naming the row."""
    part, own_size = drawn_at(frame, size)
    if part is not frame:
        return laid_in_depth(group, part, own_size)
    samples = merged_samples(group, frame)
    cards = [_card(each, frame, group.air) for each in group.steps if isinstance(each.content, Card)]
    there = [card for card in cards if card is not None]
    rgba = deep.flattened_among(
        samples, [card.depth for card in there], [card.alpha for card in there], [card.seen for card in there]
    )
    planes = [averaged(plane, size) for plane in rgba]
    return Pixels((planes[0], planes[1], planes[2]), planes[3])


def drawn_at(frame: Frame, size: int) -> tuple[Frame, int]:
    """What a picture with every side divided by `size` is made of, and what is left to divide it by: all pixels, which
    are averaged, or of a large frame one of each block, since all of its samples take seconds."""
    height, width = frame.shape()
    if size == 1 or height * width <= MOST_AVERAGED:
        return frame, size
    return Grid(frame, size), 1


def merged_samples(group: Depths, frame: Frame) -> Samples:
    """All deep passes of a group as one tidy picture over the frame's window, with CHANNELS as its colour. Cached: a
    card that moves leaves it as it is."""
    steps = tuple(step for step in group.steps if isinstance(step.content, Deep))
    return frame.cached(("deep", steps, group.air), lambda: _merged(steps, group.air, frame))


def _merged(steps: tuple[Step, ...], air: Air | None, frame: Frame) -> Samples:
    pictures = [_hazy(_element(step, frame), air) for step in steps]
    return deep.merged(pictures) if pictures else empty(frame)


def empty(frame: Frame) -> Samples:
    """A picture without samples."""
    pixels = frame.window.width * frame.window.height
    return Samples(
        offsets=np.zeros(pixels + 1, np.int64), depth=np.zeros((0, 2), np.float32), alpha=np.zeros(0, np.float32),
        colour=np.zeros((0, 4), np.float32), ids=np.zeros((0, 0), np.uint32), names=CHANNELS, window=frame.window,
        display_window=frame.display_window, tidy=True,
    )  # fmt: skip


# ---- Deep passes ----
def _element(step: Step, frame: Frame) -> Samples:
    """Its samples, moved, cut, trimmed and weighted, with CHANNELS."""
    content = step.content
    assert isinstance(content, Deep)
    try:
        samples = frame.samples(content.source)
    except PrismError as error:
        raise type(error)(error.what, where=f"row {step.id}", advice=error.advice) from None
    if (content.add, content.times) != (0, 1):
        samples = deep.moved(samples, add=content.add, times=content.times)
    inside = None
    if content.range_on == "weight":
        samples = _within(samples, content.near, content.far)
    elif content.range_on == "trims":
        samples, inside = _parted(samples, content.near, content.far)
    matte = _matte(step, frame)
    weight = None if matte is None else matte.reshape(-1)[samples.pixels]
    rgba = np.concatenate([samples.colour.T, samples.alpha[np.newaxis]])
    changed = trimmed(step.trims, rgba)
    mixed = weight if step.within else None
    if inside is not None:
        mixed = inside if mixed is None else inside * mixed
    if mixed is not None:
        changed = rgba + mixed * (changed - rgba)
    factor = np.float32(step.weight) if weight is None or step.within else np.float32(step.weight) * weight
    colour, alpha = changed[:3] * factor, (changed[3] * factor).clip(0, 1)
    seen = np.zeros((4, len(alpha)), np.float32) if content.hides else np.concatenate([colour, alpha[np.newaxis]])
    return replace(samples, colour=np.ascontiguousarray(seen.T), alpha=np.ascontiguousarray(alpha), names=CHANNELS)


def _within(samples: Samples, near: float, far: float) -> Samples:
    """The frames of a range; none of one that ends before it begins, as while one of its ends is dragged past the
    other."""
    return deep.cut(samples, near, far) if near < far else samples.kept(np.zeros(len(samples), np.bool_))


def _parted(samples: Samples, near: float, far: float) -> tuple[Samples, NDArray[np.float32]]:
    """The samples with volumes split where a range ends, and (N,) 1 for those within it."""
    parts = deep.split_at(samples, [near, far])
    return parts, deep.by_depth(parts, near, far).astype(np.float32)


def _matte(step: Step, frame: Frame) -> NDArray[np.float32] | None:
    if step.matte is None:
        return None
    try:
        of, whole = step.matte.alpha_of, frame.whole
        return frame.cut(matte_plane(step.matte, whole, 1) if of is None else alpha_of(of, whole, 1))
    except PrismError as error:
        raise type(error)(error.what, where=f"matte of row {step.id}", advice=error.advice) from None


# ---- Cards ----
def _card(step: Step, frame: Frame, air: Air | None) -> _Flat | None:
    """A card over the window; None where nothing shows."""
    content = step.content
    assert isinstance(content, Card)
    try:
        laid, depth = _laid(content.flat, frame), _depth(content, frame)
    except PrismError as error:
        raise type(error)(error.what, where=f"row {step.id}", advice=error.advice) from None
    if laid is None or depth is None:
        return None
    shape = frame.window.shape
    planes = [*laid.planes, laid.alpha if laid.alpha is not None else np.ones_like(laid.planes[0])]
    rgba = np.stack(planes).astype(np.float32).reshape(4, -1)
    changed = trimmed(step.trims, rgba)
    matte = _matte(step, frame)
    if matte is not None and step.within:
        changed = rgba + matte.reshape(-1) * (changed - rgba)
    elif matte is not None:
        changed = changed * matte.reshape(-1)
    seen = (changed * np.float32(step.weight)).astype(np.float32)
    alpha = seen[3].clip(0, 1)
    seen[3] = alpha
    if content.hides:
        seen = np.zeros_like(seen)
    seen = _through_air(seen, depth.reshape(-1), air)
    there = (alpha > 0) | (seen != 0).any(axis=0)
    return _Flat(
        np.where(there.reshape(shape), depth, np.float32(np.nan)), seen.reshape(4, *shape), alpha.reshape(shape)
    )


def _laid(picture: Behind, frame: Frame) -> Pixels | None:
    """A picture in its place over the frame; None where nothing shows. Cached: a card that moves in depth stays where
    it is. Of a grid only what is picked is cached; a region is cut from the whole, which serves all others as well."""
    shown = frame_behind(picture, frame.whole)
    if shown is None:
        return None

    def lay() -> Pixels:
        return fitted_in(picture, shown, frame.whole, 1)

    key = ("card", picture, shown.identity())
    if isinstance(frame, Grid):
        return frame.cached(key, lambda: _cut_out(lay(), frame))
    return _cut_out(frame.whole.cached(key, lay), frame)


def _cut_out(pixels: Pixels, frame: Frame) -> Pixels:
    planes = pixels.planes
    alpha = None if pixels.alpha is None else frame.cut(pixels.alpha)
    return Pixels((frame.cut(planes[0]), frame.cut(planes[1]), frame.cut(planes[2])), alpha)


def _depth(card: Card, frame: Frame) -> NDArray[np.float32] | None:
    """(H, W): how deep it stands at every pixel."""
    if card.of_depth is None:
        return np.full(frame.window.shape, card.depth, np.float32)
    shown = frame_behind(card.of_depth, frame.whole)
    if shown is None:
        return None
    return frame.cut(picked_in(card.of_depth, shown, frame.whole)) + np.float32(card.depth)


# ---- Air ----
def _hazy(samples: Samples, air: Air | None) -> Samples:
    if air is None:
        return samples
    seen = _through_air(np.ascontiguousarray(samples.colour.T), samples.depth.mean(axis=1), air)
    return replace(samples, colour=np.ascontiguousarray(seen.T))


def _through_air(seen: NDArray[np.float32], depth: NDArray[np.float32], air: Air | None) -> NDArray[np.float32]:
    """Colour and what it covers, (4, N), with the air before depths (N,): as far as it covers, it is covered."""
    if air is None:
        return seen
    share = np.array(depth, np.float32)
    haze(share, np.float32(air.near), np.float32(air.far), np.float32(air.falloff), air.as_air)
    share *= np.float32(air.amount)
    fogged = np.array(seen)
    for channel, value in enumerate(air.colour):
        fogged[channel] += share * (np.float32(value) * seen[3] - seen[channel])
    return fogged


def all_samples(group: Depths, frame: Frame) -> Samples:
    """Deep passes and cards of a group as one tidy picture; holdouts cut out of it what they cover, as
    `deep.held_out` does. R, G, B and alpha of what is seen."""
    parts = list(elements_of(group, frame))
    shown = [samples for step, samples in parts if not _hides(step)]
    hiding = [samples for step, samples in parts if _hides(step)]
    total = deep.merged(shown) if shown else empty(frame)
    if hiding:
        total = deep.held_out(total, deep.merged(hiding))
    return total.with_names(CHANNELS[:3], ())


def _hides(step: Step) -> bool:
    return isinstance(step.content, Deep | Card) and step.content.hides


def flat_by_depth(group: Depths, frame: Frame) -> NDArray[np.float32]:
    """float32 (4, H, W): what merging flat pictures by one depth a pixel gives: every deep pass and card flattened by
    itself, and at each pixel the one whose nearest sample is nearer over the others."""
    shape = frame.window.shape
    flat, depths = [np.zeros((4, *shape), np.float32)], [np.full(shape, np.inf, np.float32)]
    for _, samples in elements_of(group, frame):
        _, colour, ends = deep.flattened(samples)
        flat.append(colour)
        depths.append(ends[0])
    pictures, order = np.stack(flat), np.argsort(np.stack(depths), axis=0, kind="stable")
    total = np.zeros((4, *shape), np.float32)
    for place in order:
        nearer = np.take_along_axis(pictures, place[np.newaxis, np.newaxis], axis=0)[0]
        total += (1 - total[3]) * nearer
    return total


def elements_of(group: Depths, frame: Frame) -> Iterator[tuple[Step, Samples]]:
    """Every deep pass and card of a group by itself, as samples with CHANNELS: to look at, and to check by."""
    for step in group.steps:
        if isinstance(step.content, Deep):
            yield step, _hazy(_element(step, frame), group.air)
        else:
            card = _card(step, frame, group.air)
            if card is not None:
                yield (
                    step,
                    deep.of_card(card.depth, card.alpha, card.seen, CHANNELS, frame.window, frame.display_window),
                )
