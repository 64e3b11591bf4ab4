"""What the stations of a shot need to know of it: its frames on disk and the state of each station."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from desk.shots.models import Element, Shot
from desk.shots.storage import kept_inside
from desk.viewer.store import PIXELS
from prism.colour.spaces import CHROMATICITIES
from prism.colour.view import ViewTransform
from prism.combine.first import require_beauty
from prism.elements.element import Element as Document
from prism.elements.frame import OpenFrame
from prism.elements.opening import open_frames
from prism.errors import UnreadableFile
from prism.passes.judging import ERROR
from prism.viewing.picture import Look, pass_jpeg

SMALL_WIDTH = 480
_HANDOFF_MARKS = {"done": "done", "failed": "needs attention"}  # by the newest delivery

STATIONS = (
    ("plan", "Plan"),
    ("render", "Render"),
    ("intake", "Intake"),
    ("rebuild", "Rebuild"),
    ("finish", "Finish"),
    ("hand-off", "Hand-off"),
)


@dataclass(frozen=True)
class Station:
    slug: str
    title: str
    number: int
    state: str  # untouched, in work, needs attention, done


def stations(shot: Shot) -> list[Station]:
    """The six stations with their marks, from what is really there."""
    ledgers = shot.ledgers.exists()
    states = [delivery.state for delivery in shot.deliveries.prefetch_related("job__tasks")[:1]]
    marks = {
        "plan": _plan_mark(shot),
        "render": _render_mark(shot),
        "intake": _intake_mark(shot),
        "rebuild": "in work" if ledgers else "untouched",
        "hand-off": _HANDOFF_MARKS.get(states[0], "in work") if states else "untouched",
    }
    return [
        Station(slug, title, number, marks.get(slug, "untouched"))
        for number, (slug, title) in enumerate(STATIONS, start=1)
    ]


def _plan_mark(shot: Shot) -> str:
    """Done once the newest version is rendered; a change makes the next, which is in work again."""
    if shot.plan.revision == 1 and not shot.plan.versions.exists():
        return "untouched"
    return "done" if shot.plan.versions.filter(number=shot.plan.document["number"]).exists() else "in work"


def _render_mark(shot: Shot) -> str:
    """By the newest run; its frames tell."""
    run = shot.runs.first()
    if run is None:
        return "untouched"
    states = set(run.job.tasks.values_list("state", flat=True))
    if "failed" in states:
        return "needs attention"
    return "in work" if states & {"queued", "running", "cancelled"} else "done"


def _intake_mark(shot: Shot) -> str:
    """Done only when all frames of all elements were read and nothing serious is open."""
    elements = shot.elements.exclude(document={}).prefetch_related("acceptances").select_related("judgement")
    judged = [(element, getattr(element, "judgement", None)) for element in elements]
    if not judged:
        return "untouched"
    for element, judgement in judged:
        accepted = {acceptance.mark for acceptance in element.acceptances.all()}
        serious = (f for f in (judgement.findings if judgement else ()) if f["severity"] == ERROR)
        if any(finding["mark"] not in accepted for finding in serious):
            return "needs attention"
    complete = all(judgement and judgement.checked == judgement.whole > 0 for _, judgement in judged)
    return "done" if complete else "in work"


def document_of(element: Element) -> Document:
    """What it is made of, with the artist's choices over what was found. Raises BadDocument."""
    return _document(element.name, json.dumps(element.document), json.dumps(element.choices))


@lru_cache(maxsize=64)
def _document(name: str, found: str, chosen: str) -> Document:
    """Checked once for as long as it stays as it is: every picture asks for it."""
    document = Document.from_json(json.loads(found), where=f"element {name}").replace(name=name)
    choices = json.loads(chosen)
    passes = tuple(held.replace(**choices[held.key]) if choices.get(held.key) else held for held in document.passes)
    return document.replace(passes=passes)


def frames_on_disk(element: Element | None) -> list[int]:
    """Frames for which at least one file was there when its folders were last looked at; none without an element."""
    return list(document_of(element).frames) if element is not None and element.document else []


def files_of(elements: Iterable[Element], frame: int) -> list[Path]:
    """The files of one frame. Raises UnreadableFile if there are none, or if a link leads out of the production."""
    return _files_of([(element, document_of(element)) for element in elements], frame)


def _files_of(elements: list[tuple[Element, Document]], frame: int) -> list[Path]:
    files = [kept_inside(path, e.shot.production) for e, document in elements for path in document.files_at(frame)]
    if not files:
        raise UnreadableFile(
            f"Frame {frame} is not there.",
            where=", ".join(element.name for element, _ in elements),
            advice="Render it, or choose a frame that is marked present.",
        )
    return files


def sources_of(elements: Iterable[Element], frame: int) -> OpenFrame:
    """The passes of one frame as `element/pass`, those of the first as the main ones, with pixels in the cache that all pages
    share. What cannot be read is left out, with its fault, while anything can."""
    read = [(element, document_of(element)) for element in elements]
    _files_of(read, frame)
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
    return pass_jpeg(sources, require_beauty(sources).key, look, width=SMALL_WIDTH)
