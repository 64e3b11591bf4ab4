"""What the viewer shows: pictures of subjects, differences, probes, values of single pixels, and the pass sheet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.urls import reverse

from desk.elements.models import Element
from desk.elements.services import document_of, sources_of
from desk.shots.models import Shot
from desk.viewer.registry import Opened
from prism.colour.views import VIEW_TITLES
from prism.errors import BadArgument, TooCostly
from prism.passes.kinds import Role
from prism.pixels.window import Window
from prism.sheets.passes import pass_sheet
from prism.sources.frame import OpenFrame
from prism.sources.pixels import Region
from prism.viewing.marks import marked
from prism.viewing.picture import Look, encode, step_for, to_screen
from prism.viewing.remap import Remap, way_of_kind
from prism.viewing.subjects import gap

MOST_VALUES = 4096  # pixels whose numbers are drawn at once
SHEET_WIDTH = 320
PATIENCE, MOST_PATIENCE = 4.0, 12.0  # seconds that somebody waits for a picture
MOST_EXACT = 1_000_000  # pixels whose display values are worked out as for a file; that takes a second for two million
MOST_PIXELS = 20_000_000  # of a picture on a page: some bytes of each are held for every step of its making


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureRequest:
    """How a subject is to be shown. against: another one, to show the difference times gain instead."""

    look: Look
    remap: Remap
    width: int
    encoding: str
    marks: tuple[str, ...] = ()
    against: Opened | None = None
    gain: float = 1.0


@dataclass(frozen=True, slots=True)
class Encoded:
    """ends: the nearest and farthest surface, where the subject is shown as a range. smaller: why it is smaller than it
    was asked for; empty if it is not."""

    body: bytes
    step: int
    smaller: str = ""
    ends: tuple[float, float] | None = None


def picture(opened: Opened, wanted: PictureRequest, is_stale: Callable[[], bool]) -> Encoded:
    """Smaller than it was asked for if it would take longer than anybody waits. Raises PrismError; TooCostly if that
    does not help."""
    frame, display = opened.frame, opened.frame.display_window
    step, smaller = _affordable(opened, step_for(frame.display_window, wanted.width))
    shown = opened.subject.shown(frame, step=step, remap=wanted.remap, is_stale=is_stale)
    if wanted.against is not None:
        other = wanted.against.subject.shown(wanted.against.frame, step=step, is_stale=is_stale)
        apart = gap(shown, other, gain=wanted.gain)
        return Encoded(encode(to_screen(apart.on_display, wanted.look), wanted.encoding), step, smaller)
    screen = to_screen(
        shown.picture.on_display, wanted.look, data=shown.data, after_view=shown.after_view,
        exactly=wanted.encoding == "png" and step == 1 and display.width * display.height <= MOST_EXACT,
    )  # fmt: skip
    if wanted.marks:
        screen = marked(screen, shown.values_on_display, wanted.marks, white=float(2.0**-wanted.look.stops))
    return Encoded(encode(screen, wanted.encoding), step, smaller, shown.ends)


def _affordable(opened: Opened, step: int) -> tuple[int, str]:
    """The step, or the first larger one at which the picture has no more than MOST_PIXELS and takes no more than
    PATIENCE; and why.

    What follows passes is read at full size whatever the step, so the largest may take longer, but not longer than
    MOST_PATIENCE. Raises TooCostly.
    """
    display = opened.frame.display_window
    pixels = display.width * display.height
    steps = [step * more for more in (1, 2, 4, 8)]
    while pixels / steps[0] ** 2 > MOST_PIXELS:
        steps = [2 * step for step in steps]
    costs = {step: opened.subject.seconds(opened.frame, step=step) for step in steps}
    found = next((step for step, cost in costs.items() if cost <= PATIENCE), steps[-1])
    if costs[found] > MOST_PATIENCE:
        raise TooCostly(
            f"This picture would take some {costs[steps[0]]:,.0f} s.", where="mattes",
            advice="Take parts, strokes or corners out of its mattes; frames are written by a job, which has the time.",
        )  # fmt: skip
    if found > steps[0]:
        return found, f"it would take some {costs[steps[0]]:,.0f} s"
    return found, f"it has {pixels / 1e6:,.0f} million pixels" if found > step else ""


def probe(opened: Opened, box: Window, look: Look) -> list[dict[str, Any]]:
    """What lies at a pixel or, on average, in a box."""
    return [
        {
            "key": line.key,
            "title": line.title,
            "names": line.names,
            "stored": line.stored,
            "alpha": line.alpha,
            "codes": {str(bits): codes for bits, codes in line.codes.items()} if line.codes else None,
        }
        for line in opened.subject.lines(opened.frame, box, look)
    ]


def values(opened: Opened, box: Window) -> dict[str, Any]:
    """The numbers behind a box of few pixels, row by row; only what lies in the picture. Raises BadArgument."""
    display = opened.frame.display_window
    place = box.moved(display.x0, display.y0).intersection(display)
    place = place.intersection(opened.frame.window) if place is not None else None
    if place is None or place.width * place.height > MOST_VALUES:
        raise BadArgument("That is no small part of the picture.", where="values")
    shown = opened.subject.shown(Region(opened.frame, place))
    numbers = np.stack([plane.astype(np.float64) for plane in shown.planes], axis=-1)
    return {
        "x": place.x0 - display.x0,
        "y": place.y0 - display.y0,
        "width": place.width,
        "values": numbers.reshape(-1, len(shown.planes)).tolist(),
    }


def sheet(element: Element, frame: int, look: Look) -> bytes:
    """All passes of a frame on one picture, named, as PNG."""
    sources = sources_of([element], frame)
    title = f"{element.shot.code}  {element.name}  frame {frame}"
    return encode(pass_sheet(sources, look, width=SHEET_WIDTH, title=title), "png")


def viewer_page(shot: Shot, sources: OpenFrame | None = None) -> dict[str, Any]:
    """What every page with a viewer needs. sources: the frame it begins with; the size of the shot if None."""
    address = shot.address
    display = sources.display_window if sources else Window.of_size(shot.settings.width, shot.settings.height)
    return {
        "first": shot.frames[0],
        "last": shot.frames[-1],
        "rate": shot.settings.rate,
        "width": display.width,
        "height": display.height,
        "aspect": sources.pixel_aspect if sources else shot.settings.pixel_aspect,
        "views": [{"key": key, "title": title} for key, title in VIEW_TITLES.items()],
        "urls": {name: reverse(f"look-{name}", kwargs=address) for name in ("picture", "probe", "values")},
    }


def look_page(shot: Shot, element: Element, key: str, frame: int) -> dict[str, Any]:
    """All that the page of passes needs to begin. Raises UnreadableFile if the frame has nothing to show."""
    sources = sources_of([element], frame)
    return viewer_page(shot, sources) | {
        "elements": [_listed(other) for other in shot.elements.exclude(document={})],
        "element": element.pk,
        "key": key if f"{element.name}/{key}" in sources else _first_key(element, sources),
        "frame": frame,
    }


def _first_key(element: Element, sources: OpenFrame) -> str:
    whole = (s for s in sources if s.kind is not None and s.kind.role is Role.WHOLE and not s.excluded)
    return next(whole, next(iter(sources))).key.removeprefix(f"{element.name}/")


def _listed(element: Element) -> dict[str, Any]:
    document = document_of(element)
    return {
        "id": element.pk,
        "name": element.name,
        "frames": list(document.frames),
        "passes": [
            {
                "key": pass_.key,
                "title": pass_.title,
                "data": pass_.pass_kind is not None and pass_.pass_kind.is_data,
                "way": way_of_kind(pass_.pass_kind),
                "frames": pass_.files.frames,
            }
            for pass_ in document.passes
        ],
    }
