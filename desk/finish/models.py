"""Steps kept under a name, for all shots of a production."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from desk.shots.models import Production


class FinishPreset(models.Model):
    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="finish_presets")
    name = models.CharField(max_length=80)
    document = models.JSONField()  # a prism.finish.document.Finish
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    made = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["production", "name"], name="one_finish_preset_name_each")]

    def __str__(self) -> str:
        return self.name
