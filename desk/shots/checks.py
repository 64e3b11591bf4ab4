"""Wrong set-up is found at start."""

from django.conf import settings
from django.core.checks import Error, register


@register
def storage_is_readable(app_configs, **kwargs) -> list[Error]:
    """Django's own checks say at the start what would fail at the first page."""
    return [
        Error(
            f"The storage folder {root} is not there.",
            hint="Make or mount it, or correct EAGER_ROOTS.",
            id="shots.E001",
        )
        for root in settings.STORAGE_ROOTS
        if not root.is_dir()
    ]
