"""Productions, their members and their shots."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import RegexValidator
from django.db import models
from django.utils.functional import cached_property
from pydantic import ValidationError

from prism.errors import BadDocument
from prism.plan.plan import ShotSettings

CODE = RegexValidator(
    r"^[A-Za-z0-9][A-Za-z0-9_-]*$", "Letters, digits, _ and - only, beginning with a letter or digit."
)


class Production(models.Model):
    code = models.CharField(max_length=20, unique=True, validators=[CODE])
    title = models.CharField(max_length=120)
    archived = models.DateTimeField(null=True, blank=True)
    members = models.ManyToManyField(settings.AUTH_USER_MODEL, through="Membership", related_name="productions")

    def __str__(self) -> str:
        return self.code

    def can_be_changed_by(self, user) -> bool:
        may = (Membership.Role.ARTIST, Membership.Role.OWNER)
        return self.memberships.filter(user=user, role__in=may).exists()

    def is_owned_by(self, user) -> bool:
        """Whether somebody may name members and shots."""
        return self.memberships.filter(user=user, role=Membership.Role.OWNER).exists()


class Membership(models.Model):
    """Who may see a production, who may change it, and who may say so."""

    class Role(models.TextChoices):
        OWNER = "owner", "owner (members and shots too)"
        ARTIST = "artist", "artist (changes everything of a shot)"
        REVIEWER = "reviewer", "reviewer (looks, changes nothing)"

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.ARTIST)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "user"], name="one_membership_each")]


class ShotQuerySet(models.QuerySet):
    def visible_to(self, user) -> ShotQuerySet:
        """The productions that somebody belongs to."""
        return self.filter(production__memberships__user=user).select_related("production", "plan")


class Shot(models.Model):
    """A shot by its code; its range, size, rate, aspect and working colour are those of its plan."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="shots")
    code = models.CharField(max_length=40, validators=[CODE])
    title = models.CharField(max_length=120, blank=True)
    folder = models.CharField(max_length=200)  # from the first storage root
    archived = models.DateTimeField(null=True, blank=True)

    objects = ShotQuerySet.as_manager()

    class Meta:
        ordering = ["production__code", "code"]
        constraints = [models.UniqueConstraint(fields=["production", "code"], name="one_shot_code_each")]

    def __str__(self) -> str:
        return self.code

    @property
    def address(self) -> dict[str, str]:
        """What addresses of its pages name it by, for `reverse`."""
        return {"production": self.production.code, "shot": self.code}

    @cached_property
    def settings(self) -> ShotSettings:
        """Its settings as the plan has them now. Raises BadDocument if that cannot be read."""
        try:
            return ShotSettings.model_validate(self.plan.document["shot"])
        except (ValidationError, KeyError, TypeError) as error:
            raise BadDocument("The shot of this plan cannot be read.", where=f"plan of {self.code}") from error

    @property
    def frames(self) -> tuple[int, ...]:
        """The frames that are written. Raises BadDocument, as `settings`."""
        return self.settings.written_frames

    def can_be_changed_by(self, user) -> bool:
        return self.production.can_be_changed_by(user)
