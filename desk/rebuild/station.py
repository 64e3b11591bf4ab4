"""Rebuild, the fourth station."""

from desk.shots.models import Shot
from desk.stations.registry import Mark, station


@station("rebuild", "Rebuild", number=4)
def mark(shot: Shot) -> Mark:
    """In work as soon as there is a ledger."""
    return Mark.IN_WORK if shot.ledgers.exists() else Mark.UNTOUCHED
