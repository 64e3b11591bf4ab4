"""The plan of a shot, saved by itself at every change, and what a production keeps for planning."""

from __future__ import annotations

from django.db import models

from desk.shots.models import Production, Shot
from prism.plan.plan import Plan as Document


class Plan(models.Model):
    shot = models.OneToOneField(Shot, on_delete=models.CASCADE, related_name="plan")
    document = models.JSONField()
    revision = models.PositiveIntegerField(default=1)  # up by one at each save; a save must name the one it builds on
    changed = models.DateTimeField(auto_now=True)

    def put(self, document: Document) -> None:
        """The next revision. Only on a record that is locked: see `desk.web.saving`."""
        self.document, self.revision = document.as_json(), self.revision + 1
        self.save()


class PlanVersion(models.Model):
    """A version as it was when its files were rendered, or when a copy took its place. Never changed again."""

    class Reason(models.TextChoices):
        RENDERED = "rendered", "rendered"
        REPLACED = "replaced", "replaced by a copy"

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    reason = models.CharField(max_length=10, choices=Reason.choices, default=Reason.RENDERED)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["plan", "number"], name="one_plan_version_each")]


class StoredPreset(models.Model):
    """A production's own preset."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="presets")
    name = models.CharField(max_length=60)
    document = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["production", "name"], name="one_preset_name_each")]


class OwnSize(models.Model):
    """A picture size that a production keeps beside the common ones."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="sizes")
    title = models.CharField(max_length=40)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()

    class Meta:
        ordering = ["title"]
        constraints = [models.UniqueConstraint(fields=["production", "title"], name="one_size_title_each")]


class MeasuredFrame(models.Model):
    """A frame of a shot's scene that was rendered, and how long it took."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="measured")
    camera = models.CharField(max_length=64)
    frame = models.IntegerField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    samples = models.PositiveIntegerField()  # per pixel
    seconds = models.FloatField()  # of rendering, denoising and writing
    beside = models.PositiveSmallIntegerField(default=1)  # frames made at the same time, itself included
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-pk"]
