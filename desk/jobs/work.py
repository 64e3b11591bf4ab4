"""One task carried out by a worker, watched by a second thread that beats and listens for a cancel."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from django.db import InterfaceError, OperationalError, connection

from desk.jobs import engine
from desk.jobs.models import State, Task
from desk.jobs.registry import Outcome, of_kind
from desk.shots.storage import folders_of
from desk.web.paths import without_roots
from prism.errors import PrismError, Superseded
from prism.formats.safe import writing_below

BEAT_EVERY = 1.0
CUT_OFF = (OperationalError, InterfaceError)  # what a database says that is being restarted
PATIENCE = 90  # seconds to wait for a database that is being restarted


def next_task(worker: str) -> Task | None:
    """Take the next task and carry it out. Returns it, or None if nothing waits."""
    task = engine.take(worker)
    if task is None:
        return None
    begun = time.monotonic()
    finish: Callable[[], object]
    with BeatingWatch(task) as watch:
        try:
            with writing_below(*folders_of(task.job.production)):
                outcome = of_kind(task.job.kind)(task, watch)
        except Superseded:
            finish = lambda: engine.end(task, State.CANCELLED, "Cancelled.")  # noqa: E731
        except CUT_OFF as error:
            text = f"The database went away: {error}"
            finish = lambda: engine.put_off(task, text, outage=True)  # noqa: E731
        except PrismError as error:
            text = without_roots(str(error))
            finish = lambda: engine.put_off(task, text)  # noqa: E731
        except Exception as error:
            text = f"An unexpected fault: {type(error).__name__}: {error}"
            finish = lambda: engine.put_off(task, text)  # noqa: E731
            _patiently(finish)
            raise
        else:
            seconds = outcome.seconds or time.monotonic() - begun
            finish = lambda: _succeed(task, outcome, seconds)  # noqa: E731
    _patiently(finish)
    return task


def _succeed(task: Task, outcome: Outcome, seconds: float) -> None:
    ended = engine.end(
        task, outcome.state, outcome.line, progress=1, seconds=seconds, bytes=outcome.bytes, fault="",
        result=outcome.result,
    )  # fmt: skip
    if ended:
        outcome.after()


def _patiently(finish: Callable[[], object]) -> None:
    """Tell the database, and wait for it if it is being restarted: the work is done, that must not be lost."""
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


class BeatingWatch:
    """Beats for a task while it is carried out, and knows when it is over."""

    def __init__(self, task: Task) -> None:
        self._task = task
        self._progress = 0.0
        self._over = threading.Event()
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> BeatingWatch:
        self._thread.start()
        return self

    def __exit__(self, *_) -> None:
        self._ended.set()
        self._thread.join()

    def is_over(self) -> bool:
        return self._over.is_set()

    def on_progress(self, progress: float) -> None:
        self._progress = progress

    def _beat(self) -> None:
        try:
            while not self._ended.wait(BEAT_EVERY):
                try:
                    if not engine.beat(self._task, self._progress):
                        self._over.set()
                except CUT_OFF:  # being restarted: the task goes on
                    connection.close()
        finally:
            connection.close()
