"""What is known of an account besides: a password that is good for one login, and whether it was shown around."""

from django.conf import settings
from django.db import models


class OneTimePassword(models.Model):
    """While it is there, its account has to choose a password of its own."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="one_time")
    made = models.DateTimeField(auto_now_add=True)


class Tour(models.Model):
    """While it is not there, its account is shown around."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tour")
    made = models.DateTimeField(auto_now_add=True)
