"""Finish, the fifth station, which is not built yet."""

from desk.shots.models import Shot
from desk.stations.registry import Mark, station


@station("finish", "Finish", number=5)
def mark(shot: Shot) -> Mark:
    """Untouched: there is nothing to finish with yet."""
    return Mark.UNTOUCHED
