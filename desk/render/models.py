"""Runs: a plan carried out over frames, layers and cameras, each frame of each image a task of its own."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from desk.shots.models import Shot


class State(models.TextChoices):
    QUEUED = "queued", "waiting"
    RUNNING = "running", "being rendered"
    DONE = "done", "rendered"
    SKIPPED = "skipped", "was there"
    FAILED = "failed", "set aside"
    CANCELLED = "cancelled", "cancelled"


OPEN = (State.QUEUED, State.RUNNING)
GOOD = (State.DONE, State.SKIPPED)


class Run(models.Model):
    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="runs")
    document = models.JSONField()  # the plan as it was when the run began
    number = models.PositiveIntegerField()  # of the plan's version
    only_missing = models.BooleanField(default=True)
    light_groups = models.JSONField(default=list)  # labels whose files alone are written; empty: all files
    priority = models.SmallIntegerField(default=0)  # higher goes first
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made", "-pk"]

    def __str__(self) -> str:
        return f"run {self.pk} of {self.shot}"


class RunFrame(models.Model):
    """claim: told anew whenever a worker takes it, so that a worker given up for lost cannot end it twice."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="frames")
    layer = models.CharField(max_length=64)
    camera = models.CharField(max_length=64)
    number = models.IntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    attempts = models.PositiveSmallIntegerField(default=0)
    not_before = models.DateTimeField(null=True)  # after a failed attempt
    claim = models.CharField(max_length=32, blank=True)
    worker = models.CharField(max_length=120, blank=True)
    progress = models.FloatField(default=0)
    begun = models.DateTimeField(null=True)
    beat = models.DateTimeField(null=True)  # when its worker last said that it lives
    ended = models.DateTimeField(null=True)
    seconds = models.FloatField(default=0)  # of rendering
    noise = models.FloatField(default=0)
    samples = models.FloatField(default=0)
    bytes = models.PositiveBigIntegerField(default=0)
    log = models.TextField(blank=True)

    class Meta:
        ordering = ["run", "number", "pk"]
        constraints = [
            models.UniqueConstraint(fields=["run", "layer", "camera", "number"], name="one_task_for_each_image")
        ]
        indexes = [models.Index(fields=["state", "not_before"], name="frames_to_take")]

    @property
    def title(self) -> str:
        return f"{self.layer}, {self.camera}, {self.number}"


class Worker(models.Model):
    """A process that renders, here or on another machine."""

    name = models.CharField(max_length=120, unique=True)
    seen = models.DateTimeField()
