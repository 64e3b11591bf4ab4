from __future__ import annotations

import gc
import threading
import time
from contextlib import suppress

from celery import shared_task
from celery.signals import worker_init, worker_ready, worker_shutting_down
from django.db import Error as DatabaseError
from django.db import connection

from desk.jobs import code, engine, work

SWEEP_EVERY = 5.0
code.own()  # of what was loaded now, for this process and those that it forks


@shared_task(name=engine.TASK, bind=True)
def next_task(self) -> None:
    """One task of some job: the first that waits. Another look is sent for if more wait than there are messages. None
    with other code than the web server: another worker is sent for by the next look of `watch`."""
    if code.refusal():
        return
    if work.next_task(self.request.hostname or "worker") is not None and engine.waiting().exists():
        engine.send(1)


@worker_init.connect
def share(**_) -> None:
    """What was imported is shared by the processes that carry out tasks: none of them looks through it for garbage,
    which would copy it."""
    gc.collect()
    gc.freeze()


@worker_ready.connect
def watch(sender, **_) -> None:
    """Every worker says that it is running, and looks after tasks whose worker is not."""

    def look() -> None:
        while True:
            with suppress(DatabaseError):
                engine.greet(sender.hostname, code.refusal())
                engine.sweep()
            connection.close()
            time.sleep(SWEEP_EVERY)

    threading.Thread(target=look, daemon=True, name="sweep").start()


@worker_shutting_down.connect
def leave(sender, **_) -> None:
    with suppress(DatabaseError):
        engine.Worker.objects.filter(name=sender).delete()
