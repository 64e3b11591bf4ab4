"""Deliveries: one version of a ledger written as a document says, and documents kept for a production."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models

from desk.elements.models import Element
from desk.jobs.models import Choice, Job, State, Task
from desk.rebuild.models import LedgerVersion
from desk.shots.models import Production, Shot
from prism.delivery.document import Delivery as Document


class Delivery(models.Model):
    """job: writes its frames, one task each. closing: what is made of all of them, and the record; it begins when the
    frames are done. folder: of its files, below that of the shot. frames: that were ordered, as a list."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="deliveries")
    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="delivery")
    closing = models.OneToOneField(Job, on_delete=models.SET_NULL, related_name="closed_delivery", null=True)
    version = models.ForeignKey(LedgerVersion, on_delete=models.PROTECT, related_name="deliveries")
    element = models.ForeignKey(Element, on_delete=models.SET_NULL, null=True, related_name="deliveries")
    document = models.JSONField()  # a prism.delivery.document.Delivery
    folder = models.CharField(max_length=300)
    take = models.PositiveSmallIntegerField(default=1)  # tells deliveries of a version apart that differ otherwise
    ordered = models.TextField(default="")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made", "-pk"]

    @property
    def parsed(self) -> Document:
        """Its document."""
        return Document.from_json(self.document, where=f"delivery {self.pk}")

    @property
    def frames(self) -> models.QuerySet[Task]:
        """The tasks of its frames."""
        return self.job.tasks.all()

    @property
    def tasks(self) -> list[Task]:
        """The tasks of its frames, and the one that closes it."""
        return [*self.job.tasks.all(), *(self.closing.tasks.all() if self.closing else ())]

    @property
    def state(self) -> Choice:
        """The state of the whole: failed if anything failed, running while anything is not at its end."""
        states = {task.state for task in self.tasks}
        if State.FAILED in states and State.RUNNING not in states:
            return State.FAILED  # what is made of all frames waits for those that failed
        for state in (State.RUNNING, State.QUEUED, State.FAILED, State.CANCELLED):
            if state in states:
                return State.RUNNING if state == State.QUEUED and State.DONE in states else state
        return State.DONE

    def written(self, frame: Task) -> list[dict[str, Any]]:
        """What came of a task that is done: of each file `item`, `file` below the folder, `bytes`, `sha256` and
        `remarks`."""
        return frame.result.get("files", [])


class DeliveryPreset(models.Model):
    """What a client wants, or goes out every time: items kept under a name for all shots of a production."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="delivery_presets")
    name = models.CharField(max_length=80)
    document = models.JSONField()  # a prism.delivery.document.Delivery
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    made = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["production", "name"], name="one_delivery_preset_name_each")]

    def __str__(self) -> str:
        return self.name


class Draft(models.Model):
    """What the page of a shot is set to: saved at every change, and what the next delivery is ordered from."""

    shot = models.OneToOneField(Shot, on_delete=models.CASCADE, related_name="delivery_draft")
    document = models.JSONField()
    frames = models.CharField(max_length=10_000, blank=True)
    revision = models.PositiveIntegerField(default=1)
    changed = models.DateTimeField(auto_now=True)


class Present(models.Manager):
    """What was not removed. The rest stays for those who want it back."""

    def get_queryset(self) -> models.QuerySet:
        """Without what was removed."""
        return super().get_queryset().filter(removed=None)


class Board(models.Model):
    """A presentation board of a shot, saved by itself at every change."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="boards")
    name = models.CharField(max_length=80)
    document = models.JSONField()  # a prism.sheets.boards.document.Board
    revision = models.PositiveIntegerField(default=1)  # up by one at each save; a save must name the one it builds on
    changed = models.DateTimeField(auto_now=True)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    removed = models.DateTimeField(null=True)  # its name is free for another one then

    objects = Present()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["shot", "name"], name="one_board_name_each")]

    def __str__(self) -> str:
        return self.name


class Note(models.Model):
    """What a reviewer says of a frame of a movie. x, y: where, as shares of the picture. strokes: lines drawn on it,
    lists of such places. version: that answers it."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="notes")
    delivery = models.ForeignKey(Delivery, on_delete=models.SET_NULL, null=True, related_name="notes")
    item = models.CharField(max_length=40)
    seen = models.ForeignKey(LedgerVersion, on_delete=models.CASCADE, related_name="notes")  # the version it is said of
    frame = models.IntegerField()
    x = models.FloatField()
    y = models.FloatField()
    strokes = models.JSONField(default=list)
    text = models.CharField(max_length=2000)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    made = models.DateTimeField(auto_now_add=True)
    version = models.ForeignKey(LedgerVersion, on_delete=models.SET_NULL, null=True, related_name="answers")
    answer = models.CharField(max_length=2000, blank=True)
    answered_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    answered = models.DateTimeField(null=True)
    removed = models.DateTimeField(null=True)

    objects = Present()

    class Meta:
        ordering = ["frame", "pk"]
