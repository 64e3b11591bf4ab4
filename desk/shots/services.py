"""What the stations of a shot need to know of it: its frames on disk and the state of each station."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from desk.shots.models import Element, Shot
from desk.shots.storage import allowed_folder, kept_inside
from desk.viewer.store import EVALUATOR, PIXELS
from prism.colour.view import ViewTransform
from prism.combine.ledger import Ledger
from prism.combine.sources import FrameSources, find_sources
from prism.errors import UnreadableFile
from prism.naming.sequences import Sequence, sequences_below
from prism.viewing.picture import Look, Subject, encode, picture, step_for, to_screen

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
    has_element = shot.elements.exists()
    ledgers = shot.ledgers.exists()
    states = [delivery.state for delivery in shot.deliveries.prefetch_related("job__tasks")[:1]]
    marks = {
        "plan": _plan_mark(shot),
        "render": _render_mark(shot),
        "intake": "done" if has_element else "untouched",
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


def sequences_of(element: Element) -> list[Sequence]:
    """Raises UnreadableFile if the folder is gone."""
    return sequences_below(allowed_folder(element.folder, element.shot.production))


def frames_on_disk(element: Element | None) -> list[int]:
    """Frames for which at least one file is there; none if the folder is gone."""
    if element is None:
        return []
    try:
        sequences = sequences_of(element)
    except UnreadableFile:
        return []
    return sorted({frame for sequence in sequences for frame in sequence.frames})


def files_of(element: Element, frame: int) -> list[Path]:
    """The files of one frame. Raises UnreadableFile if there are none."""
    sequences = sequences_of(element)
    files = [dict(sequence.files)[frame] for sequence in sequences if frame in sequence.frames]
    if not files:
        raise UnreadableFile(
            f"Frame {frame} is not there.",
            where=element.folder,
            advice="Render it, or choose a frame that is marked present.",
        )
    return [kept_inside(path, element.shot.production) for path in files]


def sources_of(element: Element, frame: int) -> FrameSources:
    """The passes of one frame, with pixels in the cache that all pages share. Files that are wrong are left out, with their
    faults, while any is right."""
    return find_sources(files_of(element, frame), store=PIXELS, tolerant=True)


def small_picture(element: Element, frame: int) -> bytes:
    """The rendered beauty as a small JPEG. Raises PrismError if the files cannot be read or have none."""
    sources = sources_of(element, frame)
    subject = Subject(show="rendered", step=step_for(sources.display_window.width, SMALL_WIDTH))
    rgba, _ = picture(Ledger(), sources, subject, EVALUATOR)
    look = Look(transform=ViewTransform(element.shot.settings.space, "film"))
    return encode(to_screen(sources.on_display(rgba, step=subject.step), look), "jpeg")
