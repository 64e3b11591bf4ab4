"""The one protocol for pixels: a frame answers with equal planes for a source, a step and a region.

Rows of a ledger, the viewer and all checks ask for pixels in this way and no other, so that what a source is made of
(files, a still, a constant, a deep image) is its own affair.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from prism.deep.samples import Samples
from prism.formats.headers import Attribute
from prism.passes.kinds import PassKind
from prism.pixels.picture import Picture
from prism.pixels.resize import averaged
from prism.pixels.window import Window
from prism.sources.store import Item


@dataclass(frozen=True, slots=True, eq=False)
class Pixels:
    """A source as the evaluator wants it: equal contiguous planes, half kept as half. Colour is premultiplied and in
    the working space."""

    planes: tuple[NDArray, ...]  # three (H, W); a one-channel pass has the same plane three times
    alpha: NDArray | None  # (H, W) of the same type

    @property
    def byte_count(self) -> int:
        """The bytes of the planes in memory; planes that are shared count once."""
        unique = {id(plane): plane.nbytes for plane in (*self.planes, self.alpha) if plane is not None}
        return sum(unique.values())

    def cut(self, rows: slice, columns: slice) -> Pixels:
        """A region, contiguous again."""
        done: dict[int, NDArray] = {}

        def take(plane: NDArray) -> NDArray:
            if id(plane) not in done:
                done[id(plane)] = np.ascontiguousarray(plane[rows, columns])
            return done[id(plane)]

        return Pixels(tuple(map(take, self.planes)), None if self.alpha is None else take(self.alpha))


class Source(Protocol):
    """What is known of a source without its pixels."""

    @property
    def key(self) -> str:
        """Its name in a ledger."""

    @property
    def title(self) -> str:
        """Its name for people."""

    @property
    def kind(self) -> PassKind | None:
        """None if its meaning is not known."""

    @property
    def is_data(self) -> bool:
        """Whether it takes no view, no lossy compression and no filter."""

    @property
    def layer(self) -> str:
        """The layer of its image; empty if it is not known."""

    @property
    def camera(self) -> str:
        """The camera of its image; empty if it is not known."""

    @property
    def denoised(self) -> bool:
        """Whether it was cleaned."""

    @property
    def excluded(self) -> bool:
        """Whether another takes its place in sums."""

    @property
    def is_deep(self) -> bool:
        """Whether its pixels are many samples each."""

    @property
    def colour(self) -> tuple[str, ...]:
        """Names of its channels."""

    @property
    def alpha(self) -> str | None:
        """The name of its alpha; None without one."""

    @property
    def where(self) -> str:
        """The file it comes from, for messages; empty if from none."""

    @property
    def lossy(self) -> str:
        """The compression that may have changed its values; empty if there is none."""

    @property
    def scaled(self) -> bool:
        """Whether it had another size and was scaled to that of the picture."""

    @property
    def bits(self) -> int:
        """The bits of whole numbers it was stored as; 0 if it was stored as floating point."""

    @property
    def attributes(self) -> Mapping[str, Attribute]:
        """Header entries that came with it."""


def kind_key(source: Source) -> str:
    """The key of a source's kind of pass; empty if it is not known."""
    return "" if source.kind is None else source.kind.key


def parts_of(source: Source) -> tuple[str, ...]:
    """The keys of the kinds that a source is the total of."""
    return () if source.kind is None else source.kind.total_of


class Clip(Protocol):
    """One source over time, by itself and in its own size."""

    @property
    def numbers(self) -> tuple[int, ...]:
        """The numbers of its frames, rising; empty for a still."""

    def at(self, number: int) -> Frame:
        """The frame with that source alone. Raises UnreadableFile."""


class Frame(Protocol):
    """The sources of one frame."""

    @property
    def number(self) -> int:
        """The number of the frame; 0 for stills."""

    @property
    def window(self) -> Window:
        """The window that all planes cover."""

    @property
    def display_window(self) -> Window:
        """The picture itself."""

    @property
    def pixel_aspect(self) -> float:
        """Width of a pixel by its height."""

    def __contains__(self, key: str) -> bool: ...

    def __iter__(self) -> Iterator[Source]: ...

    def source(self, key: str) -> Source:
        """Raises UnknownSource naming the sources there are."""

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """Planes of a source over the window, every side divided by `step` (colour averaged, data picked)."""

    def samples(self, key: str) -> Samples:
        """The samples of a deep source over the window, in full size, their colour R, G, B in the working space. Raises
        BadArgument for a flat one."""

    def samples_at(self, key: str, pixels: NDArray[np.int64], window: Window) -> Samples:
        """The samples of some pixels (P,) of the window alone, as a picture over another window."""

    def box(self, key: str, rows: slice, columns: slice) -> Pixels:
        """A box of the planes of a source, in full size."""

    def read(self, keys: Iterable[str | None], *, step: int = 1) -> None:
        """Get what will be asked for, all that lies together in one go."""

    def shape(self, step: int = 1) -> tuple[int, int]:
        """Rows and columns of the planes at that step."""

    def cached(self, key: Hashable, make: Callable[[], Item]) -> Item:
        """What was made of this frame's pixels before, or now."""

    def identity(self) -> Hashable:
        """Changes whenever a pixel of this frame may have."""

    def at(self, number: int) -> Frame:
        """The same elements at another frame. Raises UnreadableFile if there is none."""

    def clip(self, key: str) -> Clip | None:
        """A source by itself, whether or not it has this frame; None if there is none of that name."""

    @property
    def whole(self) -> Frame:
        """The frame that this is a part of, or itself: where things lie in the picture is worked out there."""

    def cut(self, plane: NDArray) -> NDArray:
        """The part of a plane (H, W) of the whole frame that is this one's."""


class FramePart:
    """What a part of a frame has from the whole: the same sources, of the same frame number."""

    def __init__(self, whole: Frame, window: Window) -> None:
        self.whole = whole
        self.number = whole.number
        self.window = self.display_window = window
        self.pixel_aspect = whole.pixel_aspect

    def __contains__(self, key: str) -> bool:
        return key in self.whole

    def __iter__(self) -> Iterator[Source]:
        return iter(self.whole)

    def source(self, key: str) -> Source:
        """What the whole frame answers."""
        return self.whole.source(key)

    def clip(self, key: str) -> Clip | None:
        """What the whole frame answers."""
        return self.whole.clip(key)

    @property
    def places(self) -> NDArray[np.int64]:
        """(P,): which pixels of the whole frame are this one's, row by row."""
        height, width = self.whole.shape()
        return self.cut(np.arange(height * width).reshape(height, width)).reshape(-1)

    def samples(self, key: str) -> Samples:
        """The samples of this part's pixels."""
        return self.whole.samples_at(key, self.places, self.window)

    def samples_at(self, key: str, pixels: NDArray[np.int64], window: Window) -> Samples:
        """The samples of some of this part's pixels."""
        return self.whole.samples_at(key, self.places[pixels], window)

    def cut(self, plane: NDArray) -> NDArray:
        """Cut a plane of the whole frame; every part has its own way."""
        raise NotImplementedError

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """The pixels of a source; every part has its own way."""
        raise NotImplementedError

    def identity(self) -> Hashable:
        """What tells this part from all others of the frame."""
        raise NotImplementedError

    def box(self, key: str, rows: slice, columns: slice) -> Pixels:
        """The pixels of this part's planes."""
        return self.pixels(key).cut(rows, columns)

    def cached(self, key: Hashable, make: Callable[[], Item]) -> Item:
        """With the whole frame's."""
        return self.whole.cached((self.identity(), key), make)

    def read(self, keys: Iterable[str | None], *, step: int = 1) -> None:
        """Get them for the whole frame."""
        self.whole.read(keys)


class OfElement(FramePart):
    """A frame of which only the passes of one element are listed; all others can still be asked for."""

    def __init__(self, whole: Frame, element: str) -> None:
        super().__init__(whole, whole.window)
        self.display_window = whole.display_window
        self.element = element

    def __iter__(self) -> Iterator[Source]:
        return (source for source in self.whole if source.key.rpartition("/")[0] == self.element)

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """What the whole frame answers."""
        return self.whole.pixels(key, step=step)

    def box(self, key: str, rows: slice, columns: slice) -> Pixels:
        """What the whole frame answers."""
        return self.whole.box(key, rows, columns)

    def read(self, keys: Iterable[str | None], *, step: int = 1) -> None:
        """What the whole frame answers."""
        self.whole.read(keys, step=step)

    def shape(self, step: int = 1) -> tuple[int, int]:
        """What the whole frame answers."""
        return self.whole.shape(step)

    def cut(self, plane: NDArray) -> NDArray:
        """All of a plane (H, W)."""
        return plane

    def samples(self, key: str) -> Samples:
        """What the whole frame answers."""
        return self.whole.samples(key)

    def identity(self) -> Hashable:
        """The identity of the whole frame."""
        return self.whole.identity()

    def at(self, number: int) -> OfElement:
        """The same element at another frame."""
        return OfElement(self.whole.at(number), self.element)


class Region(FramePart):
    """A part of a frame as a frame of its own: for one pixel, a box, a close-up. Its window is that part."""

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """The planes of the region, in full size whatever the step."""
        return self.whole.box(key, *self.window.slices_in(self.whole.window))

    def cut(self, plane: NDArray) -> NDArray:
        """A box of a plane (H, W) of the whole."""
        return plane[self.window.slices_in(self.whole.window)]

    def shape(self, step: int = 1) -> tuple[int, int]:
        """Rows and columns of the region."""
        return self.window.shape

    def identity(self) -> Hashable:
        """The identity of the whole frame, and the place in it."""
        return self.whole.identity(), self.window

    def at(self, number: int) -> Region:
        """The same region of another frame."""
        return Region(self.whole.at(number), self.window)


class Grid(FramePart):
    """Every step-th pixel of a frame, as a smaller frame of its own: for what cannot be averaged, and for what would
    take too long."""

    def __init__(self, whole: Frame, step: int) -> None:
        height, width = whole.shape(step)
        super().__init__(whole, Window.of_size(width, height))
        self.step = step

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """The pixels that were picked."""
        return smaller(self.whole.pixels(key), self.step, pick=True)

    def samples(self, key: str) -> Samples:
        """The samples of the pixels that were picked. Cached."""
        return self.cached(("samples", key), lambda: FramePart.samples(self, key))

    def cut(self, plane: NDArray) -> NDArray:
        """The picked pixels of a plane (H, W) of the whole."""
        return _picked(plane, self.step)

    def shape(self, step: int = 1) -> tuple[int, int]:
        """Rows and columns of the grid."""
        return self.window.shape

    def identity(self) -> Hashable:
        """The identity of the whole frame, and the step."""
        return self.whole.identity(), self.step

    def at(self, number: int) -> Grid:
        """The same pixels of another frame."""
        return Grid(self.whole.at(number), self.step)


def smaller(pixels: Pixels, step: int, *, pick: bool) -> Pixels:
    """Every side divided by `step` and rounded up, so that nothing is lost at the right and below. Colour is
    premultiplied, so plain averages are right; data must not be averaged: pick."""
    done: dict[int, NDArray] = {}

    def reduce(plane: NDArray) -> NDArray:
        if id(plane) not in done:
            small = _picked(plane, step) if pick else averaged(plane, step)
            done[id(plane)] = np.ascontiguousarray(small.astype(plane.dtype, copy=False))
        return done[id(plane)]

    return Pixels(tuple(map(reduce, pixels.planes)), None if pixels.alpha is None else reduce(pixels.alpha))


def joined(bands: Sequence[Pixels]) -> Pixels:
    """Bands of rows as one; a pass of one channel keeps its plane three times."""
    planes = [np.concatenate([band.planes[place] for band in bands]) for place in range(3)]
    if all(band.planes[0] is band.planes[2] for band in bands):
        planes = [planes[0]] * 3
    alpha = None if bands[0].alpha is None else np.concatenate([band.alpha for band in bands])
    return Pixels(tuple(planes), alpha)


def _picked(plane: NDArray, step: int) -> NDArray:
    rows, columns = (np.minimum(np.arange(0, side, step) + step // 2, side - 1) for side in plane.shape)
    return plane[np.ix_(rows, columns)]


def picture_of(frame: Frame, rgba: NDArray[np.float32], *, step: int = 1, space: str = "lin_rec709") -> Picture:
    """Values (4, H, W) over a frame's window as a picture of it."""
    return Picture(
        rgba=rgba, window=frame.window, display_window=frame.display_window, step=step, pixel_aspect=frame.pixel_aspect,
        space=space,
    )  # fmt: skip
