"""Deliveries: one version of a ledger written for a list of frames, each frame a job of its own."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from desk.rebuild.models import LedgerVersion
from desk.shots.models import Element, Shot


class State(models.TextChoices):
    QUEUED = "queued", "waiting"
    RUNNING = "running", "being written"
    DONE = "done", "written"
    FAILED = "failed", "failed"
    CANCELLED = "cancelled", "cancelled"


class Delivery(models.Model):
    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="deliveries")
    version = models.ForeignKey(LedgerVersion, on_delete=models.PROTECT, related_name="deliveries")
    element = models.ForeignKey(Element, on_delete=models.PROTECT, related_name="deliveries")
    suffix = models.CharField(max_length=8)  # .exr, .png, ...
    output = models.JSONField()  # arguments of prism.combine.deliver.Output
    take = models.PositiveSmallIntegerField(default=1)  # tells files apart that only differ in how they are written
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made", "-pk"]

    @property
    def state(self) -> str:
        """Of the whole, from its frames: failed if any failed, running while any is not at its end."""
        states = {frame.state for frame in self.frames.all()}
        for state in (State.RUNNING, State.QUEUED, State.FAILED, State.CANCELLED):
            if state in states:
                return State.RUNNING if state == State.QUEUED and State.DONE in states else state
        return State.DONE

    def file_name(self, frame: int) -> str:
        return f"{self.stem}.{frame:04d}{self.suffix}"

    @property
    def stem(self) -> str:
        take = f"_t{self.take}" if self.take > 1 else ""
        return f"{self.shot.code}_{self.version.ledger.name}_{self.version.label}{take}"


class DeliveryFrame(models.Model):
    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="frames")
    number = models.IntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    size = models.PositiveBigIntegerField(default=0)  # bytes written
    remarks = models.JSONField(default=list)
    error = models.TextField(blank=True)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["delivery", "number"], name="one_job_for_each_frame")]
