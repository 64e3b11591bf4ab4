"""Ledgers: the one in work, saved by itself at every change, and the versions kept of it."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from desk.elements.models import Element
from desk.shots.models import Shot


class Ledger(models.Model):
    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="ledgers")
    element = models.ForeignKey(Element, on_delete=models.SET_NULL, null=True, related_name="ledgers")
    name = models.CharField(max_length=80)
    document = models.JSONField()
    revision = models.PositiveIntegerField(default=1)  # up by one at each save; a save must name the one it builds on
    changed = models.DateTimeField(auto_now=True)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["shot", "name"], name="one_ledger_name_each")]

    def __str__(self) -> str:
        return self.name


class LedgerVersion(models.Model):
    """A ledger as it was at one moment; never changed. base: number of the version that it differs least from, of those
    before."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)
    comment = models.CharField(max_length=500, blank=True)
    base = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["ledger", "number"], name="one_version_number_each")]

    @property
    def label(self) -> str:
        """The label as file names say it."""
        return f"v{self.number:03}"
