"""The plan of a shot, saved by itself at every change."""

from __future__ import annotations

from django.db import models

from desk.shots.models import Shot


class Plan(models.Model):
    shot = models.OneToOneField(Shot, on_delete=models.CASCADE, related_name="plan")
    document = models.JSONField()
    revision = models.PositiveIntegerField(default=1)  # up by one at each save; a save must name the one it builds on
    changed = models.DateTimeField(auto_now=True)
