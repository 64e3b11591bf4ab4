"""One frame of an element opened: its passes with their files, and their pixels on demand, all in one form."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import (
    CHROMATICITIES,
    Chromaticities,
    are_same,
    conversion_between,
    decode_srgb,
    primaries_to_xyz,
)
from prism.elements import disk
from prism.elements.element import Element, ElementPass, Files
from prism.elements.flatten import flattened
from prism.elements.gathering import gather
from prism.elements.identify import DENOISED
from prism.elements.pixels import Pixels, smaller
from prism.elements.store import PixelStore
from prism.errors import BadArgument, MissingChannels, PrismError, TooLarge, UnknownSource, UnreadableFile
from prism.formats import chroma
from prism.formats.headers import Attribute, Part, chromaticities_entry
from prism.formats.reading import read_header, read_planes
from prism.formats.stamps import stamp_of
from prism.passes.kinds import PassKind
from prism.pixels.channels import CHROMA, split_name
from prism.pixels.image import Image, dtype_of
from prism.pixels.resize import resized
from prism.pixels.window import PIXEL_LIMIT, Window
from prism.text import from_storable, storable

Reader = Callable[..., Image]  # as read_planes
REC709 = CHROMATICITIES["lin_rec709"]  # of a file that says nothing: OpenEXR technical introduction


@dataclass(frozen=True, slots=True)
class FileSource:
    """One pass of one frame. key: its name in a ledger. window: of its pixels, where they lie in the frame.

    space: primaries to be converted from to those of target, the working space; None if they are the same, or if it is data.
    """

    key: str
    held: ElementPass
    path: Path
    part: Part
    window: Window
    space: Chromaticities | None = None
    target: Chromaticities = REC709
    scaled: bool = False  # to the display window, since it has another size

    @property
    def title(self) -> str:
        """Its name for people."""
        return self.held.title

    @property
    def kind(self) -> PassKind | None:
        """None if the name is unknown."""
        return self.held.pass_kind

    @property
    def denoised(self) -> bool:
        """Whether it was cleaned."""
        return self.held.denoised

    @property
    def aside(self) -> bool:
        """Whether another takes its place in sums."""
        return bool(self.held.aside)

    @property
    def where(self) -> str:
        """Its file, for messages."""
        return str(self.path)

    @property
    def lossy(self) -> str:
        """The compression that may have changed its values; empty if there is none."""
        return self.part.compression or self.part.format if self.part.is_lossy else ""

    @property
    def attributes(self) -> Mapping[str, Attribute]:
        """Header entries of its part; the primaries are those of the working space once they were converted."""
        if self.space is None:
            return self.part.attributes
        return {**self.part.attributes, "chromaticities": chromaticities_entry(self.target)}

    @property
    def colour(self) -> tuple[str, ...]:
        """Channel names in the file."""
        return self.held.channels

    @property
    def alpha(self) -> str | None:
        """The name of its alpha in the file."""
        return self.held.alpha

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
        """half, float or uint, or uint8 and the like, as stored."""
        return self.part.stored or self.part.channels[self.colour[0]]

    @property
    def is_data(self) -> bool:
        """Whether it takes no view, no lossy compression and no filter; False for an unknown kind."""
        return self.kind is not None and self.kind.is_data

    @property
    def is_chroma(self) -> bool:
        """Whether it is luma with chroma."""
        return tuple(split_name(name)[1].upper() for name in self.colour) == CHROMA

    @property
    def is_as_stored(self) -> bool:
        """Whether its values are used just as the file has them."""
        straight = self.held.state == "straight"
        return not (
            straight or self.space or self.scaled or self.is_chroma or self.held.curve != "linear" or self.part.deep
        )


class OpenFrame:
    """All passes of one frame. Pixels are decoded when first asked for and kept in a bounded store.

    window: union of the windows of all passes of the picture's own size; every plane handed out covers it, 0 outside its own
    window. display_window: of the picture. faults: what was wrong with passes that were left out.
    Keys are `element/pass`, or just `pass` where the frame was opened without names of elements; a bare key in a frame with
    names is one of `main`.
    """

    def __init__(
        self,
        sources: Mapping[str, FileSource],
        display: Window,
        window: Window,
        *,
        main: str = "",
        store: PixelStore | None = None,
        reader: Reader = read_planes,
        faults: Sequence[PrismError] = (),
    ) -> None:
        self._sources = dict(sources)
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
        if key in self._sources:
            return self._sources[key]
        return self._sources.get(f"{self._main}/{key}" if self._main else key.rpartition("/")[2])

    def pixels(self, key: str, *, step: int = 1) -> Pixels:
        """Planes of a source, every side divided by `step` for a preview (colour averaged, data picked)."""
        source = self.source(key)
        return self._store.get(self._identity(source, step), lambda: self._load(source, step))

    def read(self, keys: Iterable[str | None], *, step: int = 1) -> None:
        """Decode what will be asked for, if it is not in the store: what lies in one part of a file in one go, since a file
        holds its rows with all their channels. Keys that are no sources are left for `pixels` to refuse."""
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
            fits = bytes_a_pixel * self.window.width * self.window.height <= self._store.byte_limit * 9 // 10
            if len(together) > 1 and fits:
                for source, pixels in self._decoded(together):
                    self._store.put(self._identity(source, 1), pixels)

    def shape(self, step: int = 1) -> tuple[int, int]:
        """Rows and columns of the planes at that step."""
        return self.window.height // step, self.window.width // step

    def identity(self) -> tuple:
        """Changes whenever a file of this frame does, or how it is read."""
        paths = sorted({source.path for source in self._sources.values()})
        read = tuple((s.key, s.held.state, s.held.curve, s.scaled, s.space, s.target) for s in self)
        return (*(stamp_of(path) for path in paths), read)

    def _load(self, source: FileSource, step: int) -> Pixels:
        if step > 1:
            return smaller(self.pixels(source.key), step, pick=source.is_data)
        return next(pixels for _, pixels in self._decoded([source]))

    def _identity(self, source: FileSource, step: int) -> tuple:
        held = source.held
        how = held.state, held.curve, source.scaled, source.space, source.target
        return (*stamp_of(source.path), source.part.index, source.colour, source.alpha, self.window, how, step)

    def _decoded(self, together: Sequence[FileSource]) -> Iterator[tuple[FileSource, Pixels]]:
        """Sources that lie in one part."""
        first = together[0]
        if first.part.deep:
            image = flattened(first.path, first.part)
        else:
            names = sorted({name for source in together for name in source.channels})
            image = self._reader(first.path, first.part, names, kept=self._store.folder)
        for source in together:
            yield source, self._pixels_of(source, image)

    def _pixels_of(self, source: FileSource, image: Image) -> Pixels:
        planes = [image.plane(name) for name in source.channels]
        alpha = planes.pop() if source.alpha else None
        if not source.is_as_stored:
            planes, alpha = self._converted(source, planes, alpha)
        placed = _alike(
            [self._placed(plane, source.window) for plane in (*planes, *(() if alpha is None else (alpha,)))]
        )
        alpha = placed.pop() if alpha is not None else None
        planes = placed
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
            colour = chroma.to_rgb(*planes, _weights(source.part), filled=filled)
        if source.held.curve == "srgb":
            colour = _decoded_srgb(colour, alpha, straight=source.held.state == "straight")
        if source.space is not None and len(colour) == 3:
            matrix = conversion_between(source.space, source.target).astype(np.float32)
            colour = np.tensordot(matrix, colour, axes=1)
        if source.held.state == "straight" and alpha is not None:
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


def open_frame(
    element: Element,
    frame: int,
    *,
    store: PixelStore | None = None,
    space: Chromaticities | None = None,
    reader: Reader = read_planes,
    tolerant: bool = True,
) -> OpenFrame:
    """The passes of one element at one frame, under their own keys: see `open_frames`. reader: in place of `read_planes`."""
    return _opened([("", element)], frame, store, space, reader, tolerant=tolerant)


def open_frames(
    elements: Sequence[Element],
    frame: int,
    *,
    store: PixelStore | None = None,
    space: Chromaticities | None = None,
    tolerant: bool = True,
) -> OpenFrame:
    """The passes of several elements at one frame, as `element/pass`. The first is the main one, whose size all others take.

    What has no file there, or a wrong one, is left out with its fault while any pass is right; a pass of another size never
    keeps the others out. space: the primaries to work in, those of the main beauty if None; colour of files that say others is
    converted. tolerant: False to raise the first fault. Raises UnreadableFile, TooLarge or MissingChannels if nothing is left.
    """
    return _opened(
        [(element.name, element) for element in elements], frame, store, space, read_planes, tolerant=tolerant
    )


@dataclass(frozen=True, slots=True)
class _Found:
    """A pass with its file at one frame."""

    key: str
    held: ElementPass
    path: Path
    part: Part


def _opened(
    elements: Sequence[tuple[str, Element]],
    frame: int,
    store: PixelStore | None,
    space: Chromaticities | None,
    reader: Reader,
    *,
    tolerant: bool,
) -> OpenFrame:
    faults: dict[tuple[str, str], PrismError] = {}
    found: list[_Found] = []
    for name, element in elements:
        for held in element.passes:
            if held.files.is_still or frame in held.files.numbers:
                path = held.files.path(frame)
                try:
                    found.append(_Found(f"{name}/{held.key}" if name else held.key, held, path, _part_of(held, path)))
                except PrismError as error:
                    faults.setdefault((error.what, error.where), error)
    if faults and not (tolerant and found):
        raise next(iter(faults.values()))
    if not found:
        raise UnreadableFile(
            f"Frame {frame} is not there.",
            where=elements[0][1].name,
            advice="Render it, or choose a frame that is marked present.",
        )
    first = _setting(found)
    space = space or _primaries(first.part) or REC709
    sources = {each.key: _source(each, first.part.display_window, space) for each in found}
    sources, window, apart = _within_bounds(sources, first)
    if apart and not tolerant:
        raise apart[0]
    return OpenFrame(
        sources, first.part.display_window, window,
        main=elements[0][0], store=store, reader=reader, faults=(*faults.values(), *apart),
    )  # fmt: skip


def _within_bounds(
    sources: Mapping[str, FileSource], first: _Found
) -> tuple[dict[str, FileSource], Window, list[PrismError]]:
    """The sources that lie together, the window of all of the picture's size, and what is wrong with the others."""
    window = sources[first.key].window
    kept: dict[str, FileSource] = {}
    apart: list[PrismError] = []
    for key, source in sources.items():
        same_size = source.part.display_window.shape == first.part.display_window.shape
        wider = window.union(source.window) if same_size else window
        if wider.width * wider.height > PIXEL_LIMIT:
            apart.append(
                TooLarge(
                    f"{source.title} lies so far from the others that together they span {wider}.",
                    where=source.where,
                    advice=f"Write passes whose windows together hold at most {PIXEL_LIMIT:,} pixels.",
                )
            )
            continue
        window = wider
        kept[key] = source
    return kept, window, apart


def find_sources(
    paths: Sequence[Path],
    *,
    store: PixelStore | None = None,
    space: Chromaticities | None = None,
    tolerant: bool = False,
) -> OpenFrame:
    """Open the files of one frame, named one by one, as one element. tolerant: leave out those that are wrong.

    Raises UnreadableFile or TooLarge, or BadArgument without files.
    """
    if not paths:
        raise BadArgument("No files were given.", advice="Name the picture files of one frame.")
    paths = list(dict.fromkeys(Path(path) for path in paths))
    sequences = [disk.single(path) for path in paths]
    gathered = gather(sequences, root=_above(paths), as_one=True)
    faults = [fault.error for fault in gathered.faults]
    if faults and not (tolerant and gathered.elements):
        raise faults[0]
    element = gathered.elements[0]
    passes = tuple(held.replace(files=_held_still(held.files)) for held in element.passes)
    frame = open_frame(element.replace(passes=passes), 0, store=store, space=space, tolerant=tolerant)
    frame.faults = (*faults, *frame.faults)
    return frame


def _above(paths: Sequence[Path]) -> Path:
    parents = {path.parent for path in paths}
    first = next(iter(parents))
    return first if len(parents) == 1 else next(p for p in first.parents if all(p in q.parents for q in parents))


def _held_still(files: Files) -> Files:
    """One file for whatever frame it is opened at."""
    if files.is_still:
        return files
    path = files.path(files.numbers[0])
    suffix = from_storable(files.suffix)
    return files.replace(head=storable(path.name.removesuffix(suffix)), padding=0, frames="")


def _part_of(held: ElementPass, path: Path) -> Part:
    """Raises MissingChannels if this frame's file lacks what the others have."""
    parts = read_header(path)
    part = parts[held.part] if held.part < len(parts) else parts[0]
    lost = [name for name in (*held.channels, *((held.alpha,) if held.alpha else ())) if name not in part.channels]
    if lost:
        raise MissingChannels(
            f"{held.title} is without {', '.join(lost)} here.", where=str(path), advice="Render this frame again."
        )
    return part


def _setting(found: Sequence[_Found]) -> _Found:
    """The pass that sets size and colour: the beauty; without one, the first that has the size most passes have."""
    beauty = next((each for each in found if each.held.kind == "beauty" and not each.held.aside), None)
    windows = [each.part.display_window for each in found]
    return beauty or found[windows.index(max(windows, key=windows.count))]


def _source(found: _Found, display: Window, space: Chromaticities) -> FileSource:
    """Placed by its windows: pixels lie where their numbers say, counted from the corner of their own display window."""
    held, part = found.held, found.part
    own = part.display_window
    scaled = held.fit == "scale" and own.shape != display.shape
    window = display if scaled else part.data_window.moved(display.x0 - own.x0, display.y0 - own.y0)
    kind = held.pass_kind
    is_light = len(held.channels) == 3 and not (kind is not None and kind.is_data)
    primaries = _primaries(part) if is_light else None
    other = primaries if primaries is not None and not are_same(primaries, space) else None
    return FileSource(found.key, held, found.path, part, window, other, space, scaled)


def _primaries(part: Part) -> Chromaticities | None:
    """Those of the header; None if it says none."""
    said = part.says("chromaticities")
    return tuple(said) if said is not None and len(said) == 8 else None


def _weights(part: Part) -> NDArray[np.float32]:
    return primaries_to_xyz(_primaries(part) or REC709)[1].astype(np.float32)


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
