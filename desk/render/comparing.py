"""Two runs side by side: the same frame of both, how far the pictures are apart, and what they cost."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from desk.render.models import GOOD, Run, RunFrame, State
from desk.render.services import beauty_file
from desk.shots.storage import shot_folder
from desk.viewer.store import EVALUATOR, PIXELS
from prism.colour.view import ViewTransform
from prism.combine.ledger import Ledger
from prism.combine.sources import FrameSources, find_sources
from prism.errors import BadArgument, UnreadableFile
from prism.viewing.compare import difference_of, difference_picture
from prism.viewing.picture import Look, Subject, encode, picture, step_for, to_screen

WIDTH = 960


def beauty_sources(frame: RunFrame) -> FrameSources:
    """The beauty of a rendered frame, from its own file. Raises UnreadableFile if there is none that can be shown."""
    planned = beauty_file(frame.run, frame.layer, frame.camera)
    if planned is None or planned.group.storage.format != "exr":
        raise UnreadableFile("This run writes no beauty that can be shown here.", where=frame.title)
    path: Path = shot_folder(frame.run.shot.production.code, frame.run.shot.code) / planned.path(frame.number)
    return find_sources([path], store=PIXELS)


def picture_of(frame: RunFrame, width: int = WIDTH) -> bytes:
    """The rendered beauty as a JPEG of at most that width."""
    sources = beauty_sources(frame)
    subject = Subject(show="rendered", step=step_for(sources.display_window.width, width))
    rgba, _ = picture(Ledger(), sources, subject, EVALUATOR)
    look = Look(transform=ViewTransform(frame.run.shot.space, "film"))
    return encode(to_screen(sources.on_display(rgba, step=subject.step), look), "jpeg")


def pairs(first: Run, second: Run) -> list[tuple[RunFrame, RunFrame]]:
    """Frames that both runs have finished, by layer, camera and number."""
    others = {(one.layer, one.camera, one.number): one for one in second.frames.filter(state__in=GOOD)}
    own = first.frames.filter(state__in=GOOD).select_related("run__shot__production")
    return [(one, others[key]) for one in own if (key := (one.layer, one.camera, one.number)) in others]


def comparison(first: Run, second: Run, number: int | None) -> dict[str, Any]:
    """Times, noise and the difference of the beauty in one frame of both. Raises BadArgument if they share none."""
    shared = pairs(first, second)
    if not shared:
        raise BadArgument("These runs have no frame in common that both have finished.", where="compare")
    if first.number == second.number:
        raise BadArgument(
            f"Both runs wrote version {first.number:03}: the later one's files took the place of the earlier one's.",
            where="compare", advice="Compare runs of two versions.",
        )  # fmt: skip
    a, b = next((pair for pair in shared if pair[0].number == number), shared[0])
    found = difference_of(beauty_sources(a), beauty_sources(b))
    return {
        "frames": sorted({one.number for one, _ in shared}),
        "number": a.number,
        "title": a.title,
        "keys": [a.pk, b.pk],
        "largest": found.largest,
        "mean": found.mean,
        "runs": [_cost(first), _cost(second)],
    }


def difference_jpeg(first: Run, second: Run, number: int) -> bytes:
    shared = [pair for pair in pairs(first, second) if pair[0].number == number]
    if not shared:
        raise BadArgument(f"Frame {number} is not finished in both runs.", where="compare")
    a, b = (beauty_sources(frame) for frame in shared[0])
    return encode(difference_picture(a, b, width=WIDTH), "jpeg")


def _cost(run: Run) -> dict[str, Any]:
    done = list(run.frames.filter(state=State.DONE))
    count = max(1, len(done))
    return {
        "id": run.pk,
        "version": run.number,
        "seconds": sum(frame.seconds for frame in done) / count,
        "noise": sum(frame.noise for frame in done) / count,
        "samples": sum(frame.samples for frame in done) / count,
    }
