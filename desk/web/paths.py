"""Paths as people may read them; in templates `{% load paths %}`."""

from __future__ import annotations

import os

from django import template
from django.conf import settings

register = template.Library()


@register.filter("from_storage")
def without_roots(text: str) -> str:
    """A text with paths from the storage root, whose place on the machine is nobody's affair."""
    for root in settings.STORAGE_ROOTS:
        text = text.replace(f"{root.resolve()}{os.sep}", "").replace(f"{root}{os.sep}", "")
    return text
