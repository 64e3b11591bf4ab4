"""One frame of an element opened: its passes with their files, and their pixels on demand, all in one form."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.bands import split_rows
from prism.colour.spaces import (
    CHROMATICITIES,
    Chromaticities,
    conversion_between,
    decode_srgb,
    primaries_to_xyz,
    span_colours,
)
from prism.deep.files import read_pixels, read_samples
from prism.deep.samples import Samples
from prism.elements.element import ElementPass
from prism.errors import BadArgument, PrismError, UnknownSource, UnreadableFile
from prism.formats import chroma
from prism.formats.headers import Attribute, Part, chromaticities_entry
from prism.formats.planes import let_go
from prism.formats.reading import read_planes
from prism.formats.stamps import stamp_if_there, stamp_of
from prism.limits import current
from prism.passes.kinds import PassKind
from prism.pixels.channels import CHROMA, split_name
from prism.pixels.image import Image, dtype_of
from prism.pixels.resize import resized
from prism.pixels.window import Window
from prism.sources.flatten import flat_image
from prism.sources.pixels import Clip, Pixels, joined, smaller
from prism.sources.store import Item, PixelStore

Reader = Callable[..., Image]  # as read_planes
HUGE = 512 << 20  # bytes as float from which a pass is made smaller band by band
HUGE_ROWS = 256  # of such a band
REC709 = CHROMATICITIES["lin_rec709"]  # of a file that says nothing: OpenEXR technical introduction


@dataclass(frozen=True, slots=True)
class FileSource:
    """One pass of one frame. key: its name in a ledger. window: of its pixels, where they lie in the frame.

    space: primaries to be converted from to those of target, the working space; None if they are the same, or if it is
    data.
    """

    key: str
    pass_: ElementPass
    path: Path
    part: Part
    window: Window
    space: Chromaticities | None = None
    target: Chromaticities = REC709
    scaled: bool = False  # to the display window, since it has another size
    layer: str = ""  # of its image, and the camera
    camera: str = ""

    @property
    def title(self) -> str:
        """Its name for people."""
        return self.pass_.title

    @property
    def kind(self) -> PassKind | None:
        """None if the name is unknown."""
        return self.pass_.pass_kind

    @property
    def denoised(self) -> bool:
        """Whether it was cleaned."""
        return self.pass_.denoised

    @property
    def excluded(self) -> bool:
        """Whether another takes its place in sums."""
        return bool(self.pass_.excluded)

    @property
    def where(self) -> str:
        """Its file, for messages."""
        return str(self.path)

    @property
    def lossy(self) -> str:
        """The compression that may have changed its values; empty if there is none."""
        return self.part.lossy_for(self.channels)

    @property
    def attributes(self) -> Mapping[str, Attribute]:
        """Header entries of its part; the primaries are those of the working space once they were converted."""
        if self.space is None:
            return self.part.attributes
        return {**self.part.attributes, "chromaticities": chromaticities_entry(self.target)}

    @property
    def colour(self) -> tuple[str, ...]:
        """Channel names in the file."""
        return self.pass_.channels

    @property
    def alpha(self) -> str | None:
        """The name of its alpha in the file."""
        return self.pass_.alpha

    @property
    def channels(self) -> tuple[str, ...]:
        """All that is read of the file for it: colour, then alpha."""
        return (*self.colour, *((self.alpha,) if self.alpha else ()))

    @property
    def pixel_type(self) -> str:
        """half, float or uint, or uint8 and the like, as stored."""
        return self.part.stored or self.part.channels[self.colour[0]]

    @property
    def bits(self) -> int:
        """The bits of whole numbers it was stored as; 0 if it was stored as floating point."""
        return {"uint8": 8, "uint16": 16}.get(self.pixel_type, 0)

    @property
    def is_data(self) -> bool:
        """Whether it takes no view, no lossy compression and no filter; False for an unknown kind."""
        return self.kind is not None and self.kind.is_data

    @property
    def is_deep(self) -> bool:
        """Whether its pixels are many samples each."""
        return self.part.deep

    @property
    def is_chroma(self) -> bool:
        """Whether it is luma with chroma."""
        return tuple(split_name(name)[1].upper() for name in self.colour) == CHROMA

    @property
    def is_as_stored(self) -> bool:
        """Whether its values are used just as the file has them."""
        straight = self.pass_.state == "straight"
        return not (
            straight or self.space or self.scaled or self.is_chroma or self.pass_.curve != "linear" or self.part.deep
        )


class OpenFrame:
    """All passes of one frame. Pixels are decoded when first asked for and kept in a bounded store.

    number: of the frame; 0 for stills. others: opens the same at another number. clips: every pass by itself. window:
    union of the windows of all passes of the picture's own size; every plane handed out covers it, 0 outside its own
    window. display_window: of the picture. faults: what was wrong with passes that were left out. Keys are
    `element/pass`, or just `pass` where the frame was opened without names of elements; a bare key in a frame with
    names is one of `main`.
    """

    def __init__(
        self,
        sources: Mapping[str, FileSource],
        display: Window,
        window: Window,
        *,
        number: int = 0,
        others: Callable[[int], OpenFrame] | None = None,
        clips: Mapping[str, Clip] | None = None,
        main: str = "",
        store: PixelStore | None = None,
        reader: Reader = read_planes,
        faults: Sequence[PrismError] = (),
    ) -> None:
        self._sources = dict(sources)
        self.number = number
        self._others = others
        self._clips = dict(clips or {})
        self._main = main
        self.faults = tuple(faults)
        self._store = store if store is not None else PixelStore()
        self._reader = reader
        self.display_window = display
        self.window = window
        self.pixel_aspect = next(iter(self._sources.values())).part.pixel_aspect

    def __contains__(self, key: str) -> bool:
        return self._found(key) is not None

    def __iter__(self) -> Iterator[FileSource]:
        return iter(self._sources.values())

    def source(self, key: str) -> FileSource:
        """Raises UnknownSource naming the sources there are."""
        found = self._found(key)
        if found is None:
            there = ", ".join(self._sources)
            raise UnknownSource(f"There is no source {key}.", advice=f"This frame has {there}.")
        return found

    def _found(self, key: str) -> FileSource | None:
        return self._sources.get(key) or self._sources.get(self._full(key))

    def _full(self, key: str) -> str:
        """Under the main element; where that has no name, a key that names one is of none there is."""
        return f"{self._main}/{key}" if self._main else key

    @property
    def elements(self) -> tuple[str, ...]:
        """Names of those that it was opened of, the main one first."""
        return tuple(dict.fromkeys(key.rpartition("/")[0] for key in self._clips))

    def clip(self, key: str) -> Clip | None:
        """A source by itself over all of its frames; None if there is none of that name."""
        return self._clips.get(key) or self._clips.get(self._full(key))

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """Planes of a source, every side divided by `step`, rounded up, for a preview (colour averaged, data
        picked)."""
        source = self.source(key)
        return self._store.get(self._identity(source, step), lambda: self._load(source, step))

    def samples(self, key: str) -> Samples:
        """The samples of a deep source over the window, in full size, their colour R, G, B in the working space.
        Cached. Raises BadArgument for a flat one, UnreadableFile."""
        source = self._deep_source(key)
        return self._store.get(self._samples_key(source), lambda: self._samples_of(source))

    def samples_at(self, key: str, pixels: NDArray[np.int64], window: Window) -> Samples:
        """The samples of some pixels (P,) of the window alone, as a picture over another window. Of a picture that is
        not cached as a whole no more than that is read. Raises as `samples`."""
        source = self._deep_source(key)
        if self._store.folder is None or self._samples_key(source) in self._store:
            return self.samples(key).of_pixels(pixels, window)
        own = source.part.data_window
        rows, columns = np.divmod(pixels, self.window.width)
        rows, columns = rows + self.window.y0 - own.y0, columns + self.window.x0 - own.x0
        inside = (rows >= 0) & (rows < own.height) & (columns >= 0) & (columns < own.width)
        there = np.where(inside, rows * own.width + columns, -1)
        stored = read_pixels(source.path, source.part, there, window, cache=self._store.folder)
        return self._in_working_space(source, stored)

    def _deep_source(self, key: str) -> FileSource:
        source = self.source(key)
        if not source.is_deep:
            deep = ", ".join(other.key for other in self if other.is_deep) or "none"
            raise BadArgument(f"{key} is flat; deep passes are {deep}.", where=key, advice="Make it a card at a depth.")
        return source

    def _samples_key(self, source: FileSource) -> tuple:
        return "samples", self._identity(source, 1)

    def box(self, key: str, rows: slice, columns: slice) -> Pixels:
        """A box of a source in full size; of a huge one only that is read from the decoded planes."""
        source = self.source(key)
        if not self._is_huge(source):
            return self.pixels(key).cut(rows, columns)
        return self._pixels_of(source, [plane[rows, columns] for plane in self._decoded_planes(source)], placed=True)

    def read(self, keys: Iterable[str | None], *, step: int = 1) -> None:
        """Decode what will be asked for, if it is not in the store: what lies in one part of a file in one go, since a
        file holds its rows with all their channels. Keys that are no sources are left for `pixels` to refuse."""
        missing: dict[tuple[Path, int], list[FileSource]] = defaultdict(list)
        for source in (self._found(key) for key in dict.fromkeys(keys) if key is not None):
            if source is None:
                continue
            if not any(self._identity(source, size) in self._store for size in {step, 1}) and not source.part.deep:
                missing[source.path, source.part.index].append(source)
        for together in missing.values():
            bytes_a_pixel = sum(
                dtype_of(source.part.channels[name]).itemsize for source in together for name in source.channels
            )
            size = bytes_a_pixel * self.window.width * self.window.height
            if len(together) > 1 and size <= min(self._store.byte_limit * 9 // 10, HUGE):
                for source, pixels in self._decoded(together):
                    self._store.put(self._identity(source, 1), pixels)

    def shape(self, step: int = 1) -> tuple[int, int]:
        """Rows and columns of the planes at that step."""
        return -(-self.window.height // step), -(-self.window.width // step)

    def as_display_stills(self) -> None:
        """Whole numbers are display values through the sRGB curve, as stills for a screen have them; data stays."""
        for key, source in self._sources.items():
            if source.bits and not source.is_data:
                self._sources[key] = replace(source, pass_=source.pass_.replace(curve="srgb"))

    def stays(self) -> None:
        """Files were named one by one: they are of this frame and no other."""
        self._others = None

    def at(self, number: int) -> OpenFrame:
        """The same elements at another frame. Raises UnreadableFile if there is none."""
        if self._others is None:
            raise UnreadableFile(f"Frame {number} was not named.", advice="Open a sequence instead of single files.")
        return self._others(number)

    @property
    def whole(self) -> OpenFrame:
        """Itself."""
        return self

    def cut(self, plane: NDArray) -> NDArray:
        """All of a plane (H, W)."""
        return plane

    def cached(self, key: Hashable, make: Callable[[], Item]) -> Item:
        """What was made of these pixels before, or now."""
        return self._store.get(("kept", self.identity(), self.window, key), make)

    def identity(self) -> tuple:
        """Changes whenever a file of this frame does, or one that its header names, or how it is read."""
        paths = sorted({source.path for source in self._sources.values()})
        read = tuple((s.key, s.pass_.state, s.pass_.curve, s.scaled, s.space, s.target) for s in self)
        return (*map(stamp_of, paths), *map(stamp_if_there, self._named_beside), read)

    @cached_property
    def _named_beside(self) -> list[Path]:
        """Manifests of Cryptomattes that lie beside the images."""
        parts = {(source.path, source.part.index): source for source in self}
        return sorted(
            path.parent / str(a.value)
            for (path, _), source in parts.items()
            for name, a in source.attributes.items()
            if name.endswith("/manif_file")
        )

    def _samples_of(self, source: FileSource) -> Samples:
        stored = read_samples(source.path, source.part, cache=self._store.folder)
        return self._in_working_space(source, stored).over(self.window)

    def _in_working_space(self, source: FileSource, stored: Samples) -> Samples:
        """R, G, B of a source alone, premultiplied."""
        names = (*source.colour, *source.colour[-1:] * 2)[:3] if len(source.colour) < 3 else source.colour[:3]
        own = stored.with_names(names, ())
        planes, _ = self._converted(source, list(own.colour.T), own.alpha)
        colour = np.ascontiguousarray(np.stack(planes).T, np.float32)
        return replace(own, colour=colour, names=("R", "G", "B"), attributes={})

    def _load(self, source: FileSource, step: int) -> Pixels:
        if step > 1:
            if self._is_huge(source):
                return self._reduced(source, step)
            return smaller(self.pixels(source.key), step, pick=source.is_data)
        return next(pixels for _, pixels in self._decoded([source]))

    def _is_huge(self, source: FileSource) -> bool:
        """Whether its pixels are better not held as a whole for a smaller picture, and need not be, since rows by
        themselves are enough."""
        by_rows = source.window == self.window and not (source.scaled or source.is_chroma or source.part.deep)
        size = 4 * len(source.channels) * self.window.width * self.window.height
        return by_rows and size > HUGE and self._identity(source, 1) not in self._store

    def _reduced(self, source: FileSource, step: int) -> Pixels:
        """The whole made smaller, band by band: only the file of decoded planes ever holds all of it."""
        planes = self._decoded_planes(source)
        bands = []
        for first, end in split_rows(self.window.height, step * max(1, HUGE_ROWS // step)):
            current().require()
            whole = self._pixels_of(source, [plane[first:end] for plane in planes], placed=True)
            bands.append(smaller(whole, step, pick=source.is_data))
            for plane in planes:
                let_go(plane)
        return joined(bands)

    def _decoded_planes(self, source: FileSource) -> list[NDArray]:
        image = self._reader(source.path, source.part, sorted(source.channels), cache=self._store.folder)
        return [image.plane(name) for name in source.channels]

    def _identity(self, source: FileSource, step: int) -> tuple:
        pass_ = source.pass_
        how = pass_.state, pass_.curve, source.scaled, source.space, source.target
        return (*stamp_of(source.path), source.part.index, source.colour, source.alpha, self.window, how, step)

    def _decoded(self, together: Sequence[FileSource]) -> Iterator[tuple[FileSource, Pixels]]:
        """Sources that lie in one part."""
        first = together[0]
        if first.part.deep:
            image = flat_image(first.path, first.part)
        else:
            names = sorted({name for source in together for name in source.channels})
            image = self._reader(first.path, first.part, names, cache=self._store.folder)
        for source in together:
            yield source, self._pixels_of(source, [image.plane(name) for name in source.channels])

    def _pixels_of(self, source: FileSource, planes: list[NDArray], *, placed: bool = False) -> Pixels:
        """planes: of its channels, as the file has them. placed: whether they are rows of the frame's window."""
        alpha = planes.pop() if source.alpha else None
        if not source.is_as_stored:
            planes, alpha = self._converted(source, planes, alpha)
        all_of_it = [*planes, *(() if alpha is None else (alpha,))]
        planes = _alike(all_of_it if placed else [self._placed(plane, source.window) for plane in all_of_it])
        alpha = planes.pop() if alpha is not None else None
        if len(planes) == 1:
            planes *= 3
        elif len(planes) == 2:  # u and v of a motion pass
            planes.append(np.zeros_like(planes[0]))
        return Pixels(tuple(planes[:3]), alpha)

    def _converted(self, source: FileSource, planes: list[NDArray], alpha: NDArray | None):
        """From what the file has to premultiplied linear light of the working space, at the frame's size."""
        colour = np.stack(planes).astype(np.float32)
        if source.is_chroma:
            filled = bool(source.part.subsampled & set(source.colour))
            luminance, red, blue = planes
            colour = chroma.to_rgb(luminance, red, blue, _weights(source.part), filled=filled)
        if source.pass_.curve == "srgb":
            colour = _decoded_srgb(colour, alpha, straight=source.pass_.state == "straight")
        if source.space is not None and len(colour) == 3:
            matrix = conversion_between(source.space, source.target).astype(np.float32)
            colour = np.tensordot(matrix, colour, axes=1)
        if source.pass_.state == "straight" and alpha is not None:
            colour = colour * alpha.astype(np.float32)
        if source.scaled:
            shape = self.display_window.shape
            colour = np.stack([resized(plane, shape, pick=source.is_data) for plane in colour])
            alpha = None if alpha is None else resized(alpha.astype(np.float32), shape, pick=source.is_data)
        return list(colour), alpha

    def _placed(self, plane: NDArray, window: Window) -> NDArray:
        if window == self.window:
            return plane
        canvas = np.zeros(self.window.shape, plane.dtype)
        both = window.intersection(self.window)
        if both is not None:
            canvas[both.slices_in(self.window)] = plane[both.slices_in(window)]
        return canvas


def _weights(part: Part) -> NDArray[np.float32]:
    return primaries_to_xyz(primaries_of(part) or REC709)[1].astype(np.float32)


def _decoded_srgb(colour: NDArray[np.float32], alpha: NDArray | None, *, straight: bool) -> NDArray[np.float32]:
    """Light of display values. The curve is for whole light: premultiplied values are divided by alpha around it."""
    if straight or alpha is None:
        return decode_srgb(colour).astype(np.float32)
    alpha = alpha.astype(np.float32)
    whole = np.divide(colour, alpha, out=colour.copy(), where=alpha > 0)
    return (decode_srgb(whole) * np.where(alpha > 0, alpha, 1)).astype(np.float32)


def _alike(planes: list[NDArray]) -> list[NDArray]:
    """Give all planes one type: half if all are half, else float32."""
    dtype = np.float16 if all(plane.dtype == np.float16 for plane in planes) else np.float32
    return [np.ascontiguousarray(plane.astype(dtype, copy=False)) for plane in planes]


def primaries_of(part: Part) -> Chromaticities | None:
    """The primaries of the header; None if it says none, or some of which no light can be mixed."""
    said = part.says("chromaticities")
    return tuple(said) if isinstance(said, tuple) and span_colours(said) else None
