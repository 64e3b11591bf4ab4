"""One frame of a run, rendered by a worker."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

from desk.intake import checks
from desk.intake.looking import look_at_run
from desk.jobs.models import OPEN, State, Task
from desk.jobs.registry import Outcome, Watch, kind
from desk.jobs.work import CUT_OFF
from desk.plan.measures import record
from desk.render import written
from desk.render.models import Run
from desk.render.services import KIND, files_of
from desk.scenes.services import facts_for, scene_of
from desk.shots.storage import shot_file, shot_folder
from prism.intake.auditing import is_as_planned
from prism.plan.estimate import Measured
from prism.plan.expansion import PlannedFiles
from prism.plan.plan import Plan, PlannedImage


@kind(KIND, station="render")
def render_frame(task: Task, watch: Watch) -> Outcome:
    """Render and write, or find that all is there just as planned. Warm-up frames are rendered and thrown away."""
    from standin.shot import make_frame  # here: it takes seconds to load

    run = task.job.run
    plan = Plan.from_json(run.document, where=f"run {run.pk}")
    folder = shot_folder(run.shot)
    facts = facts_for(run.shot, plan.cameras, run.scene)
    image = plan.image(task.given("layer"), task.given("camera"))
    warm_up = bool(task.given("warmUp"))
    files = [] if warm_up else files_of(plan, facts, image.layer.name, image.camera, run.light_groups)
    for planned in files:
        shot_file(run.shot, planned.path(task.number))

    def make_known() -> None:
        if not warm_up:
            _make_known(run, plan, files_of(plan, facts, image.layer.name, image.camera), image)

    if run.only_missing and not warm_up and is_as_planned(plan, facts, image, files, task.number, folder):
        size = sum((folder / planned.path(task.number)).stat().st_size for planned in files)
        return Outcome(state=State.SKIPPED, line="All files are there, as planned.", bytes=size, after=make_known)
    marks = plan.fingerprint, facts.fingerprint
    paths = [planned.path(task.number) for planned in files]
    written.require_replaceable(run.shot, *marks, folder, paths)
    written.record(run.shot, *marks, paths)
    made = make_frame(
        plan, scene_of(run.shot, run.scene), facts, image, files, task.number, folder,
        is_stale=watch.is_over, on_progress=watch.on_progress,
    )  # fmt: skip
    noise = "noise unknown, since one sample a pixel does not tell" if made.noise is None else f"noise {made.noise:.4f}"
    files_made = "1 file" if len(made.paths) == 1 else f"{len(made.paths)} files"
    what = "thrown away" if warm_up else f"{files_made}, {made.bytes / 1e6:.1f} MB"

    def after() -> None:
        width, height = plan.shot.written_size
        beside = max(1, Task.objects.filter(state=State.RUNNING, job__kind=KIND).count() + 1)
        if not run.light_groups:  # a single light group takes less, and tells nothing of a whole frame
            samples = round(made.samples) or 1
            record(run.shot, image.camera, task.number, Measured(made.seconds, width, height, samples, beside))
        make_known()

    return Outcome(
        line=f"Rendered in {made.seconds:.1f} s, {what}, {noise}.", seconds=made.seconds, bytes=made.bytes,
        result={"noise": made.noise, "samples": made.samples}, after=after,
    )  # fmt: skip


def _make_known(run: Run, plan: Plan, files: Sequence[PlannedFiles], image: PlannedImage) -> None:
    """What a run has made so far is an element of the shot, so that Intake and Rebuild find it; once an image has all
    its frames, Intake reads them."""
    single = len(plan.layers) == 1 and len(plan.cameras) == 1
    name = f"render v{run.number:03}" + ("" if single else f" {image.layer.name} {image.camera}")
    with suppress(*CUT_OFF):
        element = look_at_run(run.shot, name, files)
        frames = run.frames.filter(payload__layer=image.layer.name, payload__camera=image.camera)
        if element is not None and not frames.filter(state__in=OPEN).exists():
            checks.begin(element, run.job.author)
