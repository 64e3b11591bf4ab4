"""The one engine for long work: who takes which task, who is running, and what happens if a worker does not come back.

Celery and Redis are no more than a doorbell here: a message means that some task waits, not which. All that has to
survive a crash (who claims a task, when its worker was last heard of, how often it was tried, who waits for whom)
stands in the database, where a worker takes the first task by priority under a claim of its own. So lost or doubled
messages do no harm, a job put first goes first, a cancel is seen within a beat, and workers on other machines need
nothing but the database, the queue and the storage. So Celery's retries and results are not used, and a message is
acknowledged late only so that it rings again after a crash.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta
from itertools import islice
from typing import Any

from django.conf import settings
from django.db import connection
from django.db.models import Case, Count, Exists, Field, JSONField, OuterRef, Q, QuerySet, Value, When
from django.utils import timezone
from kombu.exceptions import OperationalError

from desk.celery import app
from desk.jobs.models import GOOD, OPEN, Choice, Job, State, Task, Worker
from desk.shots.models import Production, Shot
from desk.web.saving import at_once
from prism.errors import BadArgument
from prism.plan.checks.sizes import MOST_TASKS

MOST_ATTEMPTS = 3  # that a task may fail by itself
MOST_OUTAGES = 12  # workers that one task may lose; then it is taken to be what ends them
LOST_AFTER = timedelta(seconds=settings.JOBS_LOST_AFTER)  # without a beat a worker is given up
BACKOFF = timedelta(seconds=settings.JOBS_BACKOFF)  # doubled with every attempt, up to:
LONGEST_BACKOFF = timedelta(minutes=2)
PRIORITIES = range(-2, 2)
TASK = "jobs.next_task"
QUEUE = "celery"
ROWS_AT_ONCE = 1000  # of one statement
MOST_MESSAGES = 200  # more than that at once is of no use: every task that ends looks for the next
LOST = "The worker did not come back; it was ended or lost its connection."
SILENT = "The queue does not answer. Run ./eager start."
NO_WORKER = "No worker is running. Run ./eager start, or start one on another machine."


@at_once
def begin(
    kind: str,
    of: Shot | Production,
    title: str,
    tasks: Iterable[Task],
    *,
    author=None,
    priority: int = 0,
    after: Job | None = None,
    **payload: Any,
) -> Job:
    """Make a job of unsaved tasks, of a shot or of a whole production. The caller sends the messages, by top_up, once
    all is committed.

    after: the job that has to be done well before this one begins. Raises BadArgument, before they are all made, if
    there are more tasks than any job may have.
    """
    listed = list(islice(tasks, MOST_TASKS + 1))
    if len(listed) > MOST_TASKS:
        raise BadArgument(f"This is more than {MOST_TASKS:,} frames.", where=kind, advice="Do them in several parts.")
    shot = of if isinstance(of, Shot) else None
    production = of if shot is None else shot.production
    job = Job.objects.create(
        kind=kind, production=production, shot=shot, title=title, author=author, priority=priority, after=after,
        payload=payload,
    )  # fmt: skip
    for task in listed:
        task.job = job
    _insert(listed)
    return job


def _insert(tasks: Sequence[Task]) -> None:
    """Thousands of rows in a few statements, which the ORM takes many times as long for: what all of them have alike is
    written into them once."""
    if not tasks:
        return
    fields = [field for field in Task._meta.concrete_fields if not field.primary_key]
    columns = {field: [getattr(task, field.attname) for task in tasks] for field in fields}
    varied = [field for field in fields if any(value != columns[field][0] for value in columns[field])]
    with connection.cursor() as cursor:
        driver = connection.connection
        alike = {
            field: driver.literal(_stored(field, columns[field][0])).decode().replace("%", "%%")
            for field in fields if field not in varied
        }  # fmt: skip
        quote = connection.ops.quote_name
        names = ", ".join(quote(field.column) for field in fields)
        places = ", ".join(alike.get(field, "%s") for field in fields)
        table = quote(Task._meta.db_table)
        for first in range(0, len(tasks), ROWS_AT_ONCE):
            rows = range(first, min(first + ROWS_AT_ONCE, len(tasks)))
            given = [_stored(field, columns[field][row]) for row in rows for field in varied]
            cursor.execute(f"INSERT INTO {table} ({names}) VALUES {', '.join([f'({places})'] * len(rows))}", given)


def _stored(field: Field, value: Any) -> Any:
    """A value as the database's driver takes it."""
    plain = value is None or (isinstance(value, (str, int, float)) and not isinstance(field, JSONField))
    return value if plain else field.get_db_prep_save(value, connection)


def cancel(job: Job) -> None:
    """Stop what runs within a moment; what is done stays."""
    job.tasks.filter(state__in=OPEN).update(state=State.CANCELLED, ended=timezone.now(), claim="")


def resume(job: Job) -> None:
    """Take up again what was cancelled or failed."""
    ended = job.tasks.filter(state__in=(State.CANCELLED, State.FAILED))
    ended.update(state=State.QUEUED, attempts=0, outages=0, not_before=None, ended=None, fault="")
    top_up()


def put_first(job: Job, priority: int) -> None:
    """Raises BadArgument for a priority there is not."""
    if priority not in PRIORITIES:
        raise BadArgument(f"There is no priority {priority}.", where="priority")
    Job.objects.filter(pk=job.pk).update(priority=priority)


def waiting(now: datetime | None = None) -> QuerySet[Task]:
    """Tasks that may be taken now, the first first."""
    now = now or timezone.now()
    due = Task.objects.filter(state=State.QUEUED).filter(Q(not_before=None) | Q(not_before__lte=now))
    due = due.exclude(Exists(Task.objects.filter(job=OuterRef("job__after")).exclude(state__in=GOOD)))
    return due.order_by("-job__priority", *_turns(), "job__made", "job", "number", "pk")


def _turns() -> list[Case]:
    """By how many tasks of the same kind are running, fewest first: each kind has its turn, so that one frame to hand
    off does not wait for a thousand to render."""
    running = Task.objects.filter(state=State.RUNNING).values_list("job__kind").annotate(count=Count("pk")).order_by()
    whens = [When(job__kind=kind, then=Value(count)) for kind, count in running]
    return [Case(*whens, default=Value(0))] if whens else []


def take(worker: str) -> Task | None:
    """The next task, now this worker's; None if there is none. Two workers never take the same."""
    for pk in waiting().values_list("pk", flat=True)[:20]:
        now, claim = timezone.now(), secrets.token_hex(8)
        task = Task.objects.filter(pk=pk, state=State.QUEUED)
        attempts = task.values_list("attempts", flat=True).first()
        taken = attempts is not None and task.update(
            state=State.RUNNING, claim=claim, worker=worker, attempts=attempts + 1, begun=now, beat=now, progress=0
        )
        if taken:
            return Task.objects.select_related("job__shot__production").get(pk=pk)
    return None


def beat(task: Task, progress: float) -> bool:
    """Say that the task's worker is running. Returns whether it is still its task: False once cancelled or given up."""
    return bool(_still(task).update(beat=timezone.now(), progress=progress))


def end(task: Task, state: Choice, line: str, **values: Any) -> bool:
    """Leave a task in a final state. Returns False, and changes nothing, if it is not this worker's any more."""
    return bool(_still(task).update(state=state, ended=timezone.now(), log=_logged(task, line), **values))


def put_off(task: Task, line: str, *, outage: bool = False) -> None:
    """After an attempt that came to nothing: try again later, or leave it as failed so that the rest goes on.

    outage: a worker, the database or the queue went away, which is not compared with the task.
    """
    outages = task.outages + outage
    if task.attempts - outages >= MOST_ATTEMPTS or outages > MOST_OUTAGES:
        end(task, State.FAILED, line, fault=line, outages=outages)
        return
    later = timezone.now() + min(BACKOFF * 2 ** (task.attempts - 1), LONGEST_BACKOFF)
    if _still(task).update(
        state=State.QUEUED, not_before=later, claim="", fault=line, outages=outages, log=_logged(task, line)
    ):
        send(1, countdown=(later - timezone.now()).total_seconds() + 0.1)


def sweep() -> None:
    """Give up workers that do not beat any more, and see that every waiting task has a message."""
    for task in Task.objects.filter(state=State.RUNNING, beat__lt=timezone.now() - LOST_AFTER):
        put_off(task, LOST, outage=True)
    top_up()


def top_up() -> None:
    """Messages get lost when the queue's own server is restarted; a message too many only finds nothing to do."""
    count = min(waiting()[:MOST_MESSAGES].count(), MOST_MESSAGES)
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


def greet(name: str, refuses: str = "") -> None:
    """Note that a worker is there, and why it takes no work, if so."""
    Worker.objects.update_or_create(name=name, defaults={"seen": timezone.now(), "refuses": refuses})


def running_workers() -> list[str]:
    """The names of the workers that were heard of lately, and take work."""
    return list(_heard_of().filter(refuses="").values_list("name", flat=True))


def refusing_workers() -> list[str]:
    """Workers that were heard of lately and take none, with why."""
    return [f"{worker.name} {worker.refuses}" for worker in _heard_of().exclude(refuses="")]


def _heard_of() -> QuerySet[Worker]:
    return Worker.objects.filter(seen__gte=timezone.now() - LOST_AFTER)


def stalled(tasks: Iterable[Task], now: datetime | None = None) -> str:
    """Why none of a job's tasks moves; empty if one does, or none should."""
    now = now or timezone.now()
    unfinished = [task for task in tasks if task.state in OPEN]
    if not unfinished or any(task.state == State.RUNNING and now - task.beat < LOST_AFTER for task in unfinished):
        return ""
    before = unfinished[0].job.after
    if before is not None and before.tasks.exclude(state__in=GOOD).exists():
        return f"It waits for {before.title}."
    if messages() is None:
        return SILENT
    if not running_workers():
        return NO_WORKER
    lost = next((task for task in unfinished if task.state == State.RUNNING), None)
    if lost:
        return f"The worker of {lost.title} does not answer; another takes it up shortly."
    if all(task.not_before and task.not_before > now for task in unfinished):
        return "Everything that is left failed just now, and is tried again in a moment."
    busy = Task.objects.filter(state=State.RUNNING).exclude(job=unfinished[0].job_id).select_related("job").first()
    return f"The workers are busy with {busy.job.title}." if busy else ""


def _still(task: Task) -> QuerySet[Task]:
    return Task.objects.filter(pk=task.pk, claim=task.claim, state=State.RUNNING)


def _logged(task: Task, line: str) -> str:
    return f"{task.log}{timezone.localtime():%H:%M:%S} {line}\n"[-4000:]
