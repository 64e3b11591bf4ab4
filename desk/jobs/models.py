"""Long work: a job is a number of tasks of one kind, each claimed by one worker at a time."""

from __future__ import annotations

from typing import Any, TypeAlias

from django.conf import settings
from django.db import models

from desk.shots.models import Production, Shot

Choice: TypeAlias = Any
"""A member of TextChoices: a text to Django, a pair to a type checker that does not know it."""


class State(models.TextChoices):
    QUEUED = "queued", "waiting"
    RUNNING = "running", "running"
    DONE = "done", "done"
    SKIPPED = "skipped", "already there"
    FAILED = "failed", "failed"
    CANCELLED = "cancelled", "cancelled"


OPEN = (State.QUEUED, State.RUNNING)
GOOD = (State.DONE, State.SKIPPED)


class Job(models.Model):
    """kind: who carries its tasks out, see kinds.py. payload: what that needs to know of the job as a whole. shot: None
    for work of a whole production. after: its tasks wait until all of that job's are done well."""

    kind = models.CharField(max_length=20)
    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="jobs")
    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="jobs", null=True)
    after = models.ForeignKey("self", on_delete=models.SET_NULL, related_name="followers", null=True)
    title = models.CharField(max_length=200)
    payload = models.JSONField(default=dict)
    priority = models.SmallIntegerField(default=0)  # higher goes first
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="jobs")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made", "-pk"]

    def __str__(self) -> str:
        return self.title


class Task(models.Model):
    """claim: made anew whenever a worker takes it, so that a worker given up for lost cannot end it twice.

    number: the frame it makes, or its place in the job. payload: what it is to do; result: what came of it.
    """

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="tasks")
    number = models.IntegerField()
    title = models.CharField(max_length=200)
    payload = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    attempts = models.PositiveSmallIntegerField(default=0)
    outages = models.PositiveSmallIntegerField(
        default=0
    )  # of the attempts, those that ended by no fault of the task's own
    not_before = models.DateTimeField(null=True)  # after a failed attempt
    claim = models.CharField(max_length=32, blank=True)
    worker = models.CharField(max_length=120, blank=True)
    progress = models.FloatField(default=0)
    begun = models.DateTimeField(null=True)
    beat = models.DateTimeField(null=True)  # when its worker was last heard of
    ended = models.DateTimeField(null=True)
    seconds = models.FloatField(default=0)  # of work
    bytes = models.PositiveBigIntegerField(default=0)  # written
    fault = models.TextField(blank=True)  # of the last attempt that failed
    result = models.JSONField(default=dict)
    log = models.TextField(blank=True)

    class Meta:
        ordering = ["job", "number", "pk"]
        indexes = [models.Index(fields=["state", "not_before"], name="tasks_to_take")]

    def __str__(self) -> str:
        return self.title

    def given(self, name: str) -> Any:
        """A value of the payload, an empty text if there is none."""
        return self.payload.get(name, "")


class Worker(models.Model):
    """A process that works, here or on another machine. refuses: why it takes no work, empty if it does."""

    name = models.CharField(max_length=120, unique=True)
    seen = models.DateTimeField()
    refuses = models.CharField(max_length=200, blank=True)
