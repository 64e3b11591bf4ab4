"""What lies on disk for a shot: places, the elements found in them, and what the artist said of names."""

from __future__ import annotations

from django.db import models

from desk.shots.models import Shot


class Place(models.Model):
    """A folder of a shot's storage whose pictures were brought in. report: what the last look at it found besides
    elements."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="places")
    folder = models.CharField(max_length=500)  # absolute, below one of the storage roots; or a single file
    name = models.CharField(max_length=100, blank=True)  # for its element, where it has just one
    looked = models.DateTimeField(null=True)
    report = models.JSONField(default=dict)

    class Meta:
        db_table = "shots_place"
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["shot", "folder"], name="one_place_each")]

    def __str__(self) -> str:
        return self.folder


class Element(models.Model):
    """One image through one camera on one layer, pass by pass: a document of prism, made by looking at the disk.

    place: where it was brought in from; None for what a run of the shot made. found: its name among those of its place,
    by which it is known again. choices: what the artist says of single passes, over what was found.
    """

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="elements")
    place = models.ForeignKey(Place, on_delete=models.SET_NULL, null=True, related_name="elements")
    name = models.CharField(max_length=120)  # never changed: ledgers name their sources by it
    found = models.CharField(max_length=160, blank=True)
    document = models.JSONField(default=dict)
    choices = models.JSONField(default=dict)
    added = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "shots_element"
        ordering = ["added", "pk"]
        constraints = [models.UniqueConstraint(fields=["shot", "name"], name="one_element_name_each")]

    def __str__(self) -> str:
        return self.name


class NameRule(models.Model):
    """What the artist said once of names in this shot. The first that fits decides."""

    class Does(models.TextChoices):
        PASS = "pass", "is the pass"
        LIGHT = "light", "is the light"
        IGNORE = "ignore", "is ignored"

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="name_rules")
    pattern = models.CharField(max_length=200)
    does = models.CharField(max_length=6, choices=Does.choices, default=Does.PASS)
    target = models.CharField(max_length=120, blank=True)

    class Meta:
        db_table = "shots_namerule"
        ordering = ["-pk"]
        constraints = [models.UniqueConstraint(fields=["shot", "pattern"], name="one_rule_a_pattern")]

    def __str__(self) -> str:
        return f"{self.pattern} {self.get_does_display()} {self.target}".strip()
