"""The mark in the strip that says how much work runs or waits."""

from django.http import HttpRequest

from desk.jobs.services import open_count


def open_work(request: HttpRequest) -> dict[str, int]:
    """How many jobs run or wait, for the mark in the strip."""
    user = getattr(request, "user", None)
    return {"open_work": open_count(user)} if user is not None and user.is_authenticated else {}
