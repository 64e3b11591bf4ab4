"""What the viewer shows of elements: pictures of passes, differences, probes, values of single pixels, and the pass sheet."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from desk.shots.models import Element, Shot
from desk.shots.services import document_of, sources_of
from prism.colour.view import VIEW_TITLES
from prism.elements.frame import OpenFrame
from prism.elements.pixels import Region, on_display
from prism.errors import BadArgument
from prism.passes.kinds import Role
from prism.pixels.window import Window
from prism.sheets.passes import pass_sheet
from prism.viewing.compare import gap_picture
from prism.viewing.marks import marked
from prism.viewing.picture import Look, encode, source_picture, step_for, to_screen
from prism.viewing.reading import probe_passes
from prism.viewing.remap import Remap, found_range, way_for

MOST_VALUES = 4096  # pixels whose numbers are drawn at once
SHEET_WIDTH = 320


@dataclass(frozen=True, slots=True)
class Pointed:
    """One pass of one frame of one element."""

    element: Element
    key: str
    frame: int

    @property
    def full_key(self) -> str:
        """As `element/pass`."""
        return f"{self.element.name}/{self.key}"

    def opened(self) -> OpenFrame:
        """Its frame. Raises UnreadableFile."""
        return sources_of([self.element], self.frame)


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """How a pass is to be shown. against: another one, to show the difference times gain instead."""

    look: Look
    remap: Remap
    width: int
    encoding: str
    marks: tuple[str, ...] = ()
    against: Pointed | None = None
    gain: float = 1.0


def picture(pointed: Pointed, wish: Wish) -> tuple[bytes, tuple[float, float] | None]:
    """Encoded; with the nearest and farthest surface where the pass is shown as a range. Raises PrismError."""
    sources = pointed.opened()
    step = step_for(sources.display_window.width, wish.width)
    if wish.against is not None:
        gap = gap_picture((sources, pointed.full_key), (wish.against.opened(), wish.against.full_key), step=step)
        shown = to_screen(on_display(sources, gap * np.float32(wish.gain), step=step), wish.look)
        return encode(shown, wish.encoding), None
    rgba, data = source_picture(sources, pointed.full_key, step=step, remap=wish.remap)
    shown = to_screen(on_display(sources, rgba, step=step), wish.look, data=data)
    if wish.marks:
        stored = np.stack(sources.pixels(pointed.full_key, step=step).planes).astype(np.float32)
        stored = on_display(sources, stored, step=step)
        shown = marked(shown, stored, wish.marks, white=float(2.0**-wish.look.stops))
    ranged = way_for(sources.source(pointed.full_key), wish.remap) == "range"
    ends = found_range(sources.pixels(pointed.full_key, step=step).planes[0]) if ranged else None
    return encode(shown, wish.encoding), ends


def probe(pointed: Pointed, box: Window, look: Look) -> list[dict[str, Any]]:
    """Every pass at a pixel or over a box."""
    lines = probe_passes(pointed.opened(), box, look)
    return [
        {
            "key": line.key.partition("/")[2],
            "title": line.title,
            "names": line.names,
            "stored": line.stored,
            "alpha": line.alpha,
            "codes": {str(bits): codes for bits, codes in line.codes.items()} if line.codes else None,
        }
        for line in lines
    ]


def values(pointed: Pointed, box: Window) -> dict[str, Any]:
    """The stored numbers of a pass in a box of few pixels, row by row; only what lies in the picture. Raises BadArgument."""
    sources = pointed.opened()
    display = sources.display_window
    place = box.moved(display.x0, display.y0).intersection(display)
    place = place.intersection(sources.window) if place is not None else None
    if place is None or place.width * place.height > MOST_VALUES:
        raise BadArgument("That is no small part of the picture.", where="values")
    source = sources.source(pointed.full_key)
    pixels = Region(sources, place).pixels(pointed.full_key)
    planes = pixels.planes[: max(1, min(3, len(source.colour)))]
    numbers = np.stack([plane.astype(np.float64) for plane in planes], axis=-1)
    return {
        "x": place.x0 - display.x0,
        "y": place.y0 - display.y0,
        "width": place.width,
        "values": numbers.reshape(-1, len(planes)).tolist(),
    }


def sheet(element: Element, frame: int, look: Look) -> bytes:
    """All passes of a frame on one picture, named, as PNG."""
    sources = sources_of([element], frame)
    title = f"{element.shot.code}  {element.name}  frame {frame}"
    return encode(pass_sheet(sources, look, width=SHEET_WIDTH, title=title), "png")


def page(shot: Shot, element: Element, key: str, frame: int) -> dict[str, Any]:
    """All that the page needs to begin. Raises UnreadableFile if the frame has nothing to show."""
    sources = sources_of([element], frame)
    return {
        "elements": [_listed(other) for other in shot.elements.exclude(document={})],
        "element": element.pk,
        "key": key if f"{element.name}/{key}" in sources else _first_key(element, sources),
        "frame": frame,
        "first": shot.frames[0],
        "last": shot.frames[-1],
        "rate": shot.settings.rate,
        "width": sources.display_window.width,
        "height": sources.display_window.height,
        "aspect": sources.pixel_aspect,
        "views": [{"key": key, "title": title} for key, title in VIEW_TITLES.items()],
        "ways": {source.key.partition("/")[2]: way_for(source, Remap()) for source in sources},
    }


def _first_key(element: Element, sources: OpenFrame) -> str:
    whole = (s for s in sources if s.kind is not None and s.kind.role is Role.WHOLE and not s.aside)
    return next(whole, next(iter(sources))).key.removeprefix(f"{element.name}/")


def _listed(element: Element) -> dict[str, Any]:
    document = document_of(element)
    return {
        "id": element.pk,
        "name": element.name,
        "frames": list(document.frames),
        "passes": [
            {
                "key": held.key,
                "title": held.title,
                "data": held.pass_kind is not None and held.pass_kind.is_data,
                "frames": held.files.frames,
            }
            for held in document.passes
        ],
    }
