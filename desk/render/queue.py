"""The queue of frames: who takes which, who lives, and what is done when a worker does not come back.

A message in the queue means that some frame waits, not which: a worker takes the first by priority. So lost or doubled
messages do no harm, and a run put first goes first.
"""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta

from django.conf import settings
from django.db.models import Q
from django.utils import timezone
from kombu.exceptions import OperationalError

from desk.celery import app
from desk.render.models import RunFrame, State, Worker

MOST_ATTEMPTS = 3
LOST_AFTER = timedelta(seconds=settings.RENDER_LOST_AFTER)  # without a beat a worker is given up
BACKOFF = timedelta(seconds=settings.RENDER_BACKOFF)  # doubled with every attempt
TASK = "render.next_frame"
QUEUE = "celery"
LOST = "The worker did not come back; it was ended or lost its connection."


def waiting(now: datetime | None = None):
    """Frames that may be taken now, the first first."""
    now = now or timezone.now()
    due = RunFrame.objects.filter(state=State.QUEUED).filter(Q(not_before=None) | Q(not_before__lte=now))
    return due.order_by("-run__priority", "run__made", "run", "number", "pk")


def take(worker: str) -> RunFrame | None:
    """The next frame, now this worker's; None if there is none. Two workers never take the same."""
    for pk in waiting().values_list("pk", flat=True)[:20]:
        now, claim = timezone.now(), secrets.token_hex(8)
        frame = RunFrame.objects.filter(pk=pk, state=State.QUEUED)
        attempts = frame.values_list("attempts", flat=True).first()
        taken = attempts is not None and frame.update(
            state=State.RUNNING, claim=claim, worker=worker, attempts=attempts + 1, begun=now, beat=now, progress=0
        )
        if taken:
            return RunFrame.objects.select_related("run__shot__production").get(pk=pk)
    return None


def beat(frame: RunFrame, progress: float) -> bool:
    """Say that the frame's worker lives. Returns whether it is still this worker's: False once cancelled or given up."""
    mine = RunFrame.objects.filter(pk=frame.pk, claim=frame.claim, state=State.RUNNING)
    return bool(mine.update(beat=timezone.now(), progress=progress))


def end(frame: RunFrame, state: str, line: str, **values) -> bool:
    """Leave a frame in a final state. Returns False, and changes nothing, if it is not this worker's any more."""
    mine = RunFrame.objects.filter(pk=frame.pk, claim=frame.claim, state=State.RUNNING)
    return bool(mine.update(state=state, ended=timezone.now(), log=_logged(frame, line), **values))


def put_off(frame: RunFrame, line: str) -> None:
    """After a failed attempt: try again later, or set the frame aside so that the rest goes on."""
    if frame.attempts >= MOST_ATTEMPTS:
        end(frame, State.FAILED, line)
        return
    later = timezone.now() + BACKOFF * 2 ** (frame.attempts - 1)
    mine = RunFrame.objects.filter(pk=frame.pk, claim=frame.claim, state=State.RUNNING)
    if mine.update(state=State.QUEUED, not_before=later, claim="", log=_logged(frame, line)):
        send(1, countdown=(later - timezone.now()).total_seconds() + 0.1)


def sweep() -> None:
    """Give up workers that do not beat any more, and see that every waiting frame has a message."""
    for frame in RunFrame.objects.filter(state=State.RUNNING, beat__lt=timezone.now() - LOST_AFTER):
        put_off(frame, LOST)
    top_up()


def top_up() -> None:
    """Messages get lost when the queue's own server is restarted; a message too many only finds nothing to do."""
    count = waiting().count()
    if count:
        known = messages()
        if known is not None:
            send(max(0, count - known))


def send(count: int, *, countdown: float = 0) -> bool:
    """Returns False if the queue does not answer; the sweep sends again."""
    try:
        with app.producer_pool.acquire(block=True, timeout=5) as producer:
            for _ in range(count):
                app.send_task(TASK, countdown=countdown, producer=producer, retry=False)
    except (OperationalError, OSError):
        return False
    return True


def messages() -> int | None:
    """How many messages wait in the queue; None if it does not answer."""
    try:
        with app.connection_for_read() as connection:
            return connection.default_channel.client.llen(QUEUE)
    except Exception:  # the server's own errors are many, and all mean the same
        return None


def greet(name: str) -> None:
    Worker.objects.update_or_create(name=name, defaults={"seen": timezone.now()})


def alive() -> list[str]:
    return list(Worker.objects.filter(seen__gte=timezone.now() - LOST_AFTER).values_list("name", flat=True))


def _logged(frame: RunFrame, line: str) -> str:
    return f"{frame.log}{timezone.localtime():%H:%M:%S} {line}\n"[-4000:]
