"""Frames opened: of one element, of several that a ledger names, or of files named one by one."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from prism.colour.spaces import CHROMATICITIES, Chromaticities, are_same
from prism.elements import disk
from prism.elements.element import Element, ElementPass, Files
from prism.elements.gathering import gather
from prism.errors import BadArgument, MissingChannels, PrismError, TooLarge, UnreadableFile
from prism.formats.headers import Part
from prism.formats.reading import read_header, read_planes
from prism.pixels.window import PIXEL_LIMIT, Window
from prism.sources.frame import REC709, FileSource, OpenFrame, Reader, primaries_of
from prism.sources.store import PixelStore
from prism.text import from_storable, storable


def open_frame(
    element: Element,
    frame: int,
    *,
    store: PixelStore | None = None,
    space: Chromaticities | None = None,
    reader: Reader = read_planes,
    tolerant: bool = True,
) -> OpenFrame:
    """The passes of one element at one frame, under their own keys: see `open_frames`. reader: in place of
    `read_planes`."""
    return _opened([("", element)], frame, store, space, reader, tolerant=tolerant)


def open_frames(
    elements: Sequence[Element],
    frame: int,
    *,
    store: PixelStore | None = None,
    space: Chromaticities | None = None,
    tolerant: bool = True,
) -> OpenFrame:
    """The passes of several elements at one frame, as `element/pass`. The first is the main one, whose size all others
    take.

    What has no file there, or a wrong one, is left out with its fault while any pass is right; a pass of another size
    never keeps the others out. space: the primaries to work in, those of the main beauty if None; colour of files that
    say others is converted. tolerant: False to raise the first fault. Raises UnreadableFile, TooLarge or
    MissingChannels if nothing is left.
    """
    return _opened(
        [(element.name, element) for element in elements], frame, store, space, read_planes, tolerant=tolerant
    )


@dataclass(frozen=True, slots=True)
class _Found:
    """A pass with its file at one frame."""

    key: str
    pass_: ElementPass
    path: Path
    part: Part
    element: Element


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
    paths: dict[tuple, Path] = {}
    headers: dict[Path, list[Part]] = {}  # many passes lie in one file
    found: list[_Found] = []
    for name, element in elements:
        for pass_ in element.passes:
            if pass_.files.is_still or pass_.files.has(frame):
                path = _path(pass_.files, frame, paths)
                try:
                    key = f"{name}/{pass_.key}" if name else pass_.key
                    found.append(_Found(key, pass_, path, _part_of(pass_, path, headers), element))
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
    space = space or primaries_of(first.part) or REC709
    sources = {each.key: _source(each, first.part.display_window, space) for each in found}
    sources, window, apart = _within_bounds(sources, first)
    if apart and not tolerant:
        raise apart[0]
    return OpenFrame(
        sources,
        first.part.display_window,
        window,
        number=frame,
        others=lambda number: _opened(elements, number, store, space, reader, tolerant=tolerant),
        clips=_clips(elements, store, space, reader),
        main=elements[0][0],
        store=store,
        reader=reader,
        faults=(*faults.values(), *apart),
    )


@dataclass(frozen=True, slots=True)
class FileClip:
    """One pass of an element over all of its frames, in its own size."""

    pass_: ElementPass
    open: Callable[[int], OpenFrame]

    @property
    def numbers(self) -> tuple[int, ...]:
        """The numbers of its frames, rising; empty for a still."""
        return self.pass_.files.numbers

    def at(self, number: int) -> OpenFrame:
        """Raises UnreadableFile if it is not there."""
        return self.open(number)


def _clips(
    elements: Sequence[tuple[str, Element]], store: PixelStore | None, space: Chromaticities, reader: Reader
) -> dict[str, FileClip]:
    def clip(name: str, element: Element, pass_: ElementPass) -> FileClip:
        def alone(number: int) -> OpenFrame:
            only = [(name, element.replace(passes=(pass_,)))]
            return _opened(only, number, store, space, reader, tolerant=False)

        return FileClip(pass_, alone)

    return {
        f"{name}/{pass_.key}" if name else pass_.key: clip(name, element, pass_)
        for name, element in elements
        for pass_ in element.passes
        if pass_.files.is_still or pass_.files.numbers
    }


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
                    f"{source.title} is so far from the others that together they span {wider}.",
                    where=source.where,
                    advice=f"Write passes whose windows together hold at most {PIXEL_LIMIT:,} pixels.",
                )
            )
            continue
        window = wider
        kept[key] = source
    return kept, window, apart


def find_sources(
    paths: Sequence[Path | str] | Path | str,
    *,
    store: PixelStore | None = None,
    space: Chromaticities | None = None,
    tolerant: bool = False,
) -> OpenFrame:
    """Open the files of one frame, one or several, as one element. tolerant: leave out those that are wrong.

    Raises UnreadableFile or TooLarge, or BadArgument without files.
    """
    if isinstance(paths, str | Path):
        paths = [paths]
    if not paths:
        raise BadArgument("No files were given.", advice="Name the picture files of one frame.")
    files = list(dict.fromkeys(Path(path) for path in paths))
    sequences = [disk.single(path) for path in files]
    gathered = gather(sequences, root=_above(files), as_one=True)
    faults = [fault.error for fault in gathered.faults]
    if faults and not (tolerant and gathered.elements):
        raise faults[0]
    element = gathered.elements[0]
    passes = tuple(pass_.replace(files=_held_still(pass_.files)) for pass_ in element.passes)
    number = next((pass_.files.numbers[0] for pass_ in element.passes if not pass_.files.is_still), 0)
    frame = open_frame(element.replace(passes=passes), number, store=store, space=space, tolerant=tolerant)
    frame.stays()
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


def _path(files: Files, frame: int, known: dict[tuple, Path]) -> Path:
    """Worked out once for all passes of a sequence."""
    key = files.folder, files.head, files.padding, files.suffix
    if key not in known:
        known[key] = files.path(frame)
    return known[key]


def _part_of(pass_: ElementPass, path: Path, headers: dict[Path, list[Part]]) -> Part:
    """Raises MissingChannels if this frame's file lacks what the others have."""
    if path not in headers:
        headers[path] = read_header(path)
    parts = headers[path]
    part = parts[pass_.part] if pass_.part < len(parts) else parts[0]
    lost = [name for name in (*pass_.channels, *((pass_.alpha,) if pass_.alpha else ())) if name not in part.channels]
    if lost:
        raise MissingChannels(
            f"{pass_.title} is without {', '.join(lost)} here.", where=str(path), advice="Render this frame again."
        )
    return part


def _setting(found: Sequence[_Found]) -> _Found:
    """The pass that sets size and colour: the beauty; without one, the first that has the size most passes have."""
    beauty = next((each for each in found if each.pass_.kind == "beauty" and not each.pass_.excluded), None)
    windows = [each.part.display_window for each in found]
    return beauty or found[windows.index(max(windows, key=windows.count))]


def _primaries(pass_: ElementPass, part: Part) -> Chromaticities | None:
    """The primaries that its light has before it is converted; None to leave it as it is."""
    if pass_.primaries == "header":
        return primaries_of(part)
    return CHROMATICITIES.get(pass_.primaries)


def _source(found: _Found, display: Window, space: Chromaticities) -> FileSource:
    """Placed by its windows: pixels lie where their numbers say, counted from the corner of their own display
    window."""
    pass_, part = found.pass_, found.part
    own = part.display_window
    scaled = pass_.fit == "scale" and own.shape != display.shape
    window = display if scaled else part.data_window.moved(display.x0 - own.x0, display.y0 - own.y0)
    kind = pass_.pass_kind
    is_light = len(pass_.channels) == 3 and not (kind is not None and kind.is_data)
    primaries = _primaries(pass_, part) if is_light else None
    other = primaries if primaries is not None and not are_same(primaries, space) else None
    element = found.element
    return FileSource(
        found.key, pass_, found.path, part, window, other, space, scaled, layer=element.layer, camera=element.camera
    )
