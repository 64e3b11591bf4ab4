"""Two runs side by side: the same frame of both, how far the pictures are apart, and what they cost."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from desk.elements.store import PIXELS
from desk.jobs.models import GOOD, State, Task
from desk.render.models import Run
from desk.render.services import file_of, mean_of, passes_of
from desk.shots.storage import shot_file
from prism.colour.view import ViewTransform
from prism.elements.identify import DENOISED
from prism.errors import BadArgument, UnreadableFile
from prism.plan.plan import Plan
from prism.sources.frame import OpenFrame
from prism.sources.opening import find_sources
from prism.viewing.compare import difference_of, difference_picture
from prism.viewing.picture import Look, encode, pass_jpeg

WIDTH = 960


@dataclass(frozen=True, slots=True)
class ComparedPass:
    """Which frame, image and pass of two runs is compared; None and empty for whatever there is."""

    number: int | None = None
    layer: str = ""
    camera: str = ""
    key: str = "beauty"


def sources_of_pass(frame: Task, key: str = "beauty", *, denoised: bool = False) -> OpenFrame:
    """A pass of a rendered frame, from its own file. Raises UnreadableFile if there is none that can be shown."""
    run = frame.job.run
    planned = file_of(run, frame.given("layer"), frame.given("camera"), key, denoised=denoised)
    if planned is None or planned.group.storage.format != "exr":
        raise UnreadableFile(f"This run writes no {key} that can be shown here.", where=frame.title)
    return find_sources([shot_file(run.shot, planned.path(frame.number))], store=PIXELS)


def _path(frame: Task, key: str) -> str:
    planned = file_of(frame.job.run, frame.given("layer"), frame.given("camera"), key)
    return planned.path(frame.number) if planned else ""


def key_in(sources: OpenFrame, key: str) -> str:
    """What a planned pass is called among the sources of its own file. Raises UnknownSource.

    A file of one pass may be named otherwise than its pass is recognised: there, the only source is meant.
    """
    fitting = [source.key for source in sources if source.key.removesuffix(f"_{DENOISED}") == key]
    only = [source.key for source in sources]
    return fitting[0] if fitting else only[0] if len(only) == 1 else sources.source(key).key


def picture_of(frame: Task, key: str = "beauty", *, denoised: bool = False, width: int = WIDTH) -> bytes:
    """A pass of a rendered frame as a JPEG of at most that width. Raises as sources_of_pass, UnknownSource."""
    sources = sources_of_pass(frame, key, denoised=denoised)
    look = Look(transform=ViewTransform(Plan.from_json(frame.job.run.document).shot.space, "film"))
    return pass_jpeg(sources, key_in(sources, key), look, width=width)


def pairs(first: Run, second: Run) -> list[tuple[Task, Task]]:
    """Frames that both runs have finished, by layer, camera and number."""
    others = {_place(frame): frame for frame in second.frames.filter(state__in=GOOD)}
    frames = first.frames.filter(state__in=GOOD).select_related("job__run__shot")
    return [(frame, others[_place(frame)]) for frame in frames if _place(frame) in others and not frame.given("warmUp")]


def comparison(first: Run, second: Run, wanted: ComparedPass) -> dict[str, Any]:
    """Times, noise and the difference of a pass in one frame of both. Raises BadArgument if they share none."""
    shared = pairs(first, second)
    if not shared:
        raise BadArgument("These runs have no frame in common that both have finished.", where="compare")
    a, b = _chosen(shared, wanted)
    same = _path(a, wanted.key)
    if same and same == _path(b, wanted.key):
        raise BadArgument(
            f"The files of both runs are the same: {same}.", where="compare", advice="Compare runs of two versions."
        )
    found = difference_of(*(sources_of_pass(frame, wanted.key) for frame in (a, b)), key=wanted.key)
    images = sorted({(frame.given("layer"), frame.given("camera")) for frame, _ in shared})
    both = {pass_["key"] for pass_ in passes_of(second, b.given("layer"), b.given("camera"))}
    return {
        "frames": sorted({frame.number for frame, _ in shared}),
        "images": [{"layer": layer, "camera": camera} for layer, camera in images],
        "passes": [pass_ for pass_ in passes_of(first, a.given("layer"), a.given("camera")) if pass_["key"] in both],
        "number": a.number,
        "layer": a.given("layer"),
        "camera": a.given("camera"),
        "pass": wanted.key,
        "title": a.title,
        "keys": [a.pk, b.pk],
        "identical": found.largest == 0,
        "largest": found.largest,
        "mean": found.mean,
        "runs": [_cost(first), _cost(second)],
    }


def difference_jpeg(first: Run, second: Run, wanted: ComparedPass) -> bytes:
    """The difference of one pass in two rendered frames. Raises PrismError."""
    a, b = (sources_of_pass(frame, wanted.key) for frame in _chosen(pairs(first, second), wanted, exactly=True))
    return encode(difference_picture(a, b, key=wanted.key, width=WIDTH), "jpeg")


def _chosen(shared: list[tuple[Task, Task]], wanted: ComparedPass, *, exactly: bool = False) -> tuple[Task, Task]:
    """The pair that is wanted, or the nearest to it."""
    image = (wanted.layer, wanted.camera)
    fitting = [pair for pair in shared if (pair[0].given("layer"), pair[0].given("camera")) == image] or shared
    found = next((pair for pair in fitting if pair[0].number == wanted.number), None)
    if found is None and exactly:
        raise BadArgument(f"Frame {wanted.number} is not finished in both runs.", where="compare")
    return found or fitting[0]


def _place(frame: Task) -> tuple[str, str, int]:
    return frame.given("layer"), frame.given("camera"), frame.number


def _cost(run: Run) -> dict[str, Any]:
    done = list(run.frames.filter(state=State.DONE))
    count = max(1, len(done))
    return {
        "id": run.pk,
        "version": run.number,
        "seconds": sum(frame.seconds for frame in done) / count,
        "noise": mean_of("noise", (frame.result for frame in done)),
        "samples": mean_of("samples", (frame.result for frame in done)),
    }
