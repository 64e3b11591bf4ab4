"""Productions, their members, shots, and the elements (sets of files) of a shot."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import RegexValidator
from django.db import models
from django.utils.functional import cached_property
from pydantic import ValidationError

from prism.errors import BadDocument
from prism.passes.plan import ShotSettings

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

    def is_owned_by(self, user) -> bool:
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

    @cached_property
    def settings(self) -> ShotSettings:
        """As its plan has them now. Raises BadDocument if that cannot be read."""
        try:
            return ShotSettings.model_validate(self.plan.document["shot"])
        except (ValidationError, KeyError, TypeError) as error:
            raise BadDocument("The shot of this plan cannot be read.", where=f"plan of {self.code}") from error

    @property
    def frames(self) -> tuple[int, ...]:
        return self.settings.written_frames

    def can_be_changed_by(self, user) -> bool:
        may = (Membership.Role.ARTIST, Membership.Role.OWNER)
        return self.production.memberships.filter(user=user, role__in=may).exists()


class Place(models.Model):
    """A folder of a shot's storage whose pictures were brought in. report: what the last look at it found besides elements."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="places")
    folder = models.CharField(max_length=500)  # absolute, below one of the storage roots; or a single file
    name = models.CharField(max_length=100, blank=True)  # for its element, where it has just one
    looked = models.DateTimeField(null=True)
    report = models.JSONField(default=dict)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["shot", "folder"], name="one_place_each")]

    def __str__(self) -> str:
        return self.folder


class Element(models.Model):
    """One image through one camera on one layer, pass by pass: a document of prism, made by looking at the disk.

    place: where it was brought in from; None for what a run of the shot made. found: its name among those of its place, by
    which it is known again. choices: what the artist says of single passes, over what was found.
    """

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="elements")
    place = models.ForeignKey(Place, on_delete=models.SET_NULL, null=True, related_name="elements")
    name = models.CharField(max_length=120)  # never changed: ledgers name their sources by it
    found = models.CharField(max_length=160, blank=True)
    document = models.JSONField(default=dict)
    choices = models.JSONField(default=dict)
    added = models.DateTimeField(auto_now_add=True)

    class Meta:
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
        ordering = ["-pk"]
        constraints = [models.UniqueConstraint(fields=["shot", "pattern"], name="one_rule_a_pattern")]

    def __str__(self) -> str:
        return f"{self.pattern} {self.get_does_display()} {self.target}".strip()
