"""Productions, their members, shots, and the elements (sets of files) of a shot."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import MinValueValidator, RegexValidator
from django.db import models

from prism.colour.spaces import SPACES

CODE = RegexValidator(
    r"^[A-Za-z0-9][A-Za-z0-9_-]*$", "Letters, digits, _ and - only, beginning with a letter or digit."
)


class Production(models.Model):
    code = models.CharField(max_length=20, unique=True, validators=[CODE])
    title = models.CharField(max_length=120)
    members = models.ManyToManyField(settings.AUTH_USER_MODEL, through="Membership", related_name="productions")

    def __str__(self) -> str:
        return self.code


class Membership(models.Model):
    """Who may see a production, and who may change it."""

    class Role(models.TextChoices):
        ARTIST = "artist", "artist"
        REVIEWER = "reviewer", "reviewer (looks, changes nothing)"

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.ARTIST)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "user"], name="one_membership_each")]


class ShotQuerySet(models.QuerySet):
    def visible_to(self, user) -> ShotQuerySet:
        return self.filter(production__memberships__user=user).select_related("production")


class Shot(models.Model):
    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="shots")
    code = models.CharField(max_length=40, validators=[CODE])
    title = models.CharField(max_length=120, blank=True)
    first = models.IntegerField()
    last = models.IntegerField()
    rate = models.DecimalField("frames per second", max_digits=7, decimal_places=3, default=24)
    width = models.PositiveIntegerField(validators=[MinValueValidator(1)])
    height = models.PositiveIntegerField(validators=[MinValueValidator(1)])
    space = models.CharField("working colour", max_length=20, choices=list(SPACES.items()), default="lin_rec709")

    scene = models.CharField(max_length=500, blank=True)  # scene file, from the first storage root

    objects = ShotQuerySet.as_manager()

    class Meta:
        ordering = ["production__code", "code"]
        constraints = [
            models.UniqueConstraint(fields=["production", "code"], name="one_shot_code_each"),
            models.CheckConstraint(condition=models.Q(last__gte=models.F("first")), name="first_frame_first"),
        ]

    def __str__(self) -> str:
        return self.code

    @property
    def frames(self) -> range:
        return range(self.first, self.last + 1)

    def can_be_changed_by(self, user) -> bool:
        return self.production.memberships.filter(user=user, role=Membership.Role.ARTIST).exists()


class Element(models.Model):
    """A set of files: all image sequences in one folder, which together hold the passes of a frame."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="elements")
    name = models.CharField(max_length=120)
    folder = models.CharField(max_length=500)  # absolute, below one of the storage roots
    added = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["added", "pk"]
        constraints = [models.UniqueConstraint(fields=["shot", "name"], name="one_element_name_each")]

    def __str__(self) -> str:
        return self.name
