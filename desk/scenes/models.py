"""The scene of a shot: what is rendered here, or facts about what is rendered elsewhere. Older ones are kept."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from desk.shots.models import Shot


class SceneVersion(models.Model):
    """Never changed once it is kept; the newest is the shot's."""

    class Kind(models.TextChoices):
        FILE = "file", "scene"
        FACTS = "facts", "sheet of facts"

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="scenes")
    number = models.PositiveIntegerField()
    kind = models.CharField(max_length=5, choices=Kind.choices)
    name = models.CharField(max_length=120)
    document = models.JSONField()
    fingerprint = models.CharField(max_length=16)
    origin = models.CharField(max_length=500, blank=True)  # the file it came from
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["shot", "number"], name="one_scene_number_each")]

    def __str__(self) -> str:
        return f"{self.name}, {self.number}"
