"""Whether a page shows its reader around."""

from django.http import HttpRequest

from desk.accounts.models import Tour


def tour(request: HttpRequest) -> dict[str, bool]:
    """On the first pages of an account, until it has seen the last step or skipped them."""
    user = getattr(request, "user", None)
    if user is None or not user.is_authenticated:
        return {}
    return {"tour": not Tour.objects.filter(user=user).exists()}
