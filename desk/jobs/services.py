"""What the Work page shows: every job of the productions one belongs to, and how far it is."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Max, Min, Q, QuerySet, Sum
from django.urls import reverse
from django.utils import timezone

from desk.jobs import engine
from desk.jobs.models import GOOD, OPEN, Job, State, Task
from desk.jobs.registry import station_of

SHOWN = 60


def visible_to(user) -> QuerySet[Job]:
    """The jobs of the productions that somebody belongs to."""
    return Job.objects.filter(production__memberships__user=user)


def listed(user) -> dict[str, Any]:
    """The newest jobs, those that are not at their end first."""
    jobs = (
        visible_to(user)
        .select_related("production", "shot", "author", "after")
        .annotate(
            **counts_by_state("tasks"),
            share=Sum("tasks__progress"),
            begun=Min("tasks__begun"),
            ended=Max("tasks__ended"),
        )
    )
    newest = list(jobs.order_by("-made", "-pk")[:SHOWN])
    unfinished = [job for job in jobs.filter(open__gt=0) if job not in newest]
    ordered = sorted([*newest, *unfinished], key=lambda job: (job.open == 0, -job.priority, -job.pk))
    return {
        "jobs": [_summary(job, user) for job in ordered],
        "workers": engine.running_workers(),
        "refusing": engine.refusing_workers(),
    }


def counts_by_state(tasks: str) -> dict[str, Count]:
    """For annotating what has tasks, reached by the path `tasks`: how many there are, and in which states."""
    wanted = {
        "good": GOOD,
        "open": OPEN,
        "running": [State.RUNNING],
        "failed": [State.FAILED],
        "cancelled": [State.CANCELLED],
    }
    counts = {name: Count(tasks, filter=Q(**{f"{tasks}__state__in": states})) for name, states in wanted.items()}
    return {"whole": Count(tasks), **counts}


def state_of(job) -> str:
    """In a word, of a job with its counts."""
    if job.open:
        return "running" if job.running else "waiting"
    return "failed" if job.failed else "cancelled" if job.cancelled else "done"


def detail(job: Job) -> dict[str, Any]:
    """What is left of a job and what went wrong with it."""
    unfinished = list(job.tasks.filter(state__in=OPEN).order_by("number", "pk")[:500])
    failed = job.tasks.filter(state=State.FAILED)[:20]
    return {
        "stalled": engine.stalled(unfinished),
        "faults": [{"title": task.title, "fault": task.fault} for task in failed],
    }


def _summary(job, user) -> dict[str, Any]:
    fault = job.tasks.filter(state=State.FAILED).values_list("fault", flat=True).first() if job.failed else ""
    return {
        "id": job.pk,
        "kind": job.kind,
        "title": job.title,
        "shot": job.shot.code if job.shot else job.production.code,
        "url": _address(job),
        "author": job.author.get_username() if job.author else "",
        "made": job.made.isoformat(timespec="seconds"),
        "seconds": _seconds(job),
        "state": state_of(job),
        "good": job.good,
        "whole": job.whole,
        "failed": job.failed,
        "share": (job.share or 0) / job.whole if job.whole else 1,
        "open": job.open,
        "fault": fault or "",
        "mayChange": job.production.can_be_changed_by(user),
    }


def _seconds(job) -> float | None:
    """From its first task to the end of the last, or to now while it is open; None before it began."""
    if job.begun is None:
        return None
    return ((timezone.now() if job.open else job.ended or job.begun) - job.begun).total_seconds()


def _address(job: Job) -> str:
    """The page it belongs to: of its shot, or of its production."""
    if job.shot is None:
        return reverse("production", kwargs={"production": job.production.code})
    return reverse(station_of(job.kind), kwargs={"production": job.production.code, "shot": job.shot.code})


def open_count(user) -> int:
    """Jobs that run or wait, for the mark in the strip."""
    return Task.objects.filter(state__in=OPEN, job__in=visible_to(user)).values("job").distinct().count()
