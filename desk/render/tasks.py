from __future__ import annotations

import threading
import time
from contextlib import suppress

from celery import shared_task
from celery.signals import worker_ready, worker_shutting_down
from django.db import Error as DatabaseError
from django.db import connection

from desk.render import queue, work

SWEEP_EVERY = 5.0


@shared_task(name=queue.TASK, bind=True)
def next_frame(self) -> None:
    """One frame of some run: the first that waits."""
    work.next_frame(self.request.hostname or "worker")


@worker_ready.connect
def watch(sender, **_) -> None:
    """Every worker says that it lives, and looks after frames whose worker does not."""

    def look() -> None:
        while True:
            with suppress(DatabaseError):
                queue.greet(sender.hostname)
                queue.sweep()
            connection.close()
            time.sleep(SWEEP_EVERY)

    threading.Thread(target=look, daemon=True, name="sweep").start()


@worker_shutting_down.connect
def leave(sender, **_) -> None:
    with suppress(DatabaseError):
        queue.Worker.objects.filter(name=sender).delete()
