"""What the stations share of a shot's sources: the documents of its elements, and their files and pixels by frame."""

from __future__ import annotations

import json
from collections.abc import Iterable
from functools import lru_cache
from pathlib import Path

from desk.elements.models import Element
from desk.elements.store import PIXELS
from desk.shots.models import Shot
from desk.shots.storage import kept_inside
from prism.colour.spaces import CHROMATICITIES
from prism.colour.view import ViewTransform
from prism.documents import canonical, fingerprint_of
from prism.elements.element import Element as Document
from prism.errors import UnreadableFile
from prism.formats.stamps import fingerprint_of_files
from prism.ledger.first import standing_for
from prism.sources.frame import OpenFrame
from prism.sources.opening import open_frames
from prism.viewing.picture import Look, pass_jpeg

SMALL_WIDTH = 480


def document_of(element: Element) -> Document:
    """What it is made of, with the artist's choices over what was found. Raises BadDocument."""
    return _document(element.name, json.dumps(element.document), json.dumps(element.choices))


@lru_cache(maxsize=64)
def _document(name: str, found: str, chosen: str) -> Document:
    """Checked once for as long as it stays as it is: every picture asks for it."""
    document = Document.from_json(json.loads(found), where=f"element {name}").replace(name=name)
    choices = json.loads(chosen)
    passes = tuple(
        pass_.replace(**choices[pass_.key]) if choices.get(pass_.key) else pass_ for pass_ in document.passes
    )
    return document.replace(passes=passes)


def frames_on_disk(element: Element | None) -> list[int]:
    """Frames for which at least one file was there when its folders were last looked at; none without an element."""
    return list(document_of(element).frames) if element is not None and element.document else []


def require_files(elements: Iterable[Element], *frames: int) -> None:
    """Raises UnreadableFile if one of the frames has no files, or if a link leads out of the production."""
    _require_files([(element, document_of(element)) for element in elements], *frames)


def _require_files(elements: list[tuple[Element, Document]], *frames: int) -> None:
    followed: set[Path] = set()
    for frame in frames:
        files = [(element, path) for element, document in elements for path in document.files_at(frame)]
        for element, path in files:
            # Of thousands of frames the folders are followed once, and a file only if it is a link.
            for place in (path.parent, *([path] if path.is_symlink() else [])):
                if place not in followed:
                    followed.add(kept_inside(place, element.shot.production))
        if not files:
            raise UnreadableFile(
                f"Frame {frame} is not there.",
                where=", ".join(element.name for element, _ in elements),
                advice="Render it, or choose a frame that is marked present.",
            )


def files_fingerprint(elements: Iterable[Element], frame: int) -> str:
    """Changes whenever a file of a frame does, or how its passes are read: what a verdict or a delivery was made
    from."""
    return files_fingerprints(elements, [frame])[frame]


def files_fingerprints(elements: Iterable[Element], frames: Iterable[int]) -> dict[int, str]:
    """The same of many frames."""
    documents = [document_of(element) for element in elements]
    readings = canonical([document.reading for document in documents])
    of_files = {
        frame: fingerprint_of_files(path for document in documents for path in document.files_at(frame))
        for frame in frames
    }
    return {frame: fingerprint_of(f"[{canonical(files)},{readings}]") for frame, files in of_files.items()}


def sources_of(elements: Iterable[Element], frame: int) -> OpenFrame:
    """The passes of one frame as `element/pass`, those of the first as the main ones, with pixels in the cache that all
    pages share. What cannot be read is left out, with its fault, while anything can."""
    read = [(element, document_of(element)) for element in elements]
    _require_files(read, frame)
    space = CHROMATICITIES[read[0][0].shot.settings.space]
    return open_frames([document for _, document in read], frame, store=PIXELS, space=space)


def elements_named(shot: Shot, names: Iterable[str], main: Element | None = None) -> list[Element]:
    """Elements of a shot in the order of their names, the main one first; names that there are not are left out."""
    names = list(names)
    if main is not None:
        main.shot = shot  # known here, so nobody asks the database for it
    if main is not None and names in ([], [main.name]):
        return [main]
    found = {element.name: element for element in shot.elements.filter(name__in=names)}
    ordered = [found[name] for name in names if name in found and (main is None or name != main.name)]
    return [main, *ordered] if main is not None else ordered


def small_picture(element: Element, frame: int) -> bytes:
    """The rendered beauty as a small JPEG. Raises PrismError if the files cannot be read or have none."""
    sources = sources_of([element], frame)
    look = Look(transform=ViewTransform(element.shot.settings.space, "film"))
    return pass_jpeg(sources, standing_for(sources).key, look, width=SMALL_WIDTH)
