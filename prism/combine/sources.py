"""The sources of one frame: which pass lies in which file, part and channels, and its pixels on demand."""

from __future__ import annotations

import os
import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.combine.store import PixelStore
from prism.errors import BadArgument, PrismError, SizeMismatch, TooLarge, UnknownSource, UnreadableFile
from prism.formats.exr import read_channels
from prism.formats.headers import Part, read_parts
from prism.formats.stamps import stamp_of
from prism.passes.kinds import PassKind
from prism.passes.recognise import recognise, without_common_prefix, words_of
from prism.pixels.channels import LayerChannels, group_layers
from prism.pixels.image import Image, dtype_of
from prism.pixels.window import PIXEL_LIMIT, Window
from prism.text import printable

DENOISED = "denoised"  # ends the name of a file that was cleaned
_FRAME_AND_SUFFIX = re.compile(r"([._-]-?\d+)?\.[A-Za-z0-9]+$")


@dataclass(frozen=True, slots=True, eq=False)
class Pixels:
    """A source as the evaluator wants it: equal contiguous planes, half kept as half."""

    planes: tuple[NDArray, NDArray, NDArray]  # (H, W) each; a one-channel pass has the same plane three times
    alpha: NDArray | None  # (H, W) of the same type

    @property
    def byte_count(self) -> int:
        """Of the planes in memory; planes that are shared count once."""
        unique = {id(plane): plane.nbytes for plane in (*self.planes, self.alpha) if plane is not None}
        return sum(unique.values())


@dataclass(frozen=True, slots=True)
class Source:
    """One pass of one frame. `key` is its name in a ledger."""

    key: str
    title: str
    kind: PassKind | None  # None if the name is unknown
    path: Path
    part: Part
    colour: tuple[str, ...]  # channel names in the file
    alpha: str | None
    denoised: bool = False

    @property
    def channels(self) -> tuple[str, ...]:
        """All that is read of the file for it: colour, then alpha."""
        return (*self.colour, *((self.alpha,) if self.alpha else ()))

    @property
    def pass_title(self) -> str:
        """Its title without a word on denoising."""
        return self.title.removesuffix(f", {DENOISED}")

    @property
    def pixel_type(self) -> str:
        """half, float or uint, as stored."""
        return self.part.channels[self.colour[0]]

    @property
    def is_data(self) -> bool:
        """Whether it takes no view, no lossy compression and no filter; False for an unknown kind."""
        return self.kind is not None and self.kind.is_data


class FrameSources:
    """All passes of one frame, found by names. Pixels are decoded when first asked for and kept in a bounded store.

    window: union of the data windows of all passes; every plane handed out covers it, 0 outside its own window.
    pixel_aspect: width of a pixel by its height. faults: what was wrong with files that were left out.
    """

    def __init__(
        self, sources: Mapping[str, Source], *, store: PixelStore | None = None, faults: Sequence[PrismError] = ()
    ) -> None:
        self._sources = dict(sources)
        self.faults = tuple(faults)
        self._store = store if store is not None else PixelStore()
        first = next(iter(self._sources.values()))
        self.display_window = first.part.display_window
        self.pixel_aspect = first.part.pixel_aspect
        self.window = first.part.data_window
        for source in self._sources.values():
            self.window = self.window.union(source.part.data_window)
        if self.window.width * self.window.height > PIXEL_LIMIT:
            raise TooLarge(
                f"The passes lie so far apart that together they span {self.window}.",
                where=str(first.path),
                advice=f"Write passes whose windows together hold at most {PIXEL_LIMIT:,} pixels.",
            )

    def __contains__(self, key: str) -> bool:
        return key in self._sources

    def __iter__(self):
        return iter(self._sources.values())

    def source(self, key: str) -> Source:
        """Raises UnknownSource naming the sources there are."""
        try:
            return self._sources[key]
        except KeyError:
            found = ", ".join(self._sources)
            raise UnknownSource(f"There is no source {key}.", advice=f"This frame has {found}.") from None

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """Planes of a source, every side divided by `step` for a preview (colour averaged, data picked)."""
        source = self.source(key)
        return self._store.get(self._identity(source, step), lambda: self._load(source, step))

    def read(self, keys: Iterable[str | None], *, step: int = 1) -> None:
        """Decode what will be asked for, if it is not in the store: what lies in one part of a file in one go, since a file
        holds its rows with all their channels. Keys that are no sources are left for `pixels` to refuse."""
        missing: dict[tuple[Path, int], list[Source]] = defaultdict(list)
        for source in (self._sources[key] for key in dict.fromkeys(keys) if key in self._sources):
            if not any(self._identity(source, size) in self._store for size in {step, 1}):
                missing[source.path, source.part.index].append(source)
        for together in missing.values():
            bytes_a_pixel = sum(
                dtype_of(source.part.channels[name]).itemsize for source in together for name in source.channels
            )
            fits = bytes_a_pixel * self.window.width * self.window.height <= self._store.byte_limit * 9 // 10
            if len(together) > 1 and fits:
                for source, pixels in self._decoded(together):
                    self._store.put(self._identity(source, 1), pixels)

    def shape(self, step: int = 1) -> tuple[int, int]:
        """Rows and columns of the planes at that step."""
        return self.window.height // step, self.window.width // step

    def on_display(self, rgba: NDArray, *, step: int = 1) -> NDArray:
        """The part of a (C, H, W) picture of the window that lies in the display window; 0 outside the data window."""
        if self.window == self.display_window:
            return rgba
        both = self.window.union(self.display_window)
        sides = zip(self.window.slices_in(both), self.display_window.slices_in(both), rgba.shape[1:], strict=True)
        (rows, from_rows, height), (columns, from_columns, width) = (_overlap(*side, step) for side in sides)
        shown = np.zeros((len(rgba), height, width), rgba.dtype)
        shown[:, rows, columns] = rgba[:, from_rows, from_columns]
        return shown

    def identity(self) -> tuple:
        """Changes whenever a file of this frame does."""
        paths = sorted({source.path for source in self._sources.values()})
        return tuple(stamp_of(path) for path in paths)

    def _load(self, source: Source, step: int) -> Pixels:
        if step > 1:
            return _reduced(self.pixels(source.key), step, pick=source.is_data)
        return next(pixels for _, pixels in self._decoded([source]))

    def _identity(self, source: Source, step: int) -> tuple:
        return (*stamp_of(source.path), source.part.index, source.colour, source.alpha, self.window, step)

    def _decoded(self, together: Sequence[Source]) -> Iterator[tuple[Source, Pixels]]:
        """Sources that lie in one part."""
        names = sorted({name for source in together for name in source.channels})
        image = read_channels(together[0].path, together[0].part, names, kept=self._store.folder)
        for source in together:
            yield source, self._pixels_of(source, image)

    def _pixels_of(self, source: Source, image: Image) -> Pixels:
        planes = _alike([self._placed(image.plane(name), image.data_window) for name in source.channels])
        alpha = planes.pop() if source.alpha else None
        if len(planes) == 1:
            planes *= 3
        elif len(planes) == 2:  # u and v of a motion pass
            planes.append(np.zeros_like(planes[0]))
        return Pixels(tuple(planes), alpha)

    def _placed(self, plane: NDArray, window: Window) -> NDArray:
        if window == self.window:
            return plane
        canvas = np.zeros(self.window.shape, plane.dtype)
        canvas[window.slices_in(self.window)] = plane
        return canvas


def find_sources(paths: Sequence[Path], *, store: PixelStore | None = None, tolerant: bool = False) -> FrameSources:
    """Open the files of one frame and tell its passes apart.

    A file of many layers names its passes by layer. A file of one layer without a telling name is named by what its
    file name adds to the others'. tolerant: leave out files that are wrong while any is right, and keep their faults.
    Raises UnreadableFile, SizeMismatch, or BadArgument if two files hold the same pass.
    """
    if not paths:
        raise BadArgument("No files were given.", advice="Name the EXR files of one frame.")
    paths = [Path(path) for path in paths]
    faults: list[PrismError] = []
    by_file: list[list[Source]] = []
    for path, stem in zip(paths, _telling_names(paths), strict=True):
        try:
            by_file.append(_sources_of(path, stem, alone=len(paths) == 1))
        except PrismError as fault:
            faults.append(fault)
    found: dict[str, Source] = {}
    for sources in sorted(_without_strays(by_file), key=lambda held: any(source.denoised for source in held)):
        try:  # noisy ones first
            found |= _joining(sources, found)
        except PrismError as fault:
            faults.append(fault)
    if faults and not (tolerant and found):
        raise faults[0]
    if not found:
        raise UnreadableFile(
            "There are only deep samples here, no flat passes.", where=str(paths[0]), advice="Flatten them first."
        )
    return FrameSources(found, store=store, faults=faults)


def _joining(sources: Sequence[Source], found: Mapping[str, Source]) -> dict[str, Source]:
    """The sources of one file, if they can stand beside those found. Raises BadArgument or SizeMismatch."""
    first = next(iter((*found.values(), *sources)), None)
    joined: dict[str, Source] = {}
    for source in sources:
        same = found.get(source.key) or joined.get(source.key)
        if same:
            raise BadArgument(
                f"{source.title} is in {same.path.name} as well.",
                where=str(source.path),
                advice="Give each pass once.",
            )
        if first and source.part.display_window != first.part.display_window:
            raise SizeMismatch(
                f"{source.title} is {source.part.display_window}, {first.title} is {first.part.display_window}.",
                where=str(source.path),
                advice="Render all passes of a frame at one size.",
            )
        joined[source.key] = source
    return joined


def _telling_names(paths: Sequence[Path]) -> list[str]:
    """What tells the files of a frame apart: what the name adds to the others', or the folder where that says nothing."""
    names = without_common_prefix([_FRAME_AND_SUFFIX.sub("", printable(path.name)) for path in paths])
    if len({path.parent for path in paths}) == 1:
        return names
    above = Path(os.path.commonpath([path.parent for path in paths]))
    folders = [printable("_".join(path.parent.relative_to(above).parts)) for path in paths]
    return [name if recognise(name) else folder or name for name, folder in zip(names, folders, strict=True)]


def _without_strays(by_file: list[list[Source]]) -> list[list[Source]]:
    """Data files may drag a copy of the beauty along; it stands aside where another file has the beauty."""
    with_beauty = [file for file in by_file if any(source.key == "beauty" for source in file)]
    strays = [
        file
        for file in with_beauty
        if len(file) > 1 and all(source.is_data or source.key == "beauty" for source in file)
    ]
    if not strays or len(with_beauty) == 1:
        return by_file
    return [[source for source in file if file not in strays or source.key != "beauty"] for file in by_file]


def _sources_of(path: Path, stem: str, *, alone: bool) -> list[Source]:
    """Denoised passes lie beside the noisy ones and sum to a beauty of their own, so they get keys of their own."""
    if words_of(stem)[-1:] != [DENOISED]:
        return _noisy_sources_of(path, stem, alone=alone)
    sources = _noisy_sources_of(path, stem.replace(DENOISED, ""), alone=alone)
    return [
        replace(source, key=f"{source.key}_{DENOISED}", title=f"{source.title}, {DENOISED}", denoised=True)
        for source in sources
    ]


def _noisy_sources_of(path: Path, stem: str, *, alone: bool) -> list[Source]:
    parts = [part for part in read_parts(path) if not part.deep]
    layers: list[tuple[Part, LayerChannels]] = []
    for part in parts:
        names = part.layer_names()
        for layer in group_layers(names):
            full = tuple(names[name] for name in layer.names)
            layers.append((part, LayerChannels(layer.layer, layer.components, full)))
    if not alone and len(layers) == 1:
        part, layer = layers[0]
        return [_source(path, part, layer, layer.layer if recognise(layer.layer) else stem)]
    return [_source(path, part, layer, layer.layer) for part, layer in layers]


def _source(path: Path, part: Part, layer: LayerChannels, name: str) -> Source:
    known = recognise(name or "beauty")  # the bare R, G, B, A of a file of many layers
    key, title, kind = (known.key, known.title, known.kind) if known else (name, name, None)
    return Source(key, title, kind, path, part, layer.colour_names[:3] or layer.names, layer.alpha)


def _overlap(held: slice, wanted: slice, count: int, step: int) -> tuple[slice, slice, int]:
    """Along one side: where what is held falls in what is wanted, which part of it does, and how long the wanted is.

    held, wanted: in pixels from a common origin. count: of small pixels held. step: pixels for one of them.
    """
    begin, end = held.start // step, held.start // step + count
    first, length = wanted.start // step, (wanted.stop - wanted.start) // step
    low = min(max(begin, first), first + length)
    high = max(low, min(end, first + length))
    return slice(low - first, high - first), slice(low - begin, high - begin), length


def _alike(planes: list[NDArray]) -> list[NDArray]:
    """Give all planes one type: half if all are half, else float32."""
    dtype = np.float16 if all(plane.dtype == np.float16 for plane in planes) else np.float32
    return [np.ascontiguousarray(plane.astype(dtype, copy=False)) for plane in planes]


def _reduced(pixels: Pixels, step: int, *, pick: bool) -> Pixels:
    """Smaller planes. Colour is premultiplied, so plain averages are right; data must not be averaged."""
    done: dict[int, NDArray] = {}

    def reduce(plane: NDArray) -> NDArray:
        if id(plane) not in done:
            height, width = (side // step for side in plane.shape)
            blocks = plane[: height * step, : width * step].reshape(height, step, width, step)
            small = blocks[:, step // 2, :, step // 2] if pick else blocks.mean(axis=(1, 3), dtype=np.float32)
            done[id(plane)] = np.ascontiguousarray(small.astype(plane.dtype, copy=False))
        return done[id(plane)]

    return Pixels(
        tuple(reduce(plane) for plane in pixels.planes), None if pixels.alpha is None else reduce(pixels.alpha)
    )
