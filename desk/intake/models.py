"""What Intake keeps of files it has read: facts of every frame, the findings they lead to, and which of these were
accepted."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from desk.elements.models import Element


class FrameCheck(models.Model):
    """One frame of an element as it was read. document: by which it was read, in sixteen hex digits."""

    element = models.ForeignKey(Element, on_delete=models.CASCADE, related_name="checks")
    frame = models.IntegerField()
    document = models.CharField(max_length=16)
    facts = models.JSONField()

    class Meta:
        ordering = ["element", "frame"]
        constraints = [models.UniqueConstraint(fields=["element", "frame"], name="one_check_a_frame")]


class Judgement(models.Model):
    """The findings of an element, from what was read so far. document: that they belong to."""

    element = models.OneToOneField(Element, on_delete=models.CASCADE, related_name="judgement")
    document = models.CharField(max_length=16)
    checked = models.PositiveIntegerField(default=0)  # frames that were read as they are now
    whole = models.PositiveIntegerField(default=0)
    findings = models.JSONField(default=list)
    made = models.DateTimeField(auto_now=True)


class Acceptance(models.Model):
    """A finding that somebody has looked at and lets stand. mark: its kind and pass."""

    element = models.ForeignKey(Element, on_delete=models.CASCADE, related_name="acceptances")
    mark = models.CharField(max_length=240)
    reason = models.CharField(max_length=300)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["element", "mark"], name="one_acceptance_a_finding")]
