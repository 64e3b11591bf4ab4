"""Plan, the first station."""

from desk.shots.models import Shot
from desk.stations.registry import Mark, station


@station("plan", "Plan", number=1)
def mark(shot: Shot) -> Mark:
    """Done once the newest version is rendered; a change makes the next, which is in work again."""
    if shot.plan.revision == 1 and not shot.plan.versions.exists():
        return Mark.UNTOUCHED
    rendered = shot.plan.versions.filter(number=shot.plan.document["number"]).exists()
    return Mark.DONE if rendered else Mark.IN_WORK
