"""Passwords that are good for one login: whoever uses one chooses another before anything else."""

from django.conf import settings
from django.db import models


class OneTimePassword(models.Model):
    """While it is there, its account has to choose a password of its own."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="one_time")
    made = models.DateTimeField(auto_now_add=True)
