"""Runs: a plan carried out over frames, layers and cameras, each frame of each image a task of its own."""

from __future__ import annotations

from django.db import models

from desk.jobs.models import Job, Task
from desk.scenes.models import SceneVersion
from desk.shots.models import Shot


class Run(models.Model):
    """scene: what it is rendered from, however often the shot's scene is replaced meanwhile."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="runs")
    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="run")
    document = models.JSONField()  # the plan as it was when the run began
    number = models.PositiveIntegerField()  # of the plan's version
    scene = models.ForeignKey(SceneVersion, on_delete=models.SET_NULL, null=True, related_name="runs")
    only_missing = models.BooleanField(default=True)
    light_groups = models.JSONField(default=list)  # labels whose files alone are written; empty: all files
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made", "-pk"]

    def __str__(self) -> str:
        return f"run {self.pk} of {self.shot}"

    @property
    def frames(self) -> models.QuerySet[Task]:
        """Its tasks: one for each frame of each image, warm-up frames included."""
        return self.job.tasks.all()


class Written(models.Model):
    """A file that a run wrote or is writing, and the fingerprints of the plan and the scene it was made from."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="written")
    key = models.CharField(max_length=64)  # a digest of the path
    path = models.TextField()  # below the shot's folder
    plan = models.CharField(max_length=64)
    scene = models.CharField(max_length=64)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["shot", "key"], name="one_record_a_file")]
