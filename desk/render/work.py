"""One frame rendered by a worker, watched by a second thread that beats and listens for a cancel."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from django.db import InterfaceError, OperationalError, connection

from desk.plan.measures import record
from desk.plan.scenes import facts_for, scene_of
from desk.render import queue
from desk.render.models import RunFrame, State
from desk.render.services import files_of, image_of
from desk.shots.models import Element
from desk.shots.storage import shot_folder
from prism.errors import PrismError, Superseded
from prism.intake.whole import is_as_planned
from prism.passes.estimate import Measured
from prism.passes.plan import Plan

BEAT_EVERY = 1.0
CUT_OFF = (OperationalError, InterfaceError)  # what a database says that is being restarted
PATIENCE = 90  # seconds to wait for a database that is being restarted


def next_frame(worker: str) -> RunFrame | None:
    """Take the next frame and carry it out. Returns it, or None if nothing waits."""
    frame = queue.take(worker)
    if frame is None:
        return None
    with _Watch(frame) as watch:
        try:
            finish = _carry_out(frame, watch)
        except Superseded:
            finish = lambda: queue.end(frame, State.CANCELLED, "Cancelled.")  # noqa: E731
        except PrismError as error:
            text = str(error)
            finish = lambda: queue.put_off(frame, text)  # noqa: E731
        except Exception as error:
            text = f"An unexpected fault: {type(error).__name__}: {error}"
            finish = lambda: queue.put_off(frame, text)  # noqa: E731
            _patiently(finish)
            raise
    _patiently(finish)
    return frame


def _carry_out(frame: RunFrame, watch: _Watch) -> Callable[[], object]:
    """Render and write, or find that all is there. Returns what to tell the database."""
    from prism.standin.shot import make_frame  # here: it takes seconds to load

    run = frame.run
    plan = Plan.from_json(run.document, where=f"run {run.pk}")
    folder = shot_folder(run.shot.production.code, run.shot.code)
    facts = facts_for(run.shot, plan.cameras)
    files = files_of(plan, facts, frame.layer, frame.camera, run.light_groups)
    if run.only_missing and all(is_as_planned(planned, frame.number, folder) for planned in files):
        size = sum((folder / planned.path(frame.number)).stat().st_size for planned in files)
        return lambda: queue.end(frame, State.SKIPPED, "All files are there and whole.", progress=1, bytes=size)
    made = make_frame(
        plan, scene_of(run.shot), facts, image_of(plan, frame.layer, frame.camera), files, frame.number, folder,
        is_stale=watch.is_over, on_progress=watch.saw,
    )  # fmt: skip
    line = (
        f"Rendered in {made.seconds:.1f} s, {len(made.paths)} files, {made.bytes / 1e6:.1f} MB, noise {made.noise:.4f}."
    )

    def finish() -> None:
        done = queue.end(
            frame, State.DONE, line, progress=1, seconds=made.seconds, noise=made.noise, samples=made.samples,
            bytes=made.bytes,
        )  # fmt: skip
        if done:
            width, height = plan.shot.written_size
            record(
                run.shot, frame.camera, frame.number, Measured(made.seconds, width, height, round(made.samples) or 1)
            )
            _make_known(frame, made.paths)

    return finish


def _make_known(frame: RunFrame, paths: tuple[Path, ...]) -> None:
    """The folders a run writes into are elements of the shot, so that Intake and Rebuild find them."""
    for folder in {path.parent for path in paths}:
        tag = f"v{frame.run.number:03}"
        name = (
            f"render {tag}" if frame.run.document["layers"][1:] == [] else f"render {tag} {frame.layer} {frame.camera}"
        )
        with suppress(*CUT_OFF):
            if not Element.objects.filter(shot=frame.run.shot, folder=str(folder)).exists():
                Element.objects.get_or_create(shot=frame.run.shot, name=name, defaults={"folder": str(folder)})


def _patiently(finish: Callable[[], object]) -> None:
    """Tell the database, and wait for it if it is being restarted: the frame is rendered, that must not be lost."""
    deadline = time.monotonic() + PATIENCE
    while True:
        try:
            finish()
            return
        except CUT_OFF:
            connection.close()
            if time.monotonic() > deadline:
                raise
            time.sleep(1)


class _Watch:
    """Beats for a frame while it is rendered, and knows when it is over."""

    def __init__(self, frame: RunFrame) -> None:
        self._frame = frame
        self._progress = 0.0
        self._over = threading.Event()
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> _Watch:
        self._thread.start()
        return self

    def __exit__(self, *_) -> None:
        self._ended.set()
        self._thread.join()

    def is_over(self) -> bool:
        return self._over.is_set()

    def saw(self, progress: float) -> None:
        self._progress = progress

    def _beat(self) -> None:
        try:
            while not self._ended.wait(BEAT_EVERY):
                try:
                    if not queue.beat(self._frame, self._progress):
                        self._over.set()
                except CUT_OFF:  # being restarted: the frame goes on
                    connection.close()
        finally:
            connection.close()
