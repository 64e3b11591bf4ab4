"""Finish, the fifth station."""

from desk.shots.models import Shot
from desk.stations.registry import Mark, station


@station("finish", "Finish", number=5)
def mark(shot: Shot) -> Mark:
    """In work as soon as the ledger has a step."""
    ledger = shot.ledgers.order_by("-changed").first()
    return Mark.IN_WORK if ledger is not None and ledger.document.get("finish") else Mark.UNTOUCHED
