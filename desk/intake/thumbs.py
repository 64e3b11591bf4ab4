"""Small pictures of passes: made by the worker that reads a frame, or for the first page that asks, and cached on disk.

A picture goes by what it was made from, so one of files that changed, or are read in another way, is never found.
"""

from __future__ import annotations

from collections.abc import Iterable

from django.core.cache import caches

from desk.elements.models import Element
from desk.elements.services import document_of, files_fingerprint, sources_of
from prism.colour.view import ViewTransform
from prism.documents import fingerprint_of
from prism.errors import PrismError
from prism.viewing.picture import Look, pass_jpeg

THUMBNAIL, LARGEST = 160, 480  # pixels wide
VERSION = 1  # of how they look


def cached(element: Element, key: str, frame: int, width: int = THUMBNAIL) -> bytes | None:
    """A pass of a frame as a small JPEG, if it was made before."""
    return caches["thumbs"].get(_name(element, key, frame, width))


def made(element: Element, key: str, frame: int, width: int = THUMBNAIL) -> bytes:
    """One pass of one frame as a small JPEG in its usual remap. width: the most, in pixels. Raises PrismError."""
    sources = sources_of([element], frame)
    full = f"{element.name}/{key}"
    sources.read(source.key for source in sources)  # the other small pictures of the frame are asked for as well
    look = Look(transform=ViewTransform(element.shot.settings.space, "film"))
    picture = pass_jpeg(sources, full, look, width=min(width, LARGEST))
    caches["thumbs"].set(_name(element, key, frame, width), picture)
    return picture


def make_all(element: Element, frame: int) -> None:
    """Those that the page shows of a frame. A pass that cannot be shown is left to whoever asks for it."""
    for key in _shown_at(element, frame):
        try:
            made(element, key, frame)
        except PrismError:
            continue


def frame_shown(numbers: tuple[int, ...], frames: tuple[int, ...]) -> int:
    """The frame at which a pass is shown: its first. numbers: of its own files, frames: of the element."""
    return (numbers or frames or (0,))[0]


def _shown_at(element: Element, frame: int) -> Iterable[str]:
    document = document_of(element)
    frames = document.frames
    return [pass_.key for pass_ in document.passes if frame_shown(pass_.files.numbers, frames) == frame]


def _name(element: Element, key: str, frame: int, width: int) -> str:
    made_from = files_fingerprint([element], frame)
    space = element.shot.settings.space
    return fingerprint_of("\n".join(map(str, (VERSION, element.pk, made_from, space, key, frame, min(width, LARGEST)))))
