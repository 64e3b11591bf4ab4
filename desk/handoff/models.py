"""Deliveries: one version of a ledger written in one format for a list of frames. Those of an order share a job, in
which each frame is a task that runs the ledger once and writes it in all of them."""

from __future__ import annotations

from typing import Any

from django.db import models

from desk.elements.models import Element
from desk.jobs.models import Job, State, Task
from desk.rebuild.models import LedgerVersion
from desk.shots.models import Shot
from prism.mattes.writing import file_word


class Delivery(models.Model):
    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="deliveries")
    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="deliveries")  # writes all formats of an order
    version = models.ForeignKey(LedgerVersion, on_delete=models.PROTECT, related_name="deliveries")
    element = models.ForeignKey(Element, on_delete=models.SET_NULL, null=True, related_name="deliveries")
    suffix = models.CharField(max_length=8)  # .exr, .png, ...
    output = models.JSONField()  # arguments of prism.delivery.deliver.Output
    take = models.PositiveSmallIntegerField(default=1)  # tells files apart that only differ in how they are written
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made", "-pk"]

    @property
    def frames(self) -> models.QuerySet[Task]:
        """The tasks of its order, one for each frame."""
        return self.job.tasks.all()

    @property
    def state(self) -> str:
        """Of the whole, from its frames: failed if any failed, running while any is not at its end."""
        states = {frame.state for frame in self.job.tasks.all()}
        for state in (State.RUNNING, State.QUEUED, State.FAILED, State.CANCELLED):
            if state in states:
                return State.RUNNING if state == State.QUEUED and State.DONE in states else state
        return State.DONE

    def file_name(self, frame: int) -> str:
        """Of one frame, without its folder."""
        return f"{self.stem}.{frame:04d}{self.suffix}"

    @property
    def stem(self) -> str:
        """What the names of all its files begin with."""
        matte = f"_matte_{file_word(self.matte)}" if self.matte else ""
        take = f"_t{self.take}" if self.take > 1 else ""
        return f"{self.shot.code}_{self.version.ledger.name}_{self.version.label}{matte}{take}"

    def written(self, frame: Task) -> dict[str, Any]:
        """What came of a frame that is done: `bytes` of its file, and `remarks`."""
        return frame.result["written"][str(self.pk)]

    @property
    def matte(self) -> str:
        """That is written instead of the picture; empty for the picture."""
        return self.output.get("matte", "")
